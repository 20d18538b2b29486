"""To whom what a rule says goes: the person, whoever they answer to, a course's contact, administrators of their part, the named."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from datetime import date

from stepladder.accounts.models import Role
from stepladder.charts.dated_charts import units_tree
from stepladder.charts.models import AdministeredPart
from stepladder.core.leads import Power
from stepladder.courses.models import Offer
from stepladder.leads.queries import reporting_lines
from stepladder.people.models import Person, Placement
from stepladder.people.queries import valid_on
from stepladder.telling.finding import Finding
from stepladder.telling.models import NoticeRule

__all__ = ["administrators", "contacts", "readers_of"]

To = NoticeRule.To


def readers_of(findings: Sequence[Finding], day: date) -> dict[int, list[Finding]]:
    """Reader → what is to be told to them, in few queries. Nobody reads of themselves as one of their people."""
    subjects = {to: {one.person for one in findings if to in one.rule.to} for to in (To.LEADS, To.ADMINISTRATORS)}
    leaders, of_part = _leaders(subjects[To.LEADS], day), _of_their_part(subjects[To.ADMINISTRATORS], day)
    asked_about = contacts() if any(To.CONTACT in one.rule.to for one in findings) else {}
    named = {one.rule.pk: [person.pk for person in one.rule.named.all()] for one in findings}
    found: dict[int, list[Finding]] = defaultdict(list)
    for one in findings:
        others = set(named[one.rule.pk])
        if To.LEADS in one.rule.to:
            others |= leaders.get(one.person, set())
        if To.ADMINISTRATORS in one.rule.to:
            others |= of_part.get(one.person, set())
        if To.CONTACT in one.rule.to and (contact := asked_about.get((one.is_path, one.thing))):
            others.add(contact)
        others.discard(one.person)
        if To.PERSON in one.rule.to:
            others.add(one.person)
        for reader in others:
            found[reader].append(one)
    return dict(found)


def _leaders(people: Collection[int], day: date) -> dict[int, set[int]]:
    """Person → those they answer to directly who receive notices; where none does, the others above who do."""
    direct: dict[int, set[int]] = defaultdict(set)
    above: dict[int, set[int]] = defaultdict(set)
    for line in reporting_lines(sorted(people), day) if people else ():
        if Power.NOTICES in line.powers:
            (direct if line.direct else above)[line.person].add(line.leader)
    return {person: direct.get(person) or above[person] for person in {*direct, *above}}


def _of_their_part(people: Collection[int], day: date) -> dict[int, set[int]]:
    """Person → the unit administrators of a part that they are placed in; where there is none, the administrators."""
    if not people:
        return {}
    tree = units_tree(day)
    parts: dict[int, set[int]] = defaultdict(set)
    for unit, account in AdministeredPart.objects.filter(account__is_active=True).values_list("unit_id", "account_id"):
        parts[unit].add(account)
    every = administrators()
    in_parts = set[int]().union(*parts.values())
    person_of = every | dict(Person.objects.filter(account__in=in_parts).values_list("account_id", "pk"))
    found: dict[int, set[int]] = {person: set() for person in people}
    placed = Placement.objects.filter(valid_on(day), person__in=sorted(people))
    for person, unit in placed.values_list("person_id", "unit_id"):
        for above in tree.upwards(unit) if unit in tree.parent else (unit,):
            found[person] |= {person_of[account] for account in parts.get(above, ()) if account in person_of}
    fallback = set(every.values())
    return {person: those or fallback for person, those in found.items()}


def administrators() -> dict[int, int]:
    """Account → person of every administrator who signs in."""
    granted = Person.objects.filter(account__grants__role=Role.ADMINISTRATOR, account__is_active=True)
    return dict(granted.values_list("account_id", "pk"))


def contacts() -> Mapping[tuple[bool, int], int]:
    """(whether it is a path, its key) → who is named to be asked about it."""
    rows = Offer.objects.filter(contact__isnull=False).values_list("course_id", "path_id", "contact_id")
    return {(course is None, course or path): contact for course, path, contact in rows}
