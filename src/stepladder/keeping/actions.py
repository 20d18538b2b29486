"""Keeping only the number of who has left, and for how many years more is kept."""

from __future__ import annotations

import secrets
from functools import partial
from pathlib import Path

from django.db import transaction

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.accounts.actions import change_organisation
from stepladder.accounts.models import Account
from stepladder.accounts.organisation import organisation
from stepladder.facts import Fact
from stepladder.journal.actions import Actor, Named, record
from stepladder.journal.shortening import entries_naming, shorten_entries
from stepladder.keeping import parts
from stepladder.keeping.errors import KeepingError
from stepladder.keeping.names import names_of, rename, without_names
from stepladder.keeping.who import obstacle
from stepladder.people.models import Person

__all__ = ["FEWEST_YEARS", "MOST_YEARS", "entries_of", "keep_number_only", "set_years"]

FEWEST_YEARS, MOST_YEARS = 1, 99


@transaction.atomic
def set_years(*, years: int | None, by: Account) -> None:
    """After how many years only the number of who left is kept; None: everything is kept. Raises KeepingError."""
    policy.require(by, "shorten people")
    if years is not None and not FEWEST_YEARS <= years <= MOST_YEARS:
        raise KeepingError(f"Between {FEWEST_YEARS} and {MOST_YEARS} years, or nothing for ever.")
    ours = organisation()
    ours.keep_years = years
    change_organisation(organisation=ours, by=by)


def entries_of(person: Person) -> list[int]:
    """The entries of the journal that name somebody, or are by or about them: of millions it takes a second, so it is asked for before
    the act."""
    return entries_naming(names_of(person), ids=_ids(person))


def _ids(person: Person) -> list[str]:
    return [person.public_id, *([person.account.public_id] if person.account else [])]


@transaction.atomic
def keep_number_only(*, person: Person, entries: list[int], by: Actor) -> None:
    """Shorten somebody who has left to their number: names and words go, facts and the journal's chain stay.

    *entries*: those of the journal that name them (entries_of). It cannot be taken back. Raises KeepingError.
    """
    policy.require(by, "shorten people", person)
    person = Person.objects.select_related("account").select_for_update().get(pk=person.pk)
    if trouble := obstacle(person):
        raise KeepingError(trouble)
    names, ids = names_of(person), set(_ids(person))
    files = parts.imported_files(person)
    facts = parts.clear(person)
    person.given_name, person.family_name = "No.", person.employee_number
    facts += rename(names, person.name)
    _shorten(person, by)
    written = shorten_entries(entries, without_names(names, person.name, ids))
    data = {"rows": len(facts), "entries": written}
    about = Named("person", person.public_id, person.name)
    entry = record("keep_number_only", by=by, about=about, data=data, rows=_newest(facts))
    events.announce(events.EmploymentChanged((person.pk,)), entry.act)
    # Whole files go: who else stood in one is a person of their own by now.
    transaction.on_commit(partial(_drop, files))


def _drop(files: list[Path]) -> None:
    for path in files:
        path.unlink(missing_ok=True)


def _newest(facts: list[Fact]) -> list[Fact]:
    """Each row once, as it is now: two parts may have emptied the same one."""
    keys = {(type(fact), fact.pk) for fact in facts}
    return [model._default_manager.get(pk=key) for model, key in sorted(keys, key=lambda k: (k[0].__name__, k[1]))]


def _shorten(person: Person, by: Actor) -> None:
    person.email, person.phone, person.outside_id = "", "", None
    person.shortened_on = clock.today()
    person.revision += 1
    person.changed_at, person.changed_by = clock.now(), by.name
    person.save()
    if person.account is None:
        return
    account = person.account
    account.name = person.name
    # An address that no mail server has, and no password: nobody signs in by it again.
    account.email = f"{secrets.token_hex(8)}@shortened.invalid"
    account.set_unusable_password()
    account.has_left, account.is_active = True, False
    account.sign_ins_of += 1
    account.wants_journal_head = False
    account.save()
