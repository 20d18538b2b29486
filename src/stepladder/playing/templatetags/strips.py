"""The strip under the stage, drawn with attributes alone."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from django import template
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from stepladder.playing.said import Line

register = template.Library()
WIDTH = 700


@register.simple_tag
def strip_rungs(rungs: Sequence[bool]) -> SafeString:
    """The rungs from left to right; a script makes those thick that are watched meanwhile."""
    step = WIDTH / max(len(rungs), 1)
    drawn = ((round(step * (n + 0.5), 1), " is-thick" if thick else "") for n, thick in enumerate(rungs))
    return format_html_join("", '<path d="M{} 8v14" class="bar{}" data-bar/>', drawn)


@register.simple_tag
def note_marks(lines: Sequence[Line] | str, seconds: float) -> SafeString:
    """A small mark below the strip where something was noted."""
    places = [
        line.place for line in lines if isinstance(line, Line) and line.note is not None and line.place <= seconds
    ]
    marks = format_html_join("", '<path d="M{} 27l-4 5h8z"/>', ((round(WIDTH * p / seconds, 1),) for p in places))
    return format_html('<g class="noted" data-noted>{}</g>', marks)


@register.filter
def json_list(value: Any) -> str:
    """A list of numbers for a script to read."""
    return json.dumps([list(pair) for pair in value])
