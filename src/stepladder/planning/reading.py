"""A plan's problem, read from what is known: who needs the session, rooms, instructors, units, and what is planned already."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from datetime import date, datetime, time, timedelta

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.organisation import organisation
from stepladder.core.days import FOREVER, day_of
from stepladder.core.planning import Busy, Instructor, Learner, Limit, OpenSession, Problem, Room, Slot
from stepladder.core.reach import members_on
from stepladder.people.models import FieldValue, Leave, Person, Placement
from stepladder.planning.errors import PlanningError
from stepladder.planning.models import Plan
from stepladder.reaches.stored import load_people, load_world, parse
from stepladder.timetable.availability import hours_of
from stepladder.timetable.models import Booking, Meeting, Session, Teaching
from stepladder.timetable.models import Room as StoredRoom
from stepladder.timetable.needs import needed_by_of

__all__ = ["people_of", "problem_of"]

WHOLE_DAY = 24 * 60
State = Booking.State


def people_of(plan: Plan) -> dict[int, date]:
    """Who of the reach needs a seat, and by when (FOREVER: by no day): those whom the account may book who have none yet.

    Raises PlanningError where nobody does.
    """
    today, world, reach = clock.today(), load_world(), parse(plan.reach)
    members = members_on(reach, load_people(reaches=[reach], world=world, known_on=today), world, day=today)
    seated = Booking.objects.known_now().filter(
        state=State.BOOKED, session__module=plan.module, session__state=Session.State.PLANNED
    )
    wanted = members - set(seated.values_list("person_id", flat=True))
    seen = policy.visible(plan.account, "book seats", Person.objects.filter(pk__in=wanted))
    found = needed_by_of(plan.module, sorted(seen.values_list("pk", flat=True)))
    if not found:
        raise PlanningError(
            f"Nobody of them needs a seat in “{plan.module.title}”: it is asked of nobody, or all who need it have one."
        )
    return found


def problem_of(plan: Plan, needed: dict[int, date]) -> Problem:
    """What the planner is given."""
    people = sorted(needed)
    rooms = list(plan.rooms.select_related("venue")) or list(StoredRoom.objects.select_related("venue"))
    placed = _units_of(people)
    limits, limited = _limits(plan, placed)
    sites, languages = _sites(placed), _languages(plan, people)
    busy = _busy(plan, people)
    return Problem(
        learners=tuple(
            Learner(
                person,
                None if needed[person] == FOREVER else needed[person],
                sites.get(person),
                languages.get(person, ""),
                frozenset(placed.get(person, ())) & limited,
                frozenset(busy.get(person, ())),
            )
            for person in people
        ),
        rooms=tuple(_rooms(plan, rooms)),
        first=plan.first,
        last=plan.last,
        minutes=plan.minutes,
        instructors=_instructors(plan),
        limits=limits,
        open_sessions=tuple(_open(plan, rooms)),
        seats=plan.seats,
        step=_step(plan, len(people), len(rooms)),
        closed=frozenset(date.fromisoformat(day) for day, _ in organisation().quiet_dates),
        by_site=plan.by_site,
        by_language=plan.language_field_id is not None,
    )


# People times rooms times days above which sessions follow each other without choice of the hour: else it takes too long.
COARSE_FROM = 250_000


def _step(plan: Plan, people: int, rooms: int) -> int:
    days = (plan.last - plan.first).days + 1
    return max(plan.minutes, 60) if people * rooms * days > COARSE_FROM else 60


def _stretch(start: datetime, end: datetime) -> list[Busy]:
    """From an instant to another, as stretches of days."""
    zone = clock.zone()
    first, last = start.astimezone(zone), end.astimezone(zone)
    found, day = [], first.date()
    while day <= last.date():
        begins = first.hour * 60 + first.minute if day == first.date() else 0
        ends = last.hour * 60 + last.minute if day == last.date() else WHOLE_DAY
        if ends > begins:
            found.append(Busy(day, begins, ends))
        day += timedelta(days=1)
    return found


def _meetings(plan: Plan) -> list[tuple[int, int | None, list[Busy]]]:
    """(session, room, when) of everything that is planned in the span."""
    zone = clock.zone()
    rows = Meeting.objects.filter(
        session__state=Session.State.PLANNED,
        starts_at__lt=datetime.combine(plan.last + timedelta(days=1), time(), zone),
        ends_at__gt=datetime.combine(plan.first, time(), zone),
    )
    fields = ("session_id", "session__room_id", "starts_at", "ends_at")
    return [(key, room, _stretch(start, end)) for key, room, start, end in rows.values_list(*fields)]


def _rooms(plan: Plan, rooms: list[StoredRoom]) -> Iterable[Room]:
    taken: dict[int, set[Busy]] = {}
    for _, room, stretches in _meetings(plan):
        if room is not None:
            taken.setdefault(room, set()).update(stretches)
    hours = hours_of(rooms)
    for one in rooms:
        by_weekday = {
            weekday: ((opens.hour * 60 + opens.minute, closes.hour * 60 + closes.minute),)
            for weekday, (opens, closes) in hours[one.pk].items()
        }
        yield Room(one.pk, one.seats, one.venue.site_id, by_weekday, frozenset(taken.get(one.pk, ())))


def _units_of(people: Collection[int]) -> dict[int, list[int]]:
    """Person → the units they are placed in today."""
    today = clock.today()
    rows = Placement.objects.known_now().filter(person__in=people, from_day__lte=today).exclude(to_day__lt=today)
    found: dict[int, list[int]] = {}
    for person, unit in rows.order_by("from_day", "pk").values_list("person_id", "unit_id"):
        found.setdefault(person, []).append(unit)
    return found


def _sites(placed: dict[int, list[int]]) -> dict[int, int]:
    """Person → the site of their newest unit that has one."""
    world, today = load_world(), clock.today()
    by_unit: dict[int, int] = {}
    for unit in {unit for units in placed.values() for unit in units}:
        for span, site in world.units.sites(unit):
            if today in span:
                by_unit[unit] = site
    found = {}
    for person, units in placed.items():
        here = [by_unit[unit] for unit in units if unit in by_unit]
        if here:
            found[person] = here[-1]
    return found


def _languages(plan: Plan, people: Collection[int]) -> dict[int, str]:
    if plan.language_field_id is None:
        return {}
    rows = FieldValue.objects.known_now().filter(field=plan.language_field_id, person__in=people)
    return dict(rows.values_list("person_id", "value"))


def _busy(plan: Plan, people: Collection[int]) -> dict[int, set[Busy]]:
    """Person → when they learn or teach elsewhere, and the days they are on leave."""
    when = _by_session(plan)
    found: dict[int, set[Busy]] = {}
    booked = Booking.objects.known_now().filter(session__in=when, person__in=people, state=State.BOOKED)
    teach = Session.instructors.through.objects.filter(session__in=when, person__in=people)
    for rows in (booked, teach):
        for person, session in rows.values_list("person_id", "session_id"):
            found.setdefault(person, set()).update(when[session])
    leaves = Leave.objects.known_now().filter(person__in=people, from_day__lte=plan.last).exclude(to_day__lt=plan.first)
    for person, first, last in leaves.values_list("person_id", "from_day", "to_day"):
        day, until = max(first, plan.first), min(last or plan.last, plan.last)
        while day <= until:
            found.setdefault(person, set()).add(Busy(day, 0, WHOLE_DAY))
            day += timedelta(days=1)
    return found


def _by_session(plan: Plan) -> dict[int, list[Busy]]:
    found: dict[int, list[Busy]] = {}
    for session, _, stretches in _meetings(plan):
        found.setdefault(session, []).extend(stretches)
    return found


def _limits(plan: Plan, placed: dict[int, list[int]]) -> tuple[tuple[Limit, ...], frozenset[int]]:
    """How many of each unit may be away at once, those who are already counted; a share of those who are placed there. Rule: 19."""
    if plan.away_most is None and plan.away_share is None:
        return (), frozenset()
    units = {unit for of in placed.values() for unit in of}
    today = clock.today()
    rows = Placement.objects.known_now().filter(unit__in=units, from_day__lte=today).exclude(to_day__lt=today)
    members: dict[int, set[int]] = {}
    for unit, person in rows.values_list("unit_id", "person_id"):
        members.setdefault(unit, set()).add(person)
    when = _by_session(plan)
    away: dict[int, list[Busy]] = {}
    booked = Booking.objects.known_now().filter(session__in=when, state=State.BOOKED)
    of_units: dict[int, list[int]] = {}
    for unit, people in members.items():
        for person in people:
            of_units.setdefault(person, []).append(unit)
    for person, session in booked.filter(person__in=of_units).values_list("person_id", "session_id"):
        for unit in of_units[person]:
            away.setdefault(unit, []).extend(when[session])
    found = []
    for unit in sorted(units):
        most = [plan.away_most] if plan.away_most is not None else []
        most += [len(members.get(unit, ())) * plan.away_share // 100] if plan.away_share is not None else []
        found.append(Limit(unit, min(most), tuple(away.get(unit, ()))))
    return tuple(found), frozenset(units)


def _instructors(plan: Plan) -> tuple[Instructor, ...] | None:
    """Who may teach it; None where of nobody it is said when they teach: then sessions are planned without."""
    rows = [
        row
        for row in Teaching.objects.prefetch_related("modules").order_by("person")
        if not row.modules.all() or plan.module in row.modules.all()
    ]
    if not Teaching.objects.exists():
        return None
    busy = _busy(plan, [row.person_id for row in rows])
    taught = _taught([row.person_id for row in rows])
    return tuple(
        Instructor(
            row.person_id,
            frozenset(row.weekdays),
            row.most_a_day,
            frozenset(row.languages),
            frozenset(busy.get(row.person_id, ())),
            tuple(sorted(taught.get(row.person_id, {}).items())),
        )
        for row in rows
    )


def _taught(people: Collection[int]) -> dict[int, dict[date, int]]:
    """Instructor → day → how many sessions they teach on it already."""
    zone = clock.zone()
    rows = Session.objects.filter(
        instructors__in=people, state=Session.State.PLANNED, meetings__starts_at__gte=clock.now()
    )
    found: dict[int, dict[date, int]] = {}
    for person, at in rows.values_list("instructors", "meetings__starts_at"):
        by_day = found.setdefault(person, {})
        by_day[day_of(at, zone)] = by_day.get(day_of(at, zone), 0) + 1
    return found


def _open(plan: Plan, rooms: list[StoredRoom]) -> Iterable[OpenSession]:
    """Sessions of the module that are planned already and have free seats for which nobody waits."""
    here = {room.pk: room for room in rooms}
    when = _by_session(plan)
    rows = Session.objects.filter(pk__in=when, module=plan.module, state=Session.State.PLANNED)
    for session in rows.exclude(room=None).filter(meetings__starts_at__gt=clock.now()).distinct():
        states = list(Booking.objects.known_now().filter(session=session).values_list("state", flat=True))
        stretches = when[session.pk]
        if len(stretches) != 1 or State.WAITING in states or session.room_id not in here:
            continue
        one, free = stretches[0], session.capacity - states.count(State.BOOKED)
        if session.last_booking_day is None or session.last_booking_day >= clock.today():
            site = here[session.room_id].venue.site_id
            yield OpenSession(session.pk, Slot(one.day, one.start), one.end - one.start, free, site, session.language)
