"""A report drawn: lines over periods, bars by group, strips of quartiles; every mark leads to its rows."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from stepladder.core.reports import Figure, Unit, Value
from stepladder.reports.boards import ReportBoard, left_out_of_block
from stepladder.reports.running import Line, Report
from stepladder.reports.saying import written_value
from stepladder.reports.sentences import Asked

__all__ = ["drawing_of", "left_out"]

LEFT, TOP, WIDTH, HEIGHT = 44, 12, 640, 170
# Beside the lines stands what each is.
NAMES = 150
MOST_LINES, MOST_BARS = 6, 30
BAR, GAP, LABEL = 15, 7, 190
Link = Callable[[tuple[int, ...], Figure], str]


@dataclass(frozen=True)
class Series:
    """A line: its name, and (codes, value) a period."""

    name: str
    figure: Figure
    points: Sequence[tuple[tuple[int, ...], Value]]


def drawing_of(report: Report, link: Link) -> SafeString:
    """The drawing that suits a report; nothing where there is nothing to compare. A board's is small: a page has the table of its cells."""
    asked = report.asked
    if not asked.groupings or len(report.lines) < 2:
        return SafeString("")
    if asked.period:
        return _framed(asked, _lines(report, _series(report), link))
    if len(asked.groupings) == 1:
        # What has no such figure has no bar; it stands in the table.
        key = asked.figure.key
        drawn = [line for line in report.lines if line.values[key].number is not None or line.values[key].is_few]
        return _framed(asked, _bars(report, drawn[:MOST_BARS], link)) if drawn else SafeString("")
    return _framed(asked, ReportBoard(report, link).block())


def _framed(asked: Asked, drawing: SafeString) -> SafeString:
    """On a phone it is as wide as it must be to be read, and scrolls in its own box."""
    return format_html(
        '<div class="scroller" tabindex="0" role="region" aria-label="{} by {}, drawn">{}</div>',
        # Several of them may stand on one page.
        asked.figure.label.capitalize(),
        " and ".join(asked.by_words),
        drawing,
    )


def _series(report: Report) -> list[Series]:
    asked = report.asked
    if len(asked.groupings) == 1:
        # Rates of one thing belong together: covered and on time.
        figures = [asked.figure]
        if asked.figure.unit is Unit.RATE:
            figures += [f for f in asked.counted.figures if f.unit is Unit.RATE and f.key != asked.figure.key]
        return [
            Series(figure.label, figure, [(line.codes, line.values[figure.key]) for line in report.lines])
            for figure in figures
        ]
    place = asked.groupings.index(asked.period)
    by_group: dict[int, list[Line]] = {}
    for line in report.lines:
        code = line.codes[1 - place]
        if code in by_group or len(by_group) < MOST_LINES:
            by_group.setdefault(code, []).append(line)
    return [
        Series(
            found[0].names[1 - place],
            asked.figure,
            [(line.codes, line.values[asked.figure.key]) for line in sorted(found, key=lambda line: line.codes[place])],
        )
        for found in by_group.values()
    ]


def left_out(report: Report) -> str:
    """What a drawing doesn't show of a report, in words; "" where it shows all."""
    if len(report.asked.groupings) == 2 and report.asked.period:
        groups = len(report.down) if report.asked.groupings.index(report.asked.period) else len(report.across)
        return f"Drawn are the first {MOST_LINES} of {groups}." if groups > MOST_LINES else ""
    if len(report.asked.groupings) == 1 and not report.asked.period and len(report.lines) > MOST_BARS:
        return f"Drawn are the first {MOST_BARS} of {len(report.lines)}."
    return left_out_of_block(report) if report.asked.is_board else ""


def _y(figure: Figure, value: Value) -> float | None:
    return None if value.number is None or value.is_few else value.number * (100 if _is_percent(figure) else 1)


def _is_percent(figure: Figure) -> bool:
    return figure.unit in (Unit.RATE, Unit.SHARE)


def _scale(values: Sequence[float], figure: Figure, *, from_high: bool = False) -> tuple[float, float, list[float]]:
    """(lowest, highest, ticks) of a scale; percentages have the whole."""
    if _is_percent(figure):
        # Bars are as long as what they say; of lines that all run high the upper part is enough.
        least = min(values, default=0.0)
        low = next((edge for edge in (75.0, 50.0) if from_high and least >= edge + 2), 0.0)
        return low, 100, [low + (100 - low) * n / 4 for n in range(5)] if low != 75 else [75, 80, 85, 90, 95, 100]
    high, low = max(values, default=0.0), min(0.0, min(values, default=0.0))
    raw = max(high - low, 1e-9) / 4
    power = 10 ** math.floor(math.log10(raw))
    step = next(m * power for m in (1, 2, 2.5, 5, 10) if m * power >= raw - 1e-12)
    step = max(step, 1) if figure.unit is Unit.NUMBER else step
    first, last = math.floor(low / step), max(math.ceil(high / step), 1)
    return first * step, last * step, [n * step for n in range(first, last + 1)]


def _lines(report: Report, series: Sequence[Series], link: Link) -> SafeString:
    asked = report.asked
    place = asked.groupings.index(asked.period)
    count = len(asked.periods)
    values = [high for one in series for _, value in one.points if (high := _y(one.figure, value)) is not None]
    low, high, ticks = _scale(values, asked.figure, from_high=True)

    def x(codes: tuple[int, ...]) -> float:
        return round(LEFT + (WIDTH * (codes[place] + 0.5) / count), 1)

    def y(number: float) -> float:
        return round(TOP + HEIGHT * (1 - (number - low) / (high - low)), 1)

    drawn = []
    ends: list[tuple[float, str, int]] = []
    for number, one in enumerate(series):
        seen = [(codes, value, y(at)) for codes, value in one.points if (at := _y(one.figure, value)) is not None]
        if not seen:
            continue
        path = " ".join(f"{'L' if n else 'M'}{x(codes)} {at}" for n, (codes, _, at) in enumerate(seen))
        dots = format_html_join(
            "",
            '<a href="{}"><circle class="report-dot is-{}" cx="{}" cy="{}" r="3.5"/><title>{}</title></a>',
            (
                (
                    link(codes, one.figure),
                    number,
                    x(codes),
                    at,
                    f"{one.name}, {report.by_codes[codes].names[place]}: {written_value(one.figure, value, alone=True)}",
                )
                for codes, value, at in seen
            ),
        )
        drawn.append(format_html('<path class="report-line is-{}" d="{}"/>{}', number, path, dots))
        ends.append((seen[-1][2], one.name, number))
    return format_html(
        '<svg class="report-drawing" viewBox="0 0 {} {}" role="group" aria-label="{} by {}">{}{}{}{}</svg>',
        LEFT + WIDTH + NAMES,
        TOP + HEIGHT + 26,
        asked.figure.label,
        asked.period,
        _grid(ticks, y),
        _times(report, x),
        format_html_join("", "{}", ((one,) for one in drawn)),
        _line_names(ends),
    )


def _grid(ticks: Sequence[float], y: Callable[[float], float]) -> SafeString:
    return format_html_join(
        "",
        '<path class="heat-line" d="M{} {}h{}"/><text x="{}" y="{}" text-anchor="end">{}</text>',
        ((LEFT, y(tick), WIDTH, LEFT - 8, y(tick) + 4, f"{tick:,.2f}".rstrip("0").rstrip(".")) for tick in ticks),
    )


def _times(report: Report, x: Callable[[tuple[int, ...]], float]) -> SafeString:
    """What stands below the periods, as many as there is room for."""
    place = report.asked.groupings.index(report.asked.period)
    names = dict.fromkeys((line.codes[place], line.names[place]) for line in report.lines)
    # A letter is 6.7 wide; between two names stay two.
    widest = max(len(name) for _, name in names) + 2
    every = max(1, math.ceil(len(report.asked.periods) * widest * 6.7 / WIDTH))
    shown = [(code, name) for code, name in sorted(names) if code % every == 0]

    def at(code: int) -> float:
        return x((code, code))

    return format_html_join(
        "",
        '<text x="{}" y="{}" text-anchor="middle">{}</text>',
        ((at(code), TOP + HEIGHT + 18, name.removeprefix("from ")) for code, name in shown),
    )


def _line_names(ends: Sequence[tuple[float, str, int]]) -> SafeString:
    """What each line is, at its end; where two ends are close the lower name gives way."""
    said, last = [], -20.0
    for at, name, number in sorted(ends):
        last = max(at, last + 14)
        said.append((LEFT + WIDTH + 6, last + 4, number, name if len(name) <= 22 else f"{name[:21]}…"))
    return format_html_join("", '<text class="report-name is-{2}" x="{0}" y="{1}">{3}</text>', said)


def _bars(report: Report, lines: Sequence[Line], link: Link) -> SafeString:
    figure = report.asked.figure
    numbers = [number for line in lines for number in _of_bar(figure, line.values[figure.key])]
    low, high, ticks = _scale(numbers, figure)
    height = len(lines) * (BAR + GAP) + 24

    def x(number: float) -> float:
        return round(LABEL + WIDTH * (number - low) / (high - low), 1)

    rows = format_html_join(
        "",
        '<a href="{}"><text class="report-label" x="{}" y="{}" text-anchor="end">{}</text>{}<title>{}</title></a>',
        (
            (
                link(line.codes, figure),
                LABEL - 8,
                y + 12,
                line.names[0] if len(line.names[0]) <= 27 else f"{line.names[0][:26]}…",
                _bar(figure, line.values[figure.key], x, y),
                f"{line.names[0]}: {written_value(figure, line.values[figure.key], alone=True)}",
            )
            for n, line in enumerate(lines)
            for y in (n * (BAR + GAP),)
        ),
    )
    grid = format_html_join(
        "",
        '<path class="heat-line" d="M{} 0V{}"/><text x="{}" y="{}" text-anchor="middle">{}</text>',
        ((x(t), height - 20, x(t), height - 6, f"{t:,.2f}".rstrip("0").rstrip(".")) for t in ticks),
    )
    return format_html(
        '<svg class="report-drawing" viewBox="0 0 {} {}" role="group" aria-label="{} by {}">{}{}</svg>',
        LABEL + WIDTH + (130 if figure.unit is Unit.DAYS else 64),
        height,
        figure.label,
        report.asked.by_words[0],
        grid,
        rows,
    )


def _of_bar(figure: Figure, value: Value) -> list[float]:
    number = _y(figure, value)
    if number is None:
        return []
    return [number, *(edge for edge in (value.low, value.high) if edge is not None)]


def _bar(figure: Figure, value: Value, x: Callable[[float], float], y: int) -> SafeString:
    number = _y(figure, value)
    if number is None:
        return format_html('<text x="{}" y="{}">{}</text>', x(0) + 6, y + 12, written_value(figure, value, alone=True))
    if value.low is not None and value.high is not None:
        # A strip from quartile to quartile, with the middle inked.
        return format_html(
            '<rect class="report-strip" x="{}" y="{}" width="{}" height="{}"/><path class="report-middle" d="M{} {}v{}"/>'
            '<text x="{}" y="{}">{}</text>',
            x(value.low),
            y + 3,
            max(round(x(value.high) - x(value.low), 1), 2),
            BAR - 6,
            x(number),
            y,
            BAR,
            x(max(value.high, number)) + 6,
            y + 12,
            written_value(figure, value, alone=True),
        )
    start, end = sorted((x(0), x(number)))
    return format_html(
        '<rect class="report-bar" x="{}" y="{}" width="{}" height="{}"/><text x="{}" y="{}">{}</text>',
        start,
        y,
        max(round(end - start, 1), 1),
        BAR,
        end + 6,
        y + 12,
        written_value(figure, value, alone=True),
    )
