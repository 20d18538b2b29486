"""What people can do wrong in People."""

from __future__ import annotations

from datetime import date

from stepladder.web.templatetags.web import day


class PeopleError(Exception):
    """An act on people that cannot be done; the message is for people. *field* is the form field it is about."""

    field: str = ""


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


class AlreadyPlaced(PeopleError):
    """The person is at that unit and position on days that overlap."""

    field = "unit"

    def __init__(self, what: str, first: date) -> None:
        super().__init__(f"Already there: {what} since {day(first)}. Choose another unit or position.")


class OutsideEmployment(PeopleError):
    """A placement on a day when the person is not employed."""

    def __init__(self, first: date, last: date | None, field: str = "from_day") -> None:
        self.field = field
        until = f" and left on {day(last)}" if last else ""
        super().__init__(f"Hired on {day(first)}{until}: choose a day within that time.")


class NodeThere(PeopleError):
    """Two units, or two positions, of one name at one place of a chart."""

    field = "name"

    def __init__(self, name: str, where: str) -> None:
        super().__init__(f"There is “{name}” in {where} already. Choose another name.")
