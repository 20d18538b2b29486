"""Reports as files: of groups their figures, else the rows that a figure opens."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from typing import Any

from stepladder import clock
from stepladder.reports.running import Line, Report
from stepladder.reports.saying import in_file, mark_of

__all__ = ["FORMS", "MOST_AT_ONCE", "file_name", "table_of"]

FORMS = ("csv", "xlsx")
# A file of more rows is made by the queue: nobody waits minutes for an answer, and no server with them.
MOST_AT_ONCE = {"csv": 200_000, "xlsx": 50_000}


def file_name(title: str, known_on: date | None = None) -> str:
    """A title as the name of a file, with the day of whose knowledge it is."""
    plain = "".join(letter if letter.isascii() and letter.isalnum() else "-" for letter in title.lower())
    return f"{'-'.join(part for part in plain.split('-') if part) or 'report'}-{clock.today()}{f'-known-{known_on}' if known_on else ''}"


def table_of(report: Report) -> tuple[list[str], Iterator[list[Sequence[Any]]]]:
    """Heads and rows of a report's groups, for a file; of a rate its numerator and denominator too."""
    asked = report.asked
    figures = list(asked.counted.figures) if len(asked.groupings) < 2 else [asked.figure]
    heads = [word.capitalize() for word in asked.by_words]
    for figure in figures:
        mark = mark_of(figure)
        heads.append(f"{figure.label}, {mark}" if mark else figure.label)
        if figure.unit == "rate":
            heads += [f"{figure.label}: part", f"{figure.label}: of"]

    def values(line: Line) -> list[Any]:
        found: list[Any] = list(line.names)
        for figure in figures:
            value = line.values[figure.key]
            found.append(in_file(figure, value))
            if figure.unit == "rate":
                found += [value.part, value.rows]
        return found

    lines = report.lines or [Line((), (), report.total)]
    return heads, iter([[values(line) for line in lines]])
