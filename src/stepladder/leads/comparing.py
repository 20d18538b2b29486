"""Who comes to answer to whom by an act, and who no longer does."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping
from datetime import date

from django.utils.translation import ngettext

from stepladder import events
from stepladder.leads.models import Lead
from stepladder.leads.queries import direct_leaders, in_fields, in_fields_of
from stepladder.people.models import Person
from stepladder.people.queries import valid_on

__all__ = ["LinesCompared"]

SHOWN = 4
# Person → whom they answer to directly.
Lines = Mapping[int, set[int]]
# More people than a condition takes: then everybody is looked at.
MANY = 20_000


class LinesCompared:
    """Who answers directly to whom on a day, before an act and after it. For the rehearsal of acts."""

    def __init__(self, day: date) -> None:
        self._day = day
        self._leads = _leads(day)
        self._changed: set[int] = set()
        self._people: list[int] = []
        self._touched: set[int] = set()
        self._before: Lines = {}
        self._after: Lines = {}

    def look_after(self, people: list[int]) -> None:
        self._people, self._changed = people, self._leads ^ _leads(self._day)
        self._touched = _touched(people, self._changed, self._day)
        self._after = _lines(self._touched, self._day)

    def look_before(self) -> bool:
        both = self._touched | _touched(self._people, self._changed, self._day)
        self._before = _lines(both, self._day)
        # Somebody may have had a field that they will not have: how those in it stand then is to be seen too.
        grown, self._touched = both != self._touched, both
        return grown

    def look_after_again(self) -> None:
        self._after = _lines(self._touched, self._day)

    def lines(self) -> list[events.EffectLine]:
        return _of_lines(self._before, self._after)


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
