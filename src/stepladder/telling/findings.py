"""What the rules have to say on a day, and to whom. Rule: 13."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import date, timedelta

import numpy as np
from django.db.models import Q, QuerySet

from stepladder.accounts.models import Account
from stepladder.accounts.organisation import organisation
from stepladder.core.columns import NO_DAY, RequirementColumns
from stepladder.core.requirements import WORST_FIRST, Requirement, Status
from stepladder.core.telling import Moment, QuietDays, days_meant, spoken_of
from stepladder.people.models import Leave, Person
from stepladder.people.queries import active_on
from stepladder.telling.completed import completed_between
from stepladder.telling.finding import Finding
from stepladder.telling.levels import AskedOn, Level, asked_on
from stepladder.telling.matters import Matter, matters_of
from stepladder.telling.models import OF_NOBODY, NoticeRule
from stepladder.telling.readers import readers_of

__all__ = ["LATEST", "TheDay", "quiet_days", "running_rules"]

# What was missed, or waits for somebody's leave to end, is told so many days later at most.
LATEST = timedelta(days=60)
ONE_DAY, WEEK = timedelta(days=1), timedelta(days=7)


def quiet_days() -> QuietDays:
    """The days on which the organisation has nothing sent."""
    settings = organisation()
    dates = frozenset(date.fromisoformat(day) for day, _ in settings.quiet_dates)
    return QuietDays(frozenset(settings.quiet_weekdays), dates)


def running_rules() -> QuerySet[NoticeRule]:
    """The rules that speak now, the earliest of each moment first."""
    rows = NoticeRule.objects.filter(ended_at__isnull=True).select_related("course", "path", "assignment")
    return rows.prefetch_related("named").order_by("moment", "offset", "pk")


class TheDay:
    """The run of one day: what each reader is to be told. *since*: the day of the run before.

    Nothing is told on a quiet day, nor to who is on leave; whoever is back is told what was meant meanwhile and still holds.
    """

    def __init__(self, day: date, since: date) -> None:
        self.day, self.quiet, self.rules = day, quiet_days(), list(running_rules())
        self.readers: dict[int, list[Finding]] = {}
        # What is of nobody in particular.
        self.matters: dict[int, list[Matter]] = {}
        self.away, back = self._leave()
        if day in self.quiet or not self.rules:
            return
        of_nobody = [rule for rule in self.rules if rule.moment in OF_NOBODY]
        found = matters_of(of_nobody, day, back=back) if of_nobody else {}
        self.matters = {reader: matters for reader, matters in found.items() if reader not in self.away}
        first = max(since + ONE_DAY, day - LATEST)
        self._never, self._weekly = (_who_wants(how) for how in (Account.Suggestions.NEVER, Account.Suggestions.WEEKLY))
        # Once a week is on its first working day.
        self._is_first = day == self.quiet.after(day - timedelta(days=day.weekday()))
        # From the last run's own day on: what was completed after that run is not told yet, and nothing is told twice.
        self._tell(completed_between(self.rules, max(since, day - LATEST), day))
        self._tell(self._found(asked_on(day), _days(first, day)))
        if self._is_first and self._weekly:
            week = self._found(asked_on(day, people=sorted(self._weekly)), _days(day - WEEK, first - ONE_DAY))
            self._tell((one for one in week if _is_suggested(one)), only=self._weekly)
        if back:
            # Of themselves only: what their lines did meanwhile, others who lead them with them have read.
            people = sorted(back)
            missed = self._found(asked_on(day, people=people), _days(min(back.values()), first - ONE_DAY))
            self._tell((one for one in missed if one.sent >= back[one.person]), only=set(people))

    def _leave(self) -> tuple[set[int], dict[int, date]]:
        """Who is on leave; and who is back since the last working day, with the first day of their leave."""
        before = self.quiet.before(self.day - ONE_DAY)
        known = Leave.objects.known_now()
        on_day = Q(from_day__lte=self.day) & (Q(to_day__isnull=True) | Q(to_day__gte=self.day))
        away = set(known.filter(on_day).values_list("person_id", flat=True))
        ended = known.filter(to_day__gte=before, to_day__lt=self.day).exclude(person__in=away)
        back: dict[int, date] = {}
        for person, first in ended.values_list("person_id", "from_day"):
            back[person] = max(min(first, back.get(person, first)), self.day - LATEST)
        return away, back

    def _found(self, asked: AskedOn, days: Iterable[date]) -> list[Finding]:
        """What the rules say that is sent on one of these days, as everything stands today."""
        working = [one for one in days if one not in self.quiet]
        found: list[Finding] = []
        for moment in Moment:
            of_moment = [rule for rule in self.rules if rule.moment == moment]
            level = Level(of_moment, asked)
            for rule in of_moment:
                for is_path, rows in level.rows_of(rule):
                    for sent in working:
                        if sent > rule.begins_after:
                            found += self._of_rule(rule, rows, is_path, moment, sent)
        return found

    def _of_rule(
        self, rule: NoticeRule, rows: RequirementColumns, is_path: bool, moment: Moment, sent: date
    ) -> Iterator[Finding]:
        meant = days_meant(sent, rule.offset, self.quiet)
        places, days = spoken_of(rows, moment, rule.offset, meant, day=sent)
        told = zip(rows.person[places].tolist(), rows.course[places].tolist(), days.tolist(), strict=True)
        for (person, thing, when), requirement in zip(told, requirements_at(rows, places), strict=True):
            yield Finding(rule, is_path, person, thing, date.fromordinal(when), sent, requirement)

    def _tell(self, found: Iterable[Finding], *, only: set[int] | None = None) -> None:
        findings = list(found)
        readers = readers_of(findings, self.day)
        active = set(active_on(self.day).filter(person__in=readers).values_list("person_id", flat=True))
        for reader, theirs in readers.items():
            if reader in active - self.away and (only is None or reader in only):
                wanted = [one for one in theirs if self._wants(reader, one) and (only is None or one.person == reader)]
                if wanted:
                    self.readers.setdefault(reader, []).extend(wanted)

    def _wants(self, reader: int, one: Finding) -> bool:
        """Nobody can switch off what is mandatory, nor what is told of their people."""
        if one.person != reader or not _is_suggested(one) or reader not in self._never | self._weekly:
            return True
        return reader in self._weekly and self._is_first


def _is_suggested(one: Finding) -> bool:
    return one.requirement is not None and not one.requirement.mandatory


def _who_wants(how: str) -> set[int]:
    """The people who want suggestions so."""
    return set(Person.objects.filter(account__suggestions=how).values_list("pk", flat=True))


def _days(first: date, last: date) -> list[date]:
    return [first + timedelta(days=n) for n in range((last - first).days + 1)]


def requirements_at(rows: RequirementColumns, places: Sequence[int] | np.ndarray) -> list[Requirement]:
    """The requirements in these rows, one by one."""
    names = ("rank", "mandatory", "due", "opened", "valid_until", "needed_by")
    columns = [getattr(rows, name)[places].tolist() for name in names]
    return [_requirement(*values) for values in zip(*columns, strict=True)]


def _requirement(rank: int, mandatory: bool, due: int, opened: int, valid_until: int, needed_by: int) -> Requirement:
    status = WORST_FIRST[rank]
    needed = date.fromordinal(needed_by) if 0 < needed_by < NO_DAY else None
    return Requirement(
        status,
        mandatory,
        date.fromordinal(opened),
        date.fromordinal(due) if due < NO_DAY else None,
        (),
        date.fromordinal(valid_until) if valid_until else None,
        needed if status in {Status.IN_GRACE, Status.LAPSED} else None,
        needed,
    )
