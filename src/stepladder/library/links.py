"""Links as modules: made, changed, and looked at once a week for being dead."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
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
from stepladder.library.link_pages import Page, page_at
from stepladder.library.models import Binder, Folder, LinkLook, Module, ModuleState, ModuleVersion
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
# Where nobody says how long it takes, its page neither.
UNSAID_MINUTES = 5


def prepare_link(
    *, url: str, title: str = "", description: str = "", minutes: int = 0, done_when: str = "opened"
) -> Worked:
    """What a link is made of. Where links are fetched, its page says what was not said here, and shows its picture; else it is called as
    its server.

    It may ask the web, so it is called before a transaction, never in one: nobody else could write meanwhile. Raises FetchRefused where
    it is no web address.
    """
    url = fetching.check_address(url)
    if done_when not in DONE_WHEN:
        raise LibraryError("Say when it is done.")
    data: dict[str, Any] = {"url": url, "done_when": done_when}
    page = Page()
    if organisation().fetches_links:
        try:
            page = page_at(url)
        except LibraryError:
            # It is looked at again in a week; what is dead is said there, not here.
            pass
        else:
            data["may_be_framed"] = page.may_be_framed
    title = title.strip()[:200] or page.title or host_of(data)
    return Worked(title, minutes or page.minutes or UNSAID_MINUTES, data, description, page.still)


def create_link(*, binder: Binder, worked: Worked, by: Actor, folder: Folder | None = None) -> ModuleVersion:
    """A module that leads elsewhere, as `prepare_link` made it ready."""
    return create_module(binder=binder, kind=KIND, worked=worked, by=by, folder=folder)


def change_link(*, module: Module, worked: Worked, by: Actor) -> ModuleVersion:
    """Another address, or another way to be done: a newer version, for editions released after it."""
    return add_version(module=module, worked=worked, by=by)


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
