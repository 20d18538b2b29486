"""The Journal sheet: entries found by person, object, verb and day; one entry with what was before and after; taking back."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any

from django.core.exceptions import PermissionDenied
from django.db.models import Q, QuerySet

from stepladder import clock
from stepladder.accounts import policy
from stepladder.journal import undoing, verbs
from stepladder.journal.actions import Actor
from stepladder.journal.models import Entry
from stepladder.journal.queries import as_sentence
from stepladder.search.words import words_of

__all__ = ["EntrySheet", "JournalLine", "entries", "entry_sheet", "lines", "register", "take_back", "verb_choices"]


@dataclass(frozen=True)
class JournalLine:
    """An entry in the list."""

    number: int
    at: datetime
    actor: str
    about: str
    text: str
    taken_back: bool
    takes_back: int | None


def entries(
    *, actor: str = "", about: str = "", verb: str = "", first: date | None = None, last: date | None = None
) -> QuerySet[Entry]:
    """Entries by who acted, on what (names as then known), how, and between two days; the newest first."""
    rows = Entry.objects.order_by("-number")
    for word in words_of(actor):
        rows = rows.filter(actor_name__icontains=word)
    for word in words_of(about):
        rows = rows.filter(Q(object_name__icontains=word) | Q(object_id=word))
    # What no act was recorded for is of use only to who asks for it.
    rows = rows.filter(verb=verb) if verb else rows.exclude(verb="write")
    if first:
        rows = rows.filter(at__gte=_start(first))
    if last:
        rows = rows.filter(at__lt=_start(last + timedelta(days=1)))
    return rows


def _start(day: date) -> datetime:
    return datetime.combine(day, time(), tzinfo=clock.zone())


def lines(rows: Iterable[Entry]) -> list[JournalLine]:
    """A page of entries as sentences."""
    page = list(rows)
    numbers = [entry.number for entry in page]
    taken_back = set(Entry.objects.filter(takes_back__in=numbers).values_list("takes_back", flat=True))
    return [
        JournalLine(e.number, e.at, e.actor_name, e.object_name, as_sentence(e), e.number in taken_back, e.takes_back)
        for e in page
    ]


def verb_choices() -> list[tuple[str, str]]:
    """Every verb there is, with how one calls it."""
    return [(name, name.replace("_", " ")) for name in verbs.names()]


@dataclass(frozen=True)
class EntrySheet:
    """One entry: what was before, what was after, and whether it can be taken back, or what stands against it."""

    line: JournalLine
    before: list[str]
    after: list[str]
    more: int
    may_take_back: bool
    obstacles: list[str]
    taken_back_by: JournalLine | None


SHOWN = 100


def entry_sheet(entry: Entry, account: Any) -> EntrySheet:
    """What the journal knows of an act."""
    before, after, count = undoing.rows_in_words(entry, limit=SHOWN)
    back = Entry.objects.filter(takes_back=entry.number).first()
    allowed = undoing.may_be_taken_back(entry) and _may(entry, account)
    return EntrySheet(
        lines([entry])[0],
        before,
        after,
        max(count - SHOWN, 0),
        allowed,
        undoing.obstacles(entry) if allowed else [],
        lines([back])[0] if back else None,
    )


def _may(entry: Entry, account: Any) -> bool:
    return bool(policy.may(account, "take back", entry)) and _may_all(entry, account)


def _may_all(entry: Entry, account: Any) -> bool:
    """Whether the account may still do it, to everything that the act was done to."""
    needs, objects = undoing.needs(entry), undoing.whose(entry)
    if objects is None or policy.sees_every(account, needs):
        return bool(policy.may(account, needs))
    return policy.visible(account, needs, objects).count() == objects.count()


def take_back(*, entry: Entry, by: Actor) -> Entry:
    """Take an act back: one's own, or as an administrator anybody's. Raises CannotTakeBack."""
    policy.require(by, "take back", entry)
    if undoing.may_be_taken_back(entry) and not _may_all(entry, by):
        raise PermissionDenied("Not all of what it was done to is yours to change any more. Ask an administrator.")
    return undoing.take_back(entry, by=by)


def register() -> None:
    policy.relation(
        Entry,
        policy.OWN,
        holds=lambda account, entry: entry.actor_id == account.public_id,
        rows=lambda account: Q(actor_id=account.public_id),
        refusal="Only who did this, or an administrator, can take it back.",
    )
