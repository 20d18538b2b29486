"""The bar of a cell: what is done of it, what waits and what is late, in a table or in one drawing of all (records/grid.html)."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

__all__ = ["Grid", "GridName", "Parts", "bar", "grid"]

# A cell of a grid is so high, and so wide at least, its bar a little less; names of up to so many letters stand beside and above.
HIGH, WIDEST, LONGEST = 14, 44, 26
# How wide a letter is at most, and how high in a head, which stands aslant.
LETTER, SLANTED = 6.4, 4.8
_THIN, _THICK = (3, 4), (7, 2)


@dataclass(frozen=True)
class Parts:
    """What a bar is parted into, of a *whole*: what is *done*, what *waits* and what is *late*; the rest of it stays empty."""

    done: float
    waits: float
    late: float
    whole: float


@dataclass(frozen=True)
class GridName:
    """What a row or column is called; its *key* in the addresses of cells; how deep a row stands, and where the head of a column leads."""

    text: str
    key: str | int = ""
    depth: int = 0
    url: str = ""


@dataclass(frozen=True)
class Grid:
    """A drawing of many cells, and what a script needs to say which of them somebody points at: the keys of rows and columns as JSON,
    and where the cells begin and how large each is."""

    drawing: SafeString
    rows: str
    columns: str
    left: int
    top: int
    wide: int
    high: int = HIGH


def bar(parts: Parts) -> str:
    """A bar's parts in thirtieths of its length, as table.css draws them."""
    done, waits, late = (_thirtieths(n, parts.whole) for n in (parts.done, parts.waits, parts.late))
    waits = min(waits, 30 - done - late)
    drawn = [f"{letter}{n}" for letter, n in (("k", done), ("o", waits), ("l", late)) if n > 0]
    return f'<i class="{" ".join(drawn)}"></i>' if drawn else "<i></i>"


def _thirtieths(part: float, whole: float) -> int:
    """One person of a thousand is still to be seen, and one who is missing is too."""
    if part in (0, whole):
        return 30 if part else 0
    return min(max(round(30 * part / whole), 1), 29)


def grid(
    title: str,
    rows: Sequence[GridName],
    columns: Sequence[GridName],
    cells: Sequence[Sequence[Parts | None]],
    leads: Callable[[int, int], tuple[str, str]] | None = None,
    *,
    room: int = 660,
    name: str = "whole-title",
) -> Grid:
    """Thousands of cells in three shapes, one for what is done, what waits and what is late.

    *leads* gives where the cell of a row and column leads, with what it says; without it a script reckons that from where one points.
    *room*: how wide all columns should be, if that leaves each wide enough. *name*: of the title, each its own on a page.
    """
    # Few columns have the room of many.
    wide = max(HIGH, min(WIDEST, room // max(len(columns), 1)))
    # No more beside and above than the names need: a phone has little room.
    left = 16 + math.ceil(max((8 * one.depth + LETTER * len(_row_name(one)) for one in rows), default=0))
    top = 16 + math.ceil(SLANTED * max((len(_short(one.text)) for one in columns), default=0))
    width, height = left + len(columns) * wide + 90, top + len(rows) * HIGH + 8
    drawing = format_html(
        '<svg class="whole-board" viewBox="0 0 {} {}" width="{}" height="{}" role="group" aria-labelledby="{}">'
        '<title id="{}">{}</title>{}{}{}{}<rect class="here" width="{}" height="{}" x="-99" y="-99"/></svg>',
        width,
        height,
        width,
        height,
        name,
        name,
        title,
        _heads(columns, left, top, wide),
        _names(rows, top),
        _bars(cells, left, top, wide),
        _links(cells, left, top, wide, leads) if leads else "",
        wide,
        HIGH,
    )
    return Grid(
        drawing, json.dumps([one.key for one in rows]), json.dumps([one.key for one in columns]), left, top, wide
    )


def _bars(cells: Sequence[Sequence[Parts | None]], left: int, top: int, wide: int) -> SafeString:
    shapes: dict[str, list[str]] = {"k": [], "o": [], "l": []}
    for n, row in enumerate(cells):
        for c, parts in enumerate(row):
            if parts is None or not parts.whole:
                continue
            x, y = float(left + c * wide), top + n * HIGH + 2
            for letter, part in (("k", parts.done), ("o", parts.waits), ("l", parts.late)):
                if part:
                    length = (wide - 3) * part / parts.whole
                    # What waits is a thin line, as on the table.
                    high, low = _THIN if letter == "o" else _THICK
                    shapes[letter].append(f"M{x:.1f} {y + low}h{length:.1f}v{high}h-{length:.1f}z")
                    x += length
    # Numbers of ours alone.
    return mark_safe("".join(f'<path class="{letter}" d="{"".join(d)}"/>' for letter, d in shapes.items() if d))


def _heads(columns: Sequence[GridName], left: int, top: int, wide: int) -> SafeString:
    def head(c: int, one: GridName) -> SafeString:
        text = format_html(
            '<text transform="translate({} {}) rotate(-52)">{}<title>{}</title></text>',
            left + c * wide + wide // 2,
            top - 4,
            _short(one.text),
            one.text,
        )
        return format_html('<a href="{}">{}</a>', one.url, text) if one.url else text

    return format_html_join("", "{}", ((head(c, one),) for c, one in enumerate(columns)))


def _names(rows: Sequence[GridName], top: int) -> SafeString:
    return format_html_join(
        "",
        '<text class="depth-{}" x="{}" y="{}">{}</text>',
        ((row.depth, 4 + row.depth * 8, top + n * HIGH + 11, _row_name(row)) for n, row in enumerate(rows)),
    )


def _links(
    cells: Sequence[Sequence[Parts | None]],
    left: int,
    top: int,
    wide: int,
    leads: Callable[[int, int], tuple[str, str]],
) -> SafeString:
    places = [(n, c) for n, row in enumerate(cells) for c, parts in enumerate(row) if parts is not None]
    return format_html_join(
        "",
        '<a href="{}"><rect class="reach" x="{}" y="{}" width="{}" height="{}"/><title>{}</title></a>',
        (
            (url, left + c * wide - 1, top + n * HIGH, wide, HIGH, said)
            for n, c in places
            for url, said in (leads(n, c),)
        ),
    )


def _row_name(row: GridName) -> str:
    return _short(row.text, LONGEST - row.depth)


def _short(text: str, most: int = LONGEST) -> str:
    return text if len(text) <= most else f"{text[: most - 1]}…"
