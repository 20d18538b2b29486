"""What a learner notes at a place of a module. Private: nobody else sees it, and no act of it is journaled."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.urls import reverse

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.library.kinds import kind_named
from stepladder.library.models import Module, ModuleVersion
from stepladder.playing.models import Note
from stepladder.refusals import Refusal
from stepladder.search import index

__all__ = [
    "LONGEST_NOTE",
    "NoteGone",
    "NotedModule",
    "as_markdown",
    "change_note",
    "documents",
    "drop_note",
    "noted_modules",
    "notes_at",
    "visible_notes",
    "write_note",
]

LONGEST_NOTE = 4000
# Nobody notes more at one module; beyond that it is a mistake of a program.
MOST_NOTES = 1000


class NoteGone(Refusal):
    """A note that cannot be kept; the message says why."""


@transaction.atomic
def write_note(*, version: ModuleVersion, place: float, text: str, by: Account) -> Note:
    """A new note at a place of a version: a second, a page, a part. Raises NoteGone where there is no room for one more."""
    policy.require(by, "learn")
    if Note.objects.filter(account=by, module=version.module_id).count() >= MOST_NOTES:
        raise NoteGone(f"You have {MOST_NOTES} notes here already. Remove some; this one was not kept.")
    now = clock.now()
    note = Note.objects.create(
        account=by, module=version.module, version=version, place=place, text=text, made_at=now, changed_at=now
    )
    index.refresh("note", (note.pk,))
    return note


@transaction.atomic
def change_note(*, note: Note, text: str, by: Account) -> Note:
    """Other words at the same place."""
    policy.require(by, "learn", note)
    note.text, note.changed_at = text, clock.now()
    note.save(update_fields=["text", "changed_at"])
    index.refresh("note", (note.pk,))
    return note


@transaction.atomic
def drop_note(*, note: Note, by: Account) -> None:
    """The note is gone."""
    policy.require(by, "learn", note)
    key = note.pk
    note.delete()
    index.refresh("note", (key,))


def notes_at(account: Any, module: Module) -> list[Note]:
    """The account's notes at a module, by their places."""
    return list(Note.objects.filter(account=account, module=module).select_related("version"))


def place_of(note: Note) -> str:
    """Where a note is, in words; empty for a whole that has no places."""
    return kind_named(note.module.kind).place(note.version.data if note.version else {}, note.place)


@dataclass(frozen=True)
class NotedModule:
    """A module with the notes that were made at it, each with its place in words."""

    module: Module
    notes: list[tuple[str, Note]]


def noted_modules(account: Any) -> list[NotedModule]:
    """All notes of an account by module, the module that was noted at last first."""
    notes = Note.objects.filter(account=account).select_related("module", "version").order_by("place", "pk")
    found: dict[int, list[Note]] = {}
    for note in notes:
        found.setdefault(note.module_id, []).append(note)
    newest = sorted(found.values(), key=lambda some: max(note.changed_at for note in some), reverse=True)
    return [NotedModule(some[0].module, [(place_of(note), note) for note in some]) for some in newest]


def as_markdown(noted: Sequence[NotedModule]) -> str:
    """The notes as a text to keep elsewhere."""
    lines: list[str] = ["# My notes"]
    for one in noted:
        lines += ["", f"## {one.module.title}", ""]
        for place, note in one.notes:
            first, *rest = note.text.splitlines() or [""]
            lines += [f"- {f'**{place}** ' if place else ''}{first}", *(f"  {line}" for line in rest)]
    return "\n".join(lines) + "\n"


def visible_notes(account: Any) -> Any:
    """The notes that an account may find: its own."""
    return policy.visible(account, "learn", Note.objects.all())


def documents(keys: Iterable[int] | None) -> list[index.Document]:
    """What the search knows of notes."""
    notes = Note.objects.select_related("module", "version")
    if keys is not None:
        notes = notes.filter(pk__in=keys)
    return [
        index.Document("note", n.pk, n.module.title, n.text, reverse("playing:note", args=[n.public_id]), place_of(n))
        for n in notes
    ]
