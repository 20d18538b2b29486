"""Progress is climbed: the ladder drawn by the server."""

from __future__ import annotations

from django import template
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

register = template.Library()


@register.simple_tag
def climb(done: int, owed: int, *, height: int = 88) -> SafeString:
    """A ladder with one rung for each step owed, filled from the bottom. Above 12 steps a rung stands for several."""
    rungs = min(max(owed, 1), 12)
    filled = done * rungs // owed if owed else 0
    gap = height / (rungs + 1)
    lines = [(round(height - gap * (n + 1), 1), "rung-done" if n < filled else "rung-owed") for n in range(rungs)]
    # Small, it is narrow: a ladder as wide as it is high is none.
    wide, width = (26, 3.6) if height > 40 else (16, 2)
    drawn = format_html_join(
        "",
        '<line x1="2" x2="{}" y1="{}" y2="{}" class="{}" stroke-width="{}"/>',
        ((wide - 2, y, y, c, width) for y, c in lines),
    )
    return format_html(
        '<svg class="climb" width="{}" height="{}" viewBox="0 0 {} {}" role="img" aria-label="{} of {} steps done">'
        '{}<path class="rail-line" d="M2 0V{}M{} 0V{}" stroke-width="2" fill="none"/></svg>',
        wide,
        height,
        wide,
        height,
        done,
        owed,
        drawn,
        height,
        wide - 2,
        height,
    )
