"""The heat over a medium, drawn by the server with attributes alone."""

from __future__ import annotations

from django import template
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from stepladder.core.skipping import Run
from stepladder.records.watched import Heat

register = template.Library()
WIDTH, HEIGHT, LEFT, TOP = 700, 130, 34, 8


@register.simple_tag
def heat_chart(heat: Heat, query: str = "") -> SafeString:
    """A bar a slice, as high as people saw it; what they go past, and what they see again, marked below it."""
    watched = heat.watched
    most = max(watched.people, 1)
    step = WIDTH / len(watched.slices)
    bars = format_html_join(
        "",
        '<a href="?at={}{}" tabindex="-1"><rect class="{}" x="{}" y="{}" width="{}" height="{}"><title>{}</title></rect></a>',
        (
            (
                round(n * watched.width, 2),
                query,
                _class(watched.skipped, watched.again, n * watched.width),
                round(LEFT + n * step, 1),
                round(TOP + HEIGHT * (1 - one.people / most), 1),
                round(max(step - min(1.0, step / 6), 0.5), 2),
                # A slice that nobody saw is still there to be pressed.
                round(max(HEIGHT * one.people / most, 2), 1),
                f"{heat.stretch(Run(n * watched.width, (n + 1) * watched.width, 0, 0))}: {one.people} people, {one.times} times",
            )
            for n, one in enumerate(watched.slices)
        ),
    )
    marks = _marks(heat, watched.skipped, "is-skipped") + _marks(heat, watched.again, "is-again")
    return format_html(
        '<svg class="heat" viewBox="0 0 {} {}" role="group" aria-label="How many people saw which part">{}{}{}{}</svg>',
        LEFT + WIDTH + 6,
        TOP + HEIGHT + 34,
        _scale(most),
        bars,
        _places(heat),
        marks,
    )


def _class(skipped: object, again: object, at: float) -> str:
    for runs, name in ((skipped, "is-skipped"), (again, "is-again")):
        if any(run.start <= at < run.end - 1e-9 for run in runs):  # type: ignore[attr-defined]
            return f"heat-bar {name}"
    return "heat-bar"


def _scale(most: int) -> SafeString:
    ticks = sorted({most, round(most / 2)} - {0})
    return format_html_join(
        "",
        '<path class="heat-line" d="M{} {}h{}"/><text x="{}" y="{}" text-anchor="end">{}</text>',
        (
            (LEFT, y, WIDTH, LEFT - 6, y + 4, tick)
            for tick in ticks
            for y in (round(TOP + HEIGHT * (1 - tick / most), 1),)
        ),
    )


def _places(heat: Heat) -> SafeString:
    """Five places along the length, in words."""
    y = TOP + HEIGHT + 14
    count = min(5, len(heat.watched.slices))
    ticks = [heat.length * n / count for n in range(count)]
    if heat.is_pages:
        ticks = sorted({float(int(tick)) for tick in ticks})
    return format_html_join(
        "",
        '<text x="{}" y="{}">{}</text>',
        ((round(LEFT + WIDTH * tick / heat.length, 1), y, heat.place(tick)) for tick in ticks),
    )


def _marks(heat: Heat, runs: object, name: str) -> SafeString:
    y = TOP + HEIGHT + 22
    return format_html_join(
        "",
        '<path class="heat-mark {}" d="M{} {}H{}"/>',
        (
            (
                name,
                round(LEFT + WIDTH * run.start / heat.length, 1),
                y,
                round(LEFT + WIDTH * min(run.end, heat.length) / heat.length, 1),
            )
            for run in runs  # type: ignore[attr-defined]
        ),
    )


@register.simple_tag
def small_strip(strip: object) -> SafeString:
    """A person's strip in a row of a table."""
    rungs = getattr(strip, "rungs", [])
    step = 250 / max(len(rungs), 1)
    thick = format_html_join(
        "",
        '<path class="bar is-thick" d="M{} 3v10"/>',
        ((round(step * (n + 0.5), 1),) for n, is_on in enumerate(rungs) if is_on),
    )
    return format_html(
        '<svg class="small-strip" viewBox="0 0 250 16" role="img" aria-label="{}"><path class="rail" d="M0 3h250M0 13h250"/>{}</svg>',
        getattr(strip, "words", ""),
        thick,
    )
