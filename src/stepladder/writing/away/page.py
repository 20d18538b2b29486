"""A lesson as one page that needs no server."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from django.template.loader import render_to_string

from stepladder import web
from stepladder.core.lessons.outline import checks_in
from stepladder.library.models import ModuleVersion
from stepladder.writing.away.addresses import Away
from stepladder.writing.away.judging import judged_by
from stepladder.writing.content import Content, media_of
from stepladder.writing.player import StagedSection
from stepladder.writing.rendering import Drawing

__all__ = ["page_of", "shipped_files"]

_HERE = Path(__file__).parent / "shipped"
_WEB = Path(web.__file__).parent
_FONT = re.compile(r'url\("\.\./fonts/([\w-]+\.woff2)"\)')


def page_of(version: ModuleVersion, content: Content, away: Away, standard: str) -> str:
    """The page; what it shows is noted in *away*. *standard*: "1.2" or "2004", by whose run-time it keeps how far one is; "": none."""
    whose = f"away-{version.public_id}"
    # Pages of other sites are linked, never framed: whether they may be is another organisation's to say.
    drawing = Drawing(0, media_of(content.trees), hosts=(), whose=whose, addresses=away)
    sections = [
        StagedSection(number, one.key, one.title, False, True, True, drawing.blocks(one.tree))
        for number, one in enumerate(content.sections, 1)
    ]
    options = content.options
    cover = drawing.picture(options.cover) if options.cover and options.cover["file"] else None
    context = {
        "module": version.module,
        "version": version,
        "options": options,
        "sections": sections,
        "cover": cover,
        "has_checks": any(part.checks for part in content.parts),
        "data": _data(version, content, whose, standard),
    }
    return render_to_string("writing/away/page.html", context)


def _data(version: ModuleVersion, content: Content, whose: str, standard: str) -> str:
    """What the script beside the page reads: how sections open and checks are judged."""
    options = content.options
    said: dict[str, Any] = {
        "key": version.public_id,
        "standard": standard,
        "inOrder": options.in_order,
        "hasNext": options.has_next,
        "asksRight": options.asks_right,
        "sections": [
            {"key": part.key, "blocks": part.blocks, "checks": part.checks, "hiddenUntil": part.hidden_until}
            for part in content.parts
        ],
        "checks": {
            block["attrs"]["id"]: judged_by(block["attrs"]["question"], block["attrs"]["id"], whose)
            for tree in content.trees
            for block in checks_in(tree)
            if block["attrs"]["question"] is not None
        },
    }
    # Within a script element nothing may end it.
    return json.dumps(said, ensure_ascii=False).replace("<", "\\u003c")


def shipped_files() -> dict[str, bytes]:
    """The script, the style and the fonts that go with every lesson: path in the package → content."""
    tokens = (_WEB / "css" / "tokens.css").read_text(encoding="utf-8")
    # What the stylesheet of the application is built by is none of a lesson's.
    tokens = re.sub(r"@theme inline \{[^}]*\}", "", tokens)
    fonts = _FONT.findall(tokens)
    style = "\n".join(
        (
            _FONT.sub(r'url("fonts/\1")', tokens),
            (_WEB / "css" / "lesson.css")
            .read_text(encoding="utf-8")
            .partition("/* the sheet on which one writes */")[0],
            (_HERE / "player.css").read_text(encoding="utf-8"),
        )
    )
    found = {"lesson/style.css": style.encode(), "lesson/player.js": (_HERE / "player.js").read_bytes()}
    folder = _WEB / "static" / "web" / "fonts"
    return found | {f"lesson/fonts/{name}": (folder / name).read_bytes() for name in dict.fromkeys(fonts)}
