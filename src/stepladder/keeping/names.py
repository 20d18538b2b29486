"""Where somebody's name stands in words: in the journal, and in rows that say who made or decided something."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from typing import Any

from django.apps import apps
from django.db.models import Model

from stepladder.accounts.models import Account
from stepladder.facts import Fact
from stepladder.journal.models import Entry
from stepladder.people.models import Person

__all__ = ["names_of", "rename", "without_names"]

# Columns that hold the name of an account as it was then.
SAID_BY = frozenset(
    {"actor_name", "asked_by", "by_name", "changed_by", "decided_by", "granted_by", "made_by", "signed_off_by"}
)
# What stands for words that were taken out.
BLANK = "…"
# Days, as data of entries have them: they name nobody.
_DAY = re.compile(r"\d{4}-\d\d-\d\d|\d{1,2} [A-Z][a-z]{2} \d{4}")


def names_of(person: Person) -> list[str]:
    """Everything by which somebody, and nobody else, is named: names in both orders, e-mail, phone, what other systems call them.

    A name that somebody else has too is none of them: in words it may be theirs, and only what is known by a key is taken out.
    """
    found = [person.email, person.phone, person.outside_id]
    if person.account is not None:
        found.append(person.account.email)
    if not _has_namesake(person):
        found += [person.name, f"{person.family_name}, {person.given_name}"]
        found += [person.account.name] if person.account is not None else []
    return sorted({name for name in found if name and len(name) > 3}, key=len, reverse=True)


def _has_namesake(person: Person) -> bool:
    others = Person.objects.filter(given_name=person.given_name, family_name=person.family_name).exclude(pk=person.pk)
    names = {person.name, person.account.name} if person.account is not None else {person.name}
    accounts = Account.objects.filter(name__in=names).exclude(pk=person.account_id or 0)
    return others.exists() or accounts.exists()


def rename(old: Iterable[str], new: str) -> list[Fact]:
    """Put another name where one of these stands for who made, changed or decided something; the facts among them, for the journal."""
    facts: list[Fact] = []
    names = list(old)
    for model in apps.get_models():
        # Entries of the journal are shortened with what keeps their chain true.
        if model is Entry or not model.__module__.startswith("stepladder."):
            continue
        for column in SAID_BY & {f.name for f in model._meta.concrete_fields}:
            facts += _rename(model, column, names, new)
    return facts


def _rename(model: type[Model], column: str, names: list[str], new: str) -> list[Fact]:
    rows: Any = model._base_manager
    keys = list(rows.filter(**{f"{column}__in": names}).values_list("pk", flat=True))
    if not keys:
        return []
    rows.filter(pk__in=keys).update(**{column: new})
    return list(rows.filter(pk__in=keys)) if issubclass(model, Fact) else []


def without_names(names: list[str], new: str, ids: set[str]) -> Callable[[Entry], tuple[str, str, Any]]:
    """What of an entry is left: (actor, object, data) with another name for these, and of entries about *ids* no words at all."""
    named = re.compile("|".join(rf"(?<!\w){re.escape(name)}(?!\w)" for name in names)) if names else None

    def renamed(text: str) -> str:
        return named.sub(new, text) if named else text

    def words(entry: Entry) -> tuple[str, str, Any]:
        is_about = entry.object_id in ids
        data = _walked(entry.data, _blanked if is_about else renamed)
        actor = new if entry.actor_id in ids else renamed(entry.actor_name)
        return actor, new if is_about else renamed(entry.object_name), data

    return words


def _blanked(text: str) -> str:
    return text if not text or _DAY.fullmatch(text) else BLANK


def _walked(value: Any, say: Callable[[str], str]) -> Any:
    if isinstance(value, str):
        return say(value)
    if isinstance(value, list):
        return [_walked(one, say) for one in value]
    if isinstance(value, dict):
        return {key: _walked(one, say) for key, one in value.items()}
    return value
