"""Courses side by side: of each how it is covered, how long it takes, who passes at once, and how long people learn in it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from stepladder.core.reports import Figure, Value
from stepladder.reports.running import run
from stepladder.reports.saying import bare, in_file
from stepladder.reports.sentences import Sentence, asked_of

__all__ = ["FIGURES", "SideBySide", "courses_side_by_side"]

FIGURES = (
    "requirements.covered",
    "requirements.late",
    "completions.completions",
    "completions.days_taken",
    "completions.score",
    "attempts.passed_at_once",
    "time.hours",
)


@dataclass(frozen=True)
class SideBySide:
    """One course with its figures, in the order of FIGURES."""

    code: int
    title: str
    values: Sequence[tuple[Figure, Value, str]]

    @property
    def cells(self) -> list[tuple[str, str]]:
        """(what is written, where it leads)."""
        return [(bare(figure, value), address if value.rows else "") for figure, value, address in self.values]

    @property
    def in_file(self) -> list[Any]:
        return [self.title, *(in_file(figure, value) for figure, value, _ in self.values)]


def courses_side_by_side(
    sentence: Sentence, account: Any, address: str
) -> tuple[list[str], list[SideBySide], list[str]]:
    """(heads, lines, errors): the figures of every course, of whom and between which days the sentence says."""
    found: dict[tuple[int, str], dict[str, tuple[Figure, Value, str]]] = {}
    heads = []
    by_counted: dict[str, list[str]] = {}
    for key in FIGURES:
        by_counted.setdefault(key.partition(".")[0], []).append(key)
    nothing: dict[str, Figure] = {}
    for keys in by_counted.values():
        asked, errors = asked_of(_about(sentence, keys[0]), account)
        if asked is None:
            return [], [], errors
        for key in keys:
            figure = asked.counted.figure(key.partition(".")[2])
            assert figure is not None, "the figures side by side are those of what is counted"
            nothing[key] = figure
        for line in run(asked).lines:
            course = found.setdefault((line.codes[0], line.names[0]), {})
            for key in keys:
                figure = nothing[key]
                query = f"{address}?{_about(sentence, key).query}&rows={figure.key}&at={line.codes[0]}"
                course[key] = (figure, line.values[figure.key], query)
    heads = [nothing[key].label for key in FIGURES]
    lines = [
        SideBySide(code, title, [values.get(key, (nothing[key], Value(None, 0), "")) for key in FIGURES])
        for (code, title), values in sorted(found.items(), key=_by_title)
        if code >= 0
    ]
    return heads, lines, []


def _by_title(item: tuple[tuple[int, str], Mapping[str, Any]]) -> str:
    return item[0][1].casefold()


def _about(sentence: Sentence, figure: str) -> Sentence:
    return Sentence(figure, sentence.of, sentence.about, "course", "", sentence.first, sentence.last)
