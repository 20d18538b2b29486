"""What an act on people, charts or leads would do, before it is done.

The act itself is rehearsed: run in a transaction that is rolled back, with its events held. So what is foretold is what the
act does, its refusals included, and there is no second set of rules that could part from the first.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from contextlib import contextmanager
from datetime import date

from django.db import transaction
from django.utils.translation import ngettext

from stepladder import events
from stepladder.people.models import Lead, Person
from stepladder.people.queries import direct_leaders, in_fields, in_fields_of, valid_on

__all__ = ["rehearse"]

SHOWN = 4
# Person → whom they answer to directly.
Lines = Mapping[int, set[int]]
# More people than a condition takes: then everybody is looked at.
MANY = 20_000
OF_PEOPLE = (events.ChartChanged, events.EmploymentChanged, events.PlacementChanged)


def rehearse(act: Callable[[], object], *, day: date) -> list[events.EffectLine]:
    """What the act would do, seen on a day. Raises what the act raises."""
    leads = _leads(day)
    with _rolled_back(act) as people:
        changed = leads ^ _leads(day)
        touched = _touched(people, changed, day)
        after = _lines(touched, day)
        foretold = events.propose(events.PeopleProposed(tuple(people))) if people else []
    both = touched | _touched(people, changed, day)
    if both != touched:
        # Somebody had a field that they will not have: how those in it stand then is to be seen too.
        with _rolled_back(act):
            after = _lines(both, day)
    return _of_lines(_lines(both, day), after) + foretold


@contextmanager
def _rolled_back(act: Callable[[], object]) -> Iterator[list[int]]:
    """Within the block the act is done, and nobody was told; whom it touches."""
    with transaction.atomic():
        with events.held() as announced:
            act()
        yield sorted({key for event in announced if isinstance(event, OF_PEOPLE) for key in event.people})
        transaction.set_rollback(True)


def _leads(day: date) -> set[int]:
    return set(Lead.objects.filter(valid_on(day)).values_list("pk", flat=True))


def _touched(people: Collection[int], leads: Collection[int], day: date) -> set[int]:
    """Whose lines may be others: these people, whoever is in a field that they lead, and in the fields of these leads."""
    return {*people, *in_fields_of(people, day), *in_fields(leads, day)}


def _lines(people: Collection[int], day: date) -> Lines:
    return direct_leaders(sorted(people) if len(people) < MANY else None, day)


def _of_lines(before: Lines, after: Lines) -> list[events.EffectLine]:
    """Who comes to answer to whom, and who no longer does; who answers to nobody then."""
    old, new = _pairs(before), _pairs(after)
    gained, lost = Counter(leader for _, leader in new - old), Counter(leader for _, leader in old - new)
    names = {p.pk: p.name for p in Person.objects.filter(pk__in=[*gained, *lost])}
    found = []
    for counts, texts in (
        (gained, ("person answers directly to %s from then on", "people answer directly to %s from then on")),
        (lost, ("person no longer answers directly to %s", "people no longer answer directly to %s")),
    ):
        for leader, count in counts.most_common(SHOWN):
            found.append(events.EffectLine(ngettext(*texts, count) % names[leader], count))
        rest = list(counts.most_common())[SHOWN:]
        if rest:
            text = ngettext("further leader is touched likewise", "further leaders are touched likewise", len(rest))
            found.append(events.EffectLine(text, len(rest)))
    alone = {person for person, leaders in before.items() if leaders and not after.get(person)}
    if alone:
        text = ngettext("person answers to nobody then", "people answer to nobody then", len(alone))
        found.append(events.EffectLine(text, len(alone), details=_names(alone)))
    return found


def _pairs(lines: Lines) -> set[tuple[int, int]]:
    return {(person, leader) for person, leaders in lines.items() for leader in leaders}


def _names(keys: Iterable[int]) -> tuple[str, ...]:
    shown = Person.objects.filter(pk__in=list(keys)).order_by("family_name", "given_name")[:SHOWN]
    return tuple(person.name for person in shown)
