"""The daily run of the notice rules: at the organisation's hour, each reader in one message."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, timedelta

from django.db import transaction
from django_tasks import task

from stepladder import clock, events
from stepladder.accounts.organisation import organisation, zone
from stepladder.assignments.actions import DAILY, to_tell
from stepladder.assignments.columns import newest_change
from stepladder.assignments.models import ToTell
from stepladder.assignments.notices import lines_of, tell_of
from stepladder.assignments.paths import Climb, climbs
from stepladder.courses.models import Course, Path
from stepladder.notices.actions import tell
from stepladder.people.models import Person
from stepladder.queue.actions import Queue, in_pieces, later
from stepladder.telling.finding import Finding
from stepladder.telling.findings import LATEST, TheDay, quiet_days, running_rules
from stepladder.telling.matters import all_done_on, settle
from stepladder.telling.models import Told
from stepladder.telling.notices import DAY, Names, day_message
from stepladder.web.models import DailyRun

__all__ = ["RUN", "enqueue_notices", "readers_of_the_day", "settle_rule", "tell_by_rules", "tell_readers", "told_today"]

RUN = "notices by rule"


def told_today() -> bool:
    """Whether the day's run has been handed over already."""
    return DailyRun.objects.filter(name=RUN, day__gte=clock.today()).exists()


@transaction.atomic
def enqueue_notices() -> None:
    """Hand the day's run over, once, from the organisation's hour on. A quiet day has none: the next one sees to what it left."""
    today = clock.today()
    if today in quiet_days() or clock.now().astimezone(zone()).hour < organisation().tells_at or told_today():
        return
    row, is_new = DailyRun.objects.get_or_create(name=RUN, defaults={"day": today})
    since = today - timedelta(days=1) if is_new else row.day
    DailyRun.objects.filter(pk=row.pk).update(day=today)
    later(tell_by_rules, queue=Queue.BULK, since=since.isoformat())


@task()
def tell_by_rules(since: str) -> None:
    """Tell everybody whom the rules speak to today; *since*: the day of the run before."""
    today, rules = clock.today(), list(running_rules())
    done = all_done_on(rules, today)
    with transaction.atomic():
        settle(rules, today, done)
        in_pieces(RUN, act=events.Act(clock.today(), DAILY), since=since)


@task()
def settle_rule(rule: int) -> None:
    """Let a new rule know what everybody has done already. The run does so where this comes too late."""
    rows = list(running_rules().filter(pk=rule, settled_on__isnull=True))
    today = clock.today()
    done = all_done_on(rows, today)
    with transaction.atomic():
        settle(rows, today, done)


# The day worked out last, with what it was worked out from: every piece of a run asks for it.
_kept: list[tuple[object, TheDay]] = []


def _the_day(since: date) -> TheDay:
    today = clock.today()
    settings = organisation()
    rules = tuple(running_rules().values_list("pk", flat=True))
    key = (newest_change(), today, since, rules, str(settings.quiet_weekdays), str(settings.quiet_dates))
    if not _kept or _kept[0][0] != key:
        _kept[:] = [(key, TheDay(today, since))]
    return _kept[0][1]


def readers_of_the_day(*, since: str) -> Sequence[int]:
    """Whom the rules speak to today, and who got a place by the daily run; nobody who is on leave."""
    day = _the_day(date.fromisoformat(since))
    opened = set(ToTell.objects.values_list("place__person_id", flat=True))
    return sorted(day.readers.keys() | day.matters.keys() | (opened - day.away))


def tell_readers(readers: Sequence[int], act: events.Act, *, since: str) -> None:
    """Tell these readers what the day brings them, by the rules and by new places, each in one message, and nothing twice."""
    day = _the_day(date.fromisoformat(since))
    found = {reader: day.readers[reader] for reader in readers if reader in day.readers}
    told = {
        tuple(row)
        for row in Told.objects.filter(
            reader__in=found, rule__in=[rule.pk for rule in day.rules], meant__gte=day.day - 2 * LATEST
        ).values_list(*_TOLD)
    }
    new = {reader: [one for one in findings if _as_told(reader, one) not in told] for reader, findings in found.items()}
    new = {reader: findings for reader, findings in new.items() if findings}
    # Nobody's findings, but somebody's to know.
    new |= {reader: new.get(reader, []) for reader in readers if reader in day.matters}
    places = to_tell(readers, day.day)
    # Who is told of nothing but new places is told as by an act.
    tell_of([place for place in places if place[0].person_id not in new], day=day.day)
    spoken_of = {
        (one.person, one.thing)
        for reader, findings in new.items()
        for one in findings
        if not one.is_path and one.person == reader
    }
    others = [place for place in places if place[0].person_id in new]
    # What a rule speaks of as well stands there already.
    others = [place for place in others if (place[0].person_id, place[0].course_id) not in spoken_of]
    opened = lines_of(others, day=day.day)
    ToTell.objects.filter(place__person__in=readers).delete()
    every = [one for findings in new.values() for one in findings]
    names = _names(every, day.day)
    people = Person.objects.in_bulk(list(new))
    rows = {_as_told(reader, one) for reader, findings in new.items() for one in findings}
    Told.objects.bulk_create([Told(**dict(zip(_TOLD, row, strict=True)), on=day.day) for row in sorted(rows)])
    messages = [
        day_message(
            people[reader],
            findings,
            names,
            day.day,
            opened=opened.get(reader, ()),
            matters=day.matters.get(reader, ()),
        )
        for reader, findings in new.items()
    ]
    tell(DAY.name, messages)


_TOLD = ("reader_id", "rule_id", "person_id", "is_path", "thing", "meant")


def _as_told(reader: int, one: Finding) -> tuple[int, int, int, bool, int, date]:
    return reader, one.rule.pk, one.person, one.is_path, one.thing, one.meant


def _names(findings: Sequence[Finding], day: date) -> Names:
    of_paths = [one for one in findings if one.is_path]
    climbing = climbs(people=sorted({one.person for one in of_paths}), day=day) if of_paths else []
    left = {(climb.person, climb.edition.path_id): climb for climb in climbing}
    courses = {one.thing for one in findings if not one.is_path}
    courses |= {course for climb in climbing for course in climb.left}
    titles = dict(Course.objects.filter(pk__in=courses).values_list("pk", "title"))
    people = Person.objects.filter(pk__in={one.person for one in findings})
    return Names(
        titles,
        dict(Path.objects.filter(pk__in={one.thing for one in of_paths}).values_list("pk", "title")),
        {person.pk: person.name for person in people},
        {key: _left(climb, titles) for key, climb in left.items()},
    )


def _left(climb: Climb, titles: Mapping[int, str]) -> str:
    """What of a path is still to be done: “Fire, Radio words, 1 of your choice”."""
    chosen = sum(stage.to_choose for stage in climb.stages)
    return ", ".join([*(titles[course] for course in climb.left), *([f"{chosen} of your choice"] if chosen else [])])
