"""The year to come as a line: a bar a week, as high as the people who would be told something in it."""

from __future__ import annotations

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from stepladder.telling.forecast import Forecast
from stepladder.web.templatetags.web import day as written

__all__ = ["year_line"]

WEEK, HEIGHT, BELOW, ABOVE = 13, 56, 18, 14


def year_line(coming: Forecast) -> SafeString:
    """The drawing; what it shows of the next weeks stands beside it in words."""
    width, most = WEEK * len(coming.weeks), max(coming.highest, 1)
    bars, months, month = [], [], 0
    for at, (first, people) in enumerate(coming.weeks):
        x = at * WEEK
        high = max(2.0, people / most * HEIGHT) if people else 0.0
        if high:
            said = f"week of {written(first)}: {people}"
            bars.append((x + 2, f"{ABOVE + HEIGHT - high:.1f}", WEEK - 4, f"{high:.1f}", said))
        if first.month != month:
            # The first week begins within a month whose name would run into the next one's.
            if at or first.day < 15:
                months.append((x, ABOVE + HEIGHT + 14, f"{first:%b}"))
            month = first.month
    ground = ABOVE + HEIGHT
    return format_html(
        '<svg class="year-line" viewBox="0 0 {} {}" role="img" aria-label="{}"><path d="M0 {}H{}"/>{}{}'
        '<text x="0" y="10">{}</text></svg>',
        width,
        ground + BELOW,
        f"The year to come, week by week: at most {coming.highest} people are told something in a week.",
        ground,
        width,
        format_html_join("", '<rect x="{}" y="{}" width="{}" height="{}"><title>{}</title></rect>', bars),
        format_html_join("", '<text x="{}" y="{}">{}</text>', months),
        f"{coming.highest} people" if coming.highest != 1 else "1 person",
    )
