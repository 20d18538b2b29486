"""People named in a text, as it is pasted: numbers, e-mail addresses or whole names, one a line or parted by commas."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from django.db.models import QuerySet
from django.db.models.functions import Lower

from stepladder.core.finding import fold
from stepladder.people.models import Person

__all__ = ["MOST_NAMED", "NamedPeople", "named_people"]

# So many are read of one text; whoever means more uses conditions, or a group.
MOST_NAMED = 2_000
_PARTING = re.compile(r"[,;\n\r\t]+")


@dataclass(frozen=True)
class NamedPeople:
    """Who is named, once each and in the order of the text; what names nobody, what names several, and how many were too many."""

    people: list[Person]
    unknown: list[str] = field(default_factory=list)
    several: list[str] = field(default_factory=list)
    left_out: int = 0


def named_people(text: str, among: QuerySet[Person] | None = None) -> NamedPeople:
    """The people that a text names, of *among* (None: of all); three queries, however long it is."""
    said = [" ".join(part.split()) for part in _PARTING.split(text)]
    parts = list(dict.fromkeys(part for part in said if part))
    read, rows = parts[:MOST_NAMED], Person.objects.all() if among is None else among
    by_key: dict[str, list[Person]] = {}
    plain = [part.lower() for part in read]
    for column in ("employee_number", "email"):
        found = rows.annotate(named_by=Lower(column)).filter(named_by__in=_but_empty(plain))
        for person in found:
            by_key.setdefault(getattr(person, column).lower(), []).append(person)
    by_name = _by_name(rows, [part for part in read if part.lower() not in by_key and " " in part])
    who = {part: by_key.get(part.lower()) or by_name.get(fold(part), []) for part in read}
    return NamedPeople(
        list(dict.fromkeys(people[0] for people in who.values() if len(people) == 1)),
        [part for part, people in who.items() if not people],
        [part for part, people in who.items() if len(people) > 1],
        len(parts) - len(read),
    )


def _but_empty(values: Iterable[str]) -> list[str]:
    return [value for value in values if value]


def _by_name(rows: QuerySet[Person], names: Sequence[str]) -> dict[str, list[Person]]:
    """Folded whole name, either way round → who is called so."""
    if not names:
        return {}
    split = [name.split() for name in names]
    # Whichever of its words are the family name, at its end or at its beginning.
    families = {" ".join(part) for words in split for n in range(1, len(words)) for part in (words[n:], words[:n])}
    found: dict[str, list[Person]] = {}
    for person in rows.annotate(named_by=Lower("family_name")).filter(named_by__in=[f.lower() for f in families]):
        for written in (f"{person.given_name} {person.family_name}", f"{person.family_name} {person.given_name}"):
            found.setdefault(fold(written), []).append(person)
    return found
