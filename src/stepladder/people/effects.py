"""What an act on people, charts or leads would do, before it is done.

The act itself is rehearsed: run in a transaction that is rolled back, with its events held. So what is foretold is what the
act does, its refusals included, and there is no second set of rules that could part from the first.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable
from datetime import date

from django.db import transaction
from django.utils.translation import ngettext

from stepladder import events
from stepladder.core.leads import Line
from stepladder.people.models import Person
from stepladder.people.queries import lines_between

__all__ = ["rehearse"]

SHOWN = 4
OF_PEOPLE = (events.ChartChanged, events.EmploymentChanged, events.PlacementChanged)


def rehearse(act: Callable[[], object], *, day: date, everybody: bool = False) -> list[events.EffectLine]:
    """What the act would do, seen on a day. *everybody*: its effect on lines is not told by the people it announces.

    Raises what the act raises.
    """
    before = lines_between(None, day)
    with transaction.atomic():
        with events.held() as announced:
            act()
        people = sorted({key for event in announced if isinstance(event, OF_PEOPLE) for key in event.people})
        after = lines_between(None, day) if everybody or people else before
        lines = _of_lines(before, after)
        if people:
            lines += events.propose(events.PeopleProposed(tuple(people)))
        transaction.set_rollback(True)
    return lines


def _of_lines(before: Iterable[Line], after: Iterable[Line]) -> list[events.EffectLine]:
    """Who comes to answer to whom, and who no longer does; who answers to nobody then."""
    old, new = _direct(before), _direct(after)
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
    alone = {line.person for line in before} - {line.person for line in after}
    if alone:
        text = ngettext("person answers to nobody then", "people answer to nobody then", len(alone))
        found.append(events.EffectLine(text, len(alone), details=_names(alone)))
    return found


def _direct(lines: Iterable[Line]) -> set[tuple[int, int]]:
    return {(line.person, line.leader) for line in lines if line.direct}


def _names(keys: Iterable[int]) -> tuple[str, ...]:
    shown = Person.objects.filter(pk__in=list(keys)).order_by("family_name", "given_name")[:SHOWN]
    return tuple(person.name for person in shown)
