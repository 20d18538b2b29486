"""Links as modules: made, changed, and looked at once a week for being dead."""

from __future__ import annotations

import html
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Any

from django.db.models import Exists, OuterRef

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.journal.actions import Actor
from stepladder.library import fetching
from stepladder.library.actions import add_version, create_module
from stepladder.library.errors import LibraryError
from stepladder.library.kinds import Worked
from stepladder.library.kinds.link import KIND, LINK, host_of
from stepladder.library.link_forms import DONE_WHEN
from stepladder.library.models import Binder, Folder, LinkLook, Module, ModuleState, ModuleVersion
from stepladder.library.parsing.text import decoded
from stepladder.web.templatetags.web import day

__all__ = [
    "change_link",
    "create_link",
    "dead_notes",
    "links_to_look_at",
    "look_at_link",
    "prepare_link",
]

LOOKS_EVERY = timedelta(days=7)
_TITLE = re.compile(r"<title[^>]*>(.*?)</title>", re.IGNORECASE | re.DOTALL)


@dataclass(frozen=True)
class Page:
    """What a page says of itself: its title, and whether it may be shown in a frame of ours."""

    title: str
    may_be_framed: bool


def prepare_link(
    *, url: str, title: str = "", description: str = "", minutes: int = 0, done_when: str = "opened"
) -> Worked:
    """What a link is made of; without a title it is called as its page, where links are fetched, or as its server.

    It may ask the web, so it is called before a transaction, never in one: nobody else could write meanwhile. Raises FetchRefused where
    it is no web address.
    """
    url = fetching.check_address(url)
    if done_when not in DONE_WHEN:
        raise LibraryError("Say when it is done.")
    data: dict[str, Any] = {"url": url, "done_when": done_when}
    worked = Worked(title.strip()[:200] or host_of(data), minutes, data, description)
    if organisation().fetches_links:
        try:
            page = _read(fetching.fetch(url))
        except LibraryError:
            # It is looked at again in a week; what is dead is said there, not here.
            return worked
        worked = replace(worked, title=title.strip()[:200] or page.title or worked.title)
        worked = replace(worked, data=data | {"may_be_framed": page.may_be_framed})
    return worked


def create_link(*, binder: Binder, worked: Worked, by: Actor, folder: Folder | None = None) -> ModuleVersion:
    """A module that leads elsewhere, as `prepare_link` made it ready."""
    return create_module(binder=binder, kind=KIND, worked=worked, by=by, folder=folder)


def change_link(*, module: Module, worked: Worked, by: Actor) -> ModuleVersion:
    """Another address, or another way to be done: a newer version, for editions released after it."""
    return add_version(module=module, worked=worked, by=by)


def _read(fetched: fetching.Fetched) -> Page:
    title = ""
    if fetched.content_type in ("text/html", "application/xhtml+xml"):
        found = _TITLE.search(decoded(fetched.body[:200_000], fetched.url))
        title = " ".join(html.unescape(found[1]).split())[:200] if found else ""
    policy = fetched.headers.get("content-security-policy", "").lower()
    refuses = "x-frame-options" in fetched.headers or "frame-ancestors" in policy
    return Page(title, fetched.url.startswith("https://") and not refuses)


def links_to_look_at() -> list[int]:
    """The newest versions of links in use that nobody looked at for a week; none where links are not fetched."""
    if not organisation().fetches_links:
        return []
    newer = ModuleVersion.objects.filter(module=OuterRef("module"), number__gt=OuterRef("number"))
    looked = LinkLook.objects.filter(version=OuterRef("pk"), looked_at__gt=clock.now() - LOOKS_EVERY)
    links = ModuleVersion.objects.filter(module__kind=LINK).exclude(module__state=ModuleState.DELETED)
    return list(links.filter(~Exists(newer), ~Exists(looked)).order_by("pk").values_list("pk", flat=True))


def look_at_link(version: ModuleVersion) -> LinkLook:
    """Ask a link's server whether it is there, and keep what it said; since when it is dead stays as it was."""
    trouble = ""
    try:
        fetching.fetch(str(version.data["url"]), most=1024)
    except LibraryError as refusal:
        trouble = str(refusal)[:300]
    before = LinkLook.objects.filter(version=version).first()
    since = (before.dead_since if before and before.dead_since else clock.now()) if trouble else None
    values = {"looked_at": clock.now(), "trouble": trouble, "dead_since": since}
    return LinkLook.objects.update_or_create(version=version, defaults=values)[0]


def dead_notes(keys: Sequence[int], _: date) -> Mapping[int, str]:
    """Module → "does not answer since 3 Nov 2026", for those whose newest look found nothing."""
    looks = LinkLook.objects.filter(version__module__in=list(keys), dead_since__isnull=False)
    rows = looks.order_by("version__number").values_list("version__module", "dead_since")
    return {
        module: f"does not answer since {day(since.astimezone(clock.zone()).date())}" for module, since in rows if since
    }
