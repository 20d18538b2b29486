"""What people can do wrong with charts."""

from __future__ import annotations

from datetime import date

from stepladder.refusals import Refusal
from stepladder.web.templatetags.web import day


class ChartsError(Refusal):
    """An act on charts that cannot be done; the message is for people. *field* is the form field it is about."""

    field: str = ""


class NodeThere(ChartsError):
    """Two units, or two positions, of one name at one place of a chart."""

    field = "name"

    def __init__(self, name: str, where: str) -> None:
        super().__init__(f"There is “{name}” in {where} already. Choose another name.")


class UnderItself(ChartsError):
    """A node moved under one that stands below it."""

    field = "under"

    def __init__(self, node: str, under: str) -> None:
        what = f"{node} cannot hang under itself" if node == under else f"{under} stands below {node}"
        super().__init__(f"{what}. Choose one that is not below it; nothing was moved.")


class NotInChartThen(ChartsError):
    """A node that does not stand in its chart on the day."""

    field = "from_day"

    def __init__(self, name: str, when: date) -> None:
        super().__init__(f"{name} does not stand in the chart on {day(when)}. Choose another day.")


class OtherChangePlanned(ChartsError):
    """A change that would leave the chart no tree on a later day, because of one that is planned."""

    field = "from_day"

    def __init__(self, name: str, when: date) -> None:
        super().__init__(
            f"Another change is planned for {day(when)}, and then {name} would hang under itself or under nothing. "
            "Take that one back first, or choose another place."
        )


class NodeInUse(ChartsError):
    """A unit or position cannot be closed while something hangs below it or somebody is placed there."""

    field = "to_day"

    def __init__(self, name: str, last: date, below: list[str], people: int) -> None:
        holds = [f"{people} {'person is' if people == 1 else 'people are'} placed there"] if people else []
        holds += [f"{', '.join(below)} {'hangs' if len(below) == 1 else 'hang'} below it"] if below else []
        super().__init__(f"After {day(last)} {' and '.join(holds)}. Move that first, then close {name}.")
