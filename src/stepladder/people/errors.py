"""What people can do wrong in People."""

from __future__ import annotations

from datetime import date, timedelta

from stepladder.refusals import Refusal
from stepladder.web.templatetags.web import day


class PeopleError(Refusal):
    """An act on people that cannot be done; the message is for people. *field* is the form field it is about."""

    field: str = ""


class Shortened(PeopleError):
    """Only the number of this person is kept."""

    def __init__(self, name: str) -> None:
        super().__init__(f"{name} has left, and only their number is kept. Nothing more is written about them.")


class NumberTaken(PeopleError):
    """The employee number belongs, or once belonged, to somebody."""

    field = "employee_number"

    def __init__(self, number: str, name: str) -> None:
        super().__init__(f"{number} is {name}’s number. Numbers are never used again: choose another.")


class DaysInWrongOrder(PeopleError):
    """An end before its beginning."""

    def __init__(self, first: date, last: date, field: str) -> None:
        self.field = field
        super().__init__(f"{day(last)} is before {day(first)}, when it begins. Choose that day or a later one.")


class NeverHired(PeopleError):
    """Somebody whose hiring was taken back."""

    def __init__(self, name: str) -> None:
        super().__init__(f"{name}’s hiring was taken back. Hire them anew first, by an import with their number.")


class AlreadyPlaced(PeopleError):
    """The person is at that unit and position on days that overlap."""

    field = "unit"

    def __init__(self, what: str, first: date) -> None:
        super().__init__(f"Already there: {what} since {day(first)}. Choose another unit or position.")


class EndsBeforeItBegins(PeopleError):
    """A move from a day on which what it ends had not begun, or only just begins."""

    field = "from_day"

    def __init__(self, what: str, first: date) -> None:
        super().__init__(
            f"{what} begins on {day(first)} and would end before. Choose {day(first + timedelta(days=1))} or a later day, "
            "or take back what placed them there."
        )


class OutsideEmployment(PeopleError):
    """A placement on a day when the person is not employed."""

    def __init__(self, first: date, last: date | None, field: str = "from_day") -> None:
        self.field = field
        until = f" and left on {day(last)}" if last else ""
        super().__init__(f"Hired on {day(first)}{until}: choose a day within that time.")


class HoldsMore(PeopleError):
    """Somebody who holds more than who acts: they are ended, locked or written to by nobody below."""

    def __init__(self, name: str) -> None:
        super().__init__(f"{name} holds more than you do here, so this is for an administrator.")


class PlacedElsewhere(PeopleError):
    """A placement outside the part of who acts would be ended as well."""

    def __init__(self, name: str, units: list[str]) -> None:
        super().__init__(
            f"{name} is placed in {', '.join(units)} too, outside your part. Ask an administrator to do it, or end what is in "
            "your part only."
        )


class AlreadyAway(PeopleError):
    """Leave that overlaps leave that is there already."""

    field = "from_day"

    def __init__(self, from_day: date, to_day: date | None) -> None:
        until = f"to {day(to_day)}" if to_day else "without an end"
        super().__init__(f"They are away from {day(from_day)} {until} already. Say when that leave ends first.")


class NodeLocked(PeopleError):
    """A placement at a locked unit or position by somebody who may not manage the charts."""

    field = "unit"

    def __init__(self, name: str) -> None:
        super().__init__(f"{name} is locked: only who manages the charts places people there. Ask an administrator.")


class NobodyLeft(PeopleError):
    """An act on many that none of them fits."""

    def __init__(self, passed: list[str]) -> None:
        few = "; ".join(passed[:5]) + ("…" if len(passed) > 5 else "")
        super().__init__(f"Nobody chosen fits, so nothing was changed: {few or 'nobody was chosen'}.")


class RoleOfPersonOnly(PeopleError):
    """A role that no position brings."""

    def __init__(self) -> None:
        super().__init__("That role is given by name, on a person’s own sheet.")


class RoleNeedsPart(PeopleError):
    """A unit administrator without a part."""

    field = "parts"

    def __init__(self) -> None:
        super().__init__("A unit administrator needs at least one unit. Give this role on the person’s own sheet.")


class ChoiceInUse(PeopleError):
    """A choice that is taken away from a field while somebody has it."""

    field = "choices"

    def __init__(self, choice: str) -> None:
        super().__init__(f"Somebody has “{choice}”, so it has to stay among the choices. Change those people first.")
