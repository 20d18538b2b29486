"""Twelve months as a line: who came in stands above it, who is asked no more below."""

from __future__ import annotations

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from stepladder.assignments.over_year import OverYear

__all__ = ["months_line"]

MONTH, ABOVE, BELOW, NAMES = 60, 60, 30, 16


def months_line(year: OverYear) -> SafeString:
    """The drawing; the table beside it says the same in numbers."""
    most = max([1, *(month.came for month in year.months), *(month.left for month in year.months)])
    ground = ABOVE + NAMES
    bars, names = [], []
    for at, month in enumerate(year.months):
        x = at * MONTH + 8
        for count, css, height, down in ((month.came, "is-came", ABOVE, False), (month.left, "is-left", BELOW, True)):
            if count:
                high = max(3, round(count / most * height))
                bars.append((css, x, ground if down else ground - high, MONTH - 16, high))
        names.append((x, ground + BELOW + NAMES - 3, f"{month.first:%b}"))
        if month.came:
            names.append((x, ground - max(3, round(month.came / most * ABOVE)) - 3, str(month.came)))
    width = MONTH * len(year.months)
    return format_html(
        '<svg class="year-line" viewBox="0 0 {} {}" role="img" aria-label="{}">{}<path d="M0 {}H{}"/>{}</svg>',
        width,
        ground + BELOW + NAMES,
        f"Month by month: {year.came} came in, {year.left} are asked no more.",
        format_html_join("", '<rect class="{}" x="{}" y="{}" width="{}" height="{}"/>', bars),
        ground,
        width,
        format_html_join("", '<text x="{}" y="{}">{}</text>', names),
    )
