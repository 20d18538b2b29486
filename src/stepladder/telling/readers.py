"""To whom what a rule says goes: the person, whoever they answer to, a course's contact, administrators of their part, the named."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from datetime import date

from stepladder.accounts.models import Role, RoleGrant
from stepladder.charts.dated_charts import units_tree
from stepladder.charts.models import AdministeredPart
from stepladder.core.leads import Power
from stepladder.courses.models import Offer
from stepladder.leads.queries import reporting_lines
from stepladder.people.models import Person, Placement
from stepladder.people.queries import valid_on
from stepladder.telling.finding import Finding
from stepladder.telling.models import NoticeRule

__all__ = ["readers_of"]

To = NoticeRule.To


def readers_of(findings: Sequence[Finding], day: date) -> dict[int, list[Finding]]:
    """Reader → what is to be told to them, in few queries. Nobody reads of themselves as one of their people."""
    subjects = {to: {one.person for one in findings if to in one.rule.to} for to in (To.LEADS, To.ADMINISTRATORS)}
    leaders, administrators = _leaders(subjects[To.LEADS], day), _administrators(subjects[To.ADMINISTRATORS], day)
    contacts = _contacts(findings)
    named = {one.rule.pk: [person.pk for person in one.rule.named.all()] for one in findings}
    found: dict[int, list[Finding]] = defaultdict(list)
    for one in findings:
        others = set(named[one.rule.pk])
        if To.LEADS in one.rule.to:
            others |= leaders.get(one.person, set())
        if To.ADMINISTRATORS in one.rule.to:
            others |= administrators.get(one.person, set())
        if To.CONTACT in one.rule.to and (contact := contacts.get((one.is_path, one.thing))):
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


def _administrators(people: Collection[int], day: date) -> dict[int, set[int]]:
    """Person → the unit administrators of a part that they are placed in; where there is none, the administrators."""
    if not people:
        return {}
    tree = units_tree(day)
    parts: dict[int, set[int]] = defaultdict(set)
    for unit, account in AdministeredPart.objects.filter(account__is_active=True).values_list("unit_id", "account_id"):
        parts[unit].add(account)
    grants = RoleGrant.objects.filter(role=Role.ADMINISTRATOR, account__is_active=True)
    every = set(grants.values_list("account_id", flat=True))
    accounts = every | set().union(*parts.values())
    person_of = dict(Person.objects.filter(account__in=accounts).values_list("account_id", "pk"))
    found: dict[int, set[int]] = {person: set() for person in people}
    placed = Placement.objects.filter(valid_on(day), person__in=sorted(people))
    for person, unit in placed.values_list("person_id", "unit_id"):
        for above in tree.upwards(unit) if unit in tree.parent else (unit,):
            found[person] |= {person_of[account] for account in parts.get(above, ()) if account in person_of}
    fallback = {person_of[account] for account in every if account in person_of}
    return {person: those or fallback for person, those in found.items()}


def _contacts(findings: Sequence[Finding]) -> Mapping[tuple[bool, int], int]:
    """(whether it is a path, its key) → who is named to be asked about it."""
    if not any(To.CONTACT in one.rule.to for one in findings):
        return {}
    rows = Offer.objects.filter(contact__isnull=False).values_list("course_id", "path_id", "contact_id")
    return {(course is None, course or path): contact for course, path, contact in rows}
