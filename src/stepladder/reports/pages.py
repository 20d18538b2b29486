"""A report as a page: its sentence, drawing, figures, table or rows, and its files."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseBase, QueryDict
from django.shortcuts import render
from django.utils.http import urlencode

from stepladder.assignments.standing_days import Moment
from stepladder.charts.models import Unit
from stepladder.core.numbers import whole_number
from stepladder.core.reports import PERIODS, Figure, Value
from stepladder.courses.models import Course, PathEdition
from stepladder.reaches.models import Group
from stepladder.records.frames import plain_frame
from stepladder.records.units import unit_choices
from stepladder.reports.boards import COLUMNS, LINES, ReportBoard
from stepladder.reports.counted import Counted, counted_named, every_counted
from stepladder.reports.drawing import drawing_of, left_out
from stepladder.reports.files import FORMS, MOST_AT_ONCE, file_name, table_of
from stepladder.reports.groupings import groupings_of
from stepladder.reports.rows import ReportRows
from stepladder.reports.running import Codes, Line, Report, names_of, opened, run
from stepladder.reports.saying import bare, mark_of, written_value
from stepladder.reports.sentences import OF_GROUP, OF_PATH, OF_TOPIC, Asked, Sentence, asked_of
from stepladder.reports.working import hand_over, is_under_way, moments_of, to_work_out
from stepladder.tabular.responses import table_response
from stepladder.tabular.writing import Pieces
from stepladder.topics.models import Topic
from stepladder.web.tables import Column, LazyRows, page_of
from stepladder.web.templatetags.web import day as written

__all__ = ["DAY_WORDS", "Choice", "ReportPage", "as_file", "of_choices", "report_page", "rows_asked", "totals"]

# The part of a page that stands in for a report until it is worked out.
WORKING = "working"
DAY_WORDS = [
    "today",
    "today-30d",
    "today-365d",
    "start of this month",
    "start of last month",
    "end of last month",
    "start of this quarter",
    "start of last quarter",
    "start of this year",
    "start of last year",
    "end of last year",
]


@dataclass(frozen=True)
class Choice:
    """A choice within the sentence, under the title of its group."""

    value: str
    label: str
    group: str = ""


@dataclass(frozen=True)
class Opened:
    """Whose rows are shown: of a figure of a group (() of all), of a rate all or its part."""

    figure: Figure
    codes: Codes
    part: bool

    @classmethod
    def read(cls, data: QueryDict, asked: Asked) -> Opened | None:
        figure = asked.counted.figure(data.get("rows", ""))
        if figure is None:
            return None
        codes = [_code(text) for text in data.get("at", "").split(".") if text]
        if any(code is None for code in codes) or len(codes) not in (0, len(asked.groupings)):
            return None
        return cls(figure, tuple(code for code in codes if code is not None), data.get("part") == "1")


def _code(text: str) -> int | None:
    if text.startswith("-"):
        number = whole_number(text[1:])
        return -number if number is not None else None
    return whole_number(text)


class ReportPage:
    """A report on a page: what it is asked by, what came of it, and where its figures lead."""

    def __init__(self, request: HttpRequest, sentence: Sentence) -> None:
        self.request = request
        self.sentence = sentence
        self.asked, self.errors = asked_of(sentence, request.user, order=request.GET.get("order", ""))
        self.report: Report | None = None
        self.opened = Opened.read(request.GET, self.asked) if self.asked else None

    def link(self, codes: Codes, figure: Figure, *, part: bool = False) -> str:
        """Where a figure of a group leads: to its rows."""
        # Keys and numbers need no quoting; the sentence is the same in thousands of links.
        return f"?{self._query}&rows={figure.key}&at={'.'.join(map(str, codes))}{'&part=1' if part else ''}"

    @cached_property
    def _query(self) -> str:
        return self.sentence.query

    def cell(self, line: Line, figure: Figure) -> dict[str, Any]:
        value = line.values.get(figure.key, Value(None, 0))
        return {
            "text": bare(figure, value),
            "url": self.link(line.codes, figure) if value.rows else "",
            "title": f"{value.part} of {value.rows}" if value.part is not None else "",
        }


def report_page(request: HttpRequest, sentence: Sentence, title: str, **more: Any) -> HttpResponseBase:
    """The page of a report, or one of its files."""
    page = ReportPage(request, sentence)
    asked = page.asked
    form = request.GET.get("as", "")
    rows = None
    if asked is not None:
        rows = rows_asked(asked, request.GET)
        if rows is not None and form in FORMS:
            return _rows_as_file(page, rows, title, form)
        # Where rows are shown nobody sees the groups.
        if page.opened is None:
            missing = to_work_out(asked)
            if missing and "now" not in request.GET:
                return _worked_out_later(page, missing, title)
            if request.headers.get("HX-Target") == WORKING:
                # Whoever waited for it sees all of the page.
                return HttpResponse(headers={"HX-Refresh": "true"})
            page.report = run(asked)
            if form in FORMS:
                return as_file(form, title, asked, *table_of(page.report))
    context = {
        "title": title,
        "page": page,
        "sentence": sentence,
        "asked": asked,
        "errors": page.errors,
        **plain_frame(request),
        "query": _query(request, sentence),
        "whole": f"?{sentence.query}",
        "day_words": DAY_WORDS,
        **_choices(sentence),
        **(_rows(request, page, rows) if rows is not None and asked else {}),
        **(_table(page) if page.report else {}),
        **more,
    }
    return render(request, "reports/report.html", context, status=422 if page.errors else 200)


def _without_file(request: HttpRequest) -> str:
    query = request.GET.copy()
    query.pop("as", None)
    return query.urlencode()


def rows_asked(asked: Asked, data: QueryDict) -> ReportRows | None:
    """The rows that an address asks for: those that a figure opens; of a report without groups its own. None: only groups are."""
    shown = Opened.read(data, asked) or (Opened(asked.figure, (), False) if not asked.groupings else None)
    if shown is None:
        return None
    facts = opened(asked, shown.codes, shown.figure, part=shown.part)
    return ReportRows(asked.counted, facts, data.get("sort", "-day"), asked.account)


def _rows_as_file(page: ReportPage, rows: ReportRows, title: str, form: str) -> HttpResponseBase:
    assert page.asked is not None, "rows are those of what was asked"
    if len(rows) <= MOST_AT_ONCE[form]:
        return as_file(form, title, page.asked, rows.heads, rows.pieces())
    if page.asked.known_on:
        # Its page and its file are called so.
        title = f"{title}, as known on {written(page.asked.known_on)}"
    context = {"title": title, "form": form, "count": len(rows), "query": _query(page.request, page.sentence)}
    return render(page.request, "reports/file_asked.html", context | plain_frame(page.request))


def as_file(form: str, title: str, asked: Asked, heads: Sequence[str], pieces: Pieces) -> HttpResponseBase:
    """A table of a report as a file."""
    return table_response(
        form, file_name(title, asked.known_on), title=title, heads=heads, pieces=pieces, about=asked.description
    )


def _worked_out_later(page: ReportPage, missing: Sequence[Moment], title: str) -> HttpResponseBase:
    """In place of what takes long to work out: how far the queue is with it."""
    assert page.asked is not None, "days are those of what was asked"
    is_asked_again = page.request.headers.get("HX-Target") == WORKING
    if not is_asked_again:
        hand_over(missing)
    total = len(moments_of(page.asked))
    context = {
        "title": title,
        "total": total,
        "done": total - len(missing),
        # What nobody is at any more was given up: its page says so, and is not asked for for ever.
        "has_stopped": is_asked_again and not is_under_way(),
        # Of a file too: what follows by itself is the page, from which the file is asked for.
        "address": f"{page.request.path}?{_without_file(page.request)}",
        "description": page.asked.description,
    }
    template = "reports/working_part.html" if is_asked_again else "reports/working.html"
    return render(page.request, template, context | plain_frame(page.request))


def _query(request: HttpRequest, sentence: Sentence) -> str:
    """The address of what is shown, for its files."""
    said = {name: request.GET[name] for name in ("rows", "at", "part", "sort", "order") if request.GET.get(name)}
    return urlencode({**sentence.words(), **said})


def _choices(sentence: Sentence) -> dict[str, Any]:
    # Also of a sentence that can't be asked: what would suit is what one looks for then.
    counted = counted_named(sentence.figure.partition(".")[0])
    return {
        "figures": [
            Choice(f"{one.key}.{figure.key}", figure.label, one.word)
            for one in every_counted()
            for figure in one.figures
        ],
        "of_choices": of_choices(sentence),
        "about_choices": _about_choices(),
        "by_choices": by_choices(counted) if counted else [],
    }


def of_choices(sentence: Sentence) -> list[Choice]:
    chosen = Unit.objects.select_related("chart").filter(public_id=sentence.of).first()
    units = [Choice(unit.public_id, f"{'– ' * depth}{unit.name}", "Units") for unit, depth in unit_choices(chosen)]
    groups = [Choice(f"{OF_GROUP}{group.public_id}", group.name, "Groups") for group in Group.objects.order_by("name")]
    return [*units, *groups]


def _about_choices() -> list[Choice]:
    topics = [
        Choice(
            f"{OF_TOPIC}{topic.public_id}",
            f"{topic.parent.name} › {topic.name}" if topic.parent else topic.name,
            "Topics",
        )
        for topic in Topic.objects.select_related("parent").order_by("parent__name", "name")
    ]
    courses = [
        Choice(
            course.public_id, f"{course.title} (withdrawn)" if course.state == "withdrawn" else course.title, "Courses"
        )
        for course in Course.objects.exclude(state="draft").order_by("title")
    ]
    paths = [
        Choice(f"{OF_PATH}{public_id}", title, "Paths")
        for public_id, title in PathEdition.objects.known_now()
        .filter(path__state="released")
        .order_by("title")
        .values_list("path__public_id", "title")
    ]
    return [*topics, *paths, *courses]


def by_choices(counted: Counted) -> list[Choice]:
    """After "by": groups and periods that suit what is counted."""
    groups = [Choice(grouping.key, grouping.word, "Groups") for grouping in groupings_of(counted)]
    return [*groups, *(Choice(unit, unit, "Periods") for unit in PERIODS)]


def _rows(request: HttpRequest, page: ReportPage, rows: ReportRows) -> dict[str, Any]:
    shown = page.opened
    found = page_of(
        request,
        rows,
        [(column.label, column.key if column.sort else "") for column in rows.shown],
        sort=rows.sort,
        numeric=frozenset(column.key for column in rows.shown if "n" in column.css.split()),
    )
    said: dict[str, Any] = {"rows": found, "shown": shown}
    if shown is not None and page.asked is not None:
        said["of_what"] = _of_what(page.asked, shown)
        if shown.figure.numerator(rows.facts) is not None:
            said["whole_url"] = page.link(shown.codes, shown.figure)
            said["part_url"] = page.link(shown.codes, shown.figure, part=True)
    return said


def _of_what(asked: Asked, shown: Opened) -> str:
    """ "Dunlin, Nov 2026" of the rows of a group."""
    return ", ".join(names_of(asked, shown.codes))


def _table(page: ReportPage) -> dict[str, Any]:
    report = page.report
    assert report is not None, "a table is made of what was run"
    asked = report.asked
    figures = asked.counted.figures
    said: dict[str, Any] = {"total": totals(page, report)}
    if asked.is_board:
        return said | _board(page, report)
    said |= {"drawing": drawing_of(report, page.link), "left_out": left_out(report)}
    if len(asked.groupings) == 1:
        lines = page_of(page.request, Lines(page, list(report.lines), list(figures)), [], per_page=100)
        said |= {"heads": [_head(page, figure) for figure in figures], "lines": lines}
    elif len(asked.groupings) == 2:
        columns = _columns(page, report)
        said |= {
            "heads": [Column(name, numeric=True) for _, name in columns.shown],
            "columns": columns,
            "lines": page_of(page.request, Across(page, columns.shown), [], per_page=LINES),
        }
    return said


def _board(page: ReportPage, report: Report) -> dict[str, Any]:
    """Groups by groups: the table of their cells with bars, or all of them in one drawing."""
    board = ReportBoard(report, page.link)
    query = page.request.GET.copy()
    is_whole = query.pop("view", [""])[-1] == "all"
    columns = _columns(page, report)
    said: dict[str, Any] = {
        "board": board,
        "heads": [name for _, name in columns.shown],
        "lines": page_of(page.request, BoardLines(board, columns.shown), [], per_page=LINES),
        "columns": columns,
    }
    if is_whole:
        opens = page.link((), report.asked.figure).removesuffix("at=") + "at={row}.{column}"
        return said | {"whole_board": board.whole(), "opens": opens, "paged_url": f"?{query.urlencode()}"}
    return said | {"whole_url": f"?{query.urlencode()}&view=all"}


@dataclass(frozen=True)
class Columns:
    """The columns of a page of many: (code, name) each; where those before and after them are."""

    shown: Sequence[tuple[int, str]]
    first: int
    last: int
    total: int
    before: str
    after: str


def _columns(page: ReportPage, report: Report) -> Columns:
    """By two groupings: so many columns as stand beside each other."""
    every = report.across
    pages = max(-(-len(every) // COLUMNS), 1)
    number = min(max(whole_number(page.request.GET.get("columns", "")) or 1, 1), pages)

    def at(other: int) -> str:
        query = page.request.GET.copy()
        query["columns"] = str(other)
        return f"?{query.urlencode()}" if 1 <= other <= pages else ""

    start = (number - 1) * COLUMNS
    shown = every[start : start + COLUMNS]
    return Columns(shown, start + 1, start + len(shown), len(every), at(number - 1), at(number + 1))


def totals(page: ReportPage, report: Report) -> list[dict[str, Any]]:
    """All figures of the whole, each with where it leads."""
    asked = report.asked
    return [
        {
            "label": figure.label,
            "text": written_value(figure, report.total[figure.key]),
            "url": page.link((), figure) if report.total[figure.key].rows else "",
            "is_asked": figure.key == asked.figure.key,
        }
        for figure in asked.counted.figures
    ]


def _head(page: ReportPage, figure: Figure) -> Column:
    """A figure over its column; it orders the groups, the highest first."""
    mark = mark_of(figure)
    now = page.asked.order if page.asked else ""
    turned = figure.key if now == f"-{figure.key}" else f"-{figure.key}"
    url = f"?{urlencode({**page.sentence.words(), 'order': turned})}"
    sort = {figure.key: "ascending", f"-{figure.key}": "descending"}.get(now, "")
    return Column(f"{figure.label}, {mark}" if mark else figure.label, url, sort, numeric=True)


class Lines(LazyRows[dict[str, Any]]):
    """By one grouping: a line a group, with every figure."""

    def __init__(self, page: ReportPage, lines: Sequence[Line], figures: Sequence[Figure]) -> None:
        self.page, self.lines, self.figures = page, lines, figures

    def __len__(self) -> int:
        return len(self.lines)

    def made(self, start: int, stop: int) -> list[dict[str, Any]]:
        return [
            {"name": line.names[0], "cells": [self.page.cell(line, figure) for figure in self.figures]}
            for line in self.lines[start:stop]
        ]


class Across(LazyRows[dict[str, Any]]):
    """By two groupings: a line a group of the first, a column a group of the second."""

    def __init__(self, page: ReportPage, columns: Sequence[tuple[int, str]]) -> None:
        assert page.report is not None, "a table is made of what was run"
        self.page, self.report, self.columns = page, page.report, columns

    def __len__(self) -> int:
        return len(self.report.down)

    def made(self, start: int, stop: int) -> list[dict[str, Any]]:
        figure, lines = self.report.asked.figure, self.report.by_codes
        nothing = Line((), (), {})
        return [
            {
                "name": name,
                "cells": [self.page.cell(lines.get((code, other), nothing), figure) for other, _ in self.columns],
            }
            for code, name in self.report.down[start:stop]
        ]


class BoardLines(LazyRows[dict[str, Any]]):
    """A board's rows, each with its cells as markup."""

    def __init__(self, board: ReportBoard, columns: Sequence[tuple[int, str]]) -> None:
        self.board, self.columns = board, columns

    def __len__(self) -> int:
        return len(self.board.report.down)

    def made(self, start: int, stop: int) -> list[dict[str, Any]]:
        down = self.board.report.down[start:stop]
        return [{"name": name, "cells": self.board.cells(code, self.columns)} for code, name in down]
