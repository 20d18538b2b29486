"""A document, page after page, whatever it came as: those that were in view count. Rule: 8.

How its pages are drawn depends on the form it came in; a form that an app brings hands in its own stage (`add_reader`).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any
from urllib.parse import quote

from django.http import HttpRequest
from django.utils.safestring import mark_safe

from stepladder.journal.actions import Actor
from stepladder.learning.models import Attempt, Enrolment
from stepladder.library import derived_room, storage
from stepladder.library.models import ModuleVersion
from stepladder.library.parsing.copies import read_copy
from stepladder.library.parsing.office import CONVERTED
from stepladder.library.parsing.pictures import PICTURE_PAGE
from stepladder.playing import actions, launches, media
from stepladder.playing.players.base import Player, Stage
from stepladder.playing.reading import read_report
from stepladder.playing.strips import Strip, strip_of_pages

__all__ = ["DocumentPlayer", "Reader", "add_reader"]

# Takes the request, the version and the attempt (none in a trial).
Reader = Callable[[HttpRequest, ModuleVersion, Attempt | None], Stage]
_readers: dict[str, Reader] = {}
_PICTURE = re.compile(r'src="(picture-\d+\.webp)"')


def add_reader(form: str, reader: Reader) -> None:
    """Hand in how a document is shown that came in a form (library.kinds.Format)."""
    _readers[form] = reader


class DocumentPlayer(Player):
    """A document that one goes through, page after page."""

    def stage(
        self, request: HttpRequest, version: ModuleVersion, enrolment: Enrolment | None, attempt: Attempt | None
    ) -> Stage:
        dropped = derived_room.open_derived(version)
        if dropped is not None:
            derived_room.ask_anew(dropped)
            return Stage("playing/made_anew.html", {"trouble": dropped.trouble, "word": _word(version)})
        reader = _readers.get(version.data.get("format", "pdf"), _as_pdf)
        stage = reader(request, version, attempt)
        counted = ",".join(map(str, attempt.data.get("pages", []))) if attempt else ""
        context = {"counted": counted, "strip": self.strip(version, attempt), "word": _word(version), **stage.context}
        return Stage(stage.template, context, stage.origin)

    def open(self, attempt: Attempt, by: Actor) -> None:
        actions.open_player(attempt=attempt, by=by)

    def report(self, attempt: Attempt, body: bytes, by: Actor) -> Attempt:
        return actions.report_pages(attempt=attempt, report=read_report(body), by=by)

    def strip(self, version: ModuleVersion, attempt: Attempt | None) -> Strip:
        counted = attempt.data.get("pages", []) if attempt else []
        return strip_of_pages(counted, int(version.data["pages"]), _word(version))

    def said(self, attempt: Attempt) -> Mapping[str, Any]:
        return {"pages": attempt.data.get("pages", []), "strip": self.strip(attempt.version, attempt).marks}

    def share(self, attempt: Attempt) -> int:
        shown, pages = len(attempt.data.get("pages", [])), int(attempt.version.data["pages"])
        return shown * 100 // max(pages, 1)


def _word(version: ModuleVersion) -> str:
    return str(version.data.get("page_word", "page"))


def _address(request: HttpRequest, version: ModuleVersion, what: str) -> str:
    assert request.user.pk is not None
    return media.media_url(version.pk, request.user.pk, what)


def _as_pdf(request: HttpRequest, version: ModuleVersion, attempt: Attempt | None) -> Stage:
    return Stage("playing/pages.html", {"source": _address(request, version, "original")})


def _as_pictures(request: HttpRequest, version: ModuleVersion, attempt: Attempt | None) -> Stage:
    """Pages that are pictures of our own making."""
    name = "page-{}.svg" if version.data.get("is_drawn") else PICTURE_PAGE
    sizes = version.data.get("sizes", [])
    sheets = [
        {
            "number": number,
            "picture": _address(request, version, name.format(number)),
            "size": sizes[number - 1] if number <= len(sizes) else None,
        }
        for number in range(1, int(version.data["pages"]) + 1)
    ]
    return Stage("playing/pages.html", {"sheets": sheets})


def _as_copy(request: HttpRequest, version: ModuleVersion, attempt: Attempt | None) -> Stage:
    """A reading copy, or the pages as a converter drew them."""
    if version.data.get("is_converted"):
        return Stage("playing/pages.html", {"source": _address(request, version, CONVERTED)})

    def address(found: re.Match[str]) -> str:
        return f'src="{_address(request, version, found[1])}"'

    sheets = [
        # It was cleaned when it was kept (library.parsing.copies), and only this application writes it.
        {"number": number, "title": page.title, "html": mark_safe(_PICTURE.sub(address, page.html))}
        for number, page in enumerate(read_copy(storage.derived_folder(version)), 1)
    ]
    return Stage("playing/pages.html", {"sheets": sheets, "is_copy": True})


def _as_web_pages(request: HttpRequest, version: ModuleVersion, attempt: Attempt | None) -> Stage:
    """Other people's pages, framed from a content host; each tells that it is there (playing.content)."""
    key = attempt.pk if attempt else None
    origin = launches.frame_origin(request, key, version.pk)
    at = int(attempt.data.get("at", 1)) if attempt else 1
    files = version.data["page_files"]
    page = files[min(max(at, 1), len(files)) - 1]
    base = launches.address_of(request, attempt=key, version=version.pk, sco=0).rpartition("0/")[0]
    return Stage("playing/web_pages.html", {"launch": f"{base}files/{quote(page)}", "origin": origin}, origin)


for _form in ("picture", "drawing"):
    add_reader(_form, _as_pictures)
for _form in ("words", "slides", "sheets", "text", "markdown", "table"):
    add_reader(_form, _as_copy)
add_reader("web pages", _as_web_pages)
