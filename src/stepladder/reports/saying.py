"""How a report's figures are written. Rules: 5, 7, 16."""

from __future__ import annotations

import math

from stepladder.core.board import percent
from stepladder.core.reports import Figure, Unit, Value

__all__ = ["bare", "in_file", "mark_of", "written_value"]

FEW = "few"
# Hours and days say by their names in what they are.
_MARKS = {Unit.RATE: "%", Unit.SHARE: "%"}
_ALONE = {**_MARKS, Unit.HOURS: "h", Unit.DAYS: "days"}


def mark_of(figure: Figure) -> str:
    """In what it is, for a head: "%", "h"."""
    return _MARKS.get(figure.unit, "")


def written_value(figure: Figure, value: Value, *, alone: bool = False) -> str:
    """A figure with its mark: "67 %", "few", "–"; where it stands *alone*, without its name: "12.5 h"."""
    number = bare(figure, value)
    mark = (_ALONE if alone else _MARKS).get(figure.unit)
    return number if number in (FEW, "–") or not mark else f"{number} {mark}"


def bare(figure: Figure, value: Value) -> str:
    """The same for a column whose head says in what it is."""
    if value.is_few:
        return FEW
    shown = _number(figure, value)
    if shown is None:
        return "–"
    text = (
        f"{shown:,}" if isinstance(shown, int) else f"{shown:,.2f}" if figure.unit is Unit.POINTS else f"{shown:,.1f}"
    )
    text = text.replace("-", "−")
    if figure.unit is Unit.DAYS and value.low is not None and value.high is not None and value.rows > 1:
        return f"{text.removesuffix('.0')} ({_short(value.low)}–{_short(value.high)})"
    return text.removesuffix(".0") if figure.unit is Unit.DAYS else text


def _short(number: float) -> str:
    return f"{number:.1f}".removesuffix(".0")


def _number(figure: Figure, value: Value) -> int | float | None:
    if value.number is None:
        return None
    if figure.unit is Unit.RATE:
        return percent(value.part or 0, value.rows)
    if figure.unit is Unit.SHARE:
        # Shown rounded down; what a float lost at its last place is not (rule 7).
        return math.floor(value.number * 100 + 1e-9)
    if figure.unit is Unit.NUMBER:
        return round(value.number)
    return round(value.number, 2 if figure.unit is Unit.POINTS else 1)


def in_file(figure: Figure, value: Value) -> int | float | str | None:
    """A figure for a file, where a number is to be reckoned with."""
    return FEW if value.is_few else _number(figure, value)
