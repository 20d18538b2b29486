"""Marram Sound Ferries: charts, sites and people, over the years before the day it is loaded."""

from __future__ import annotations

import random
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from stepladder import clock
from stepladder.accounts.actions import create_account
from stepladder.accounts.models import Account
from stepladder.charts import actions as charts_actions
from stepladder.charts.models import Chart, Position, Site, Unit
from stepladder.config.demo.names import FAMILY, GIVEN
from stepladder.journal.actions import Machine
from stepladder.leads import actions as leads_actions
from stepladder.people import actions
from stepladder.people.models import Person, Placement
from stepladder.people_import import actions as importing
from stepladder.reaches import actions as reaches_actions

BY = Machine("Demo loader")
# Who signs in with which role; one auditor more is taken from the office.
ROLES = ("Ines Okoro", "Bo Tarn", "Jun Pellam")
DOMAIN = "marramsound.example"

FLEET = {"Sandpiper": 27, "Dunlin": 27, "Turnstone": 26, "Knot": 25, "Sanderling": 24}
SHORE = {"Marram Quay": 29, "Osier Point": 20, "Holm Landing": 16}
OTHERS = {"Workshop": 14, "Catering": 24, "Office": 16, "Partners": 12}

POSITIONS = {
    "Master": None,
    "Chief mate": "Master",
    "Bosun": "Chief mate",
    "Deckhand": "Bosun",
    "Deck trainee": "Deckhand",
    "Chief engineer": None,
    "Second engineer": "Chief engineer",
    "Motorman": "Second engineer",
    "Terminal manager": None,
    "Shift lead": "Terminal manager",
    "Quay hand": "Shift lead",
    "Ticket clerk": "Shift lead",
    "Workshop foreman": None,
    "Fitter": "Workshop foreman",
    "Galley lead": None,
    "Galley hand": "Galley lead",
    "Office manager": None,
    "Office clerk": "Office manager",
    "Partner’s foreman": None,
    "Diver": "Partner’s foreman",
    "Electrician": "Partner’s foreman",
    "Muster lead": None,
    "Muster warden": "Muster lead",
}

CREW = ["Master", "Master", "Chief mate", "Chief mate", "Bosun", "Bosun", "Chief engineer", "Second engineer"]
CREW_REST = ["Deckhand"] * 9 + ["Deck trainee"] * 2 + ["Motorman"] * 3
TERMINAL = ["Terminal manager", "Shift lead", "Shift lead"]
TERMINAL_REST = ["Quay hand"] * 6 + ["Ticket clerk"] * 4


def at(day: date, hour: int = 9, minute: int = 0) -> datetime:
    """An instant of a past day, for what happened then; of today only its first, as nothing may be later than now."""
    return datetime.combine(day, time(hour, minute), tzinfo=clock.zone())


@dataclass(frozen=True)
class Charts:
    """The nodes by name."""

    units: dict[str, Unit]
    positions: dict[str, Position]


def make_charts() -> Charts:
    """Units by department, a second unit chart by island for the emergency plan, and positions."""
    sites = {name: Site.objects.create(name=name) for name in ("Marram Quay", "Osier Point", "Holm Landing", "Yard")}
    main = charts_actions.add_chart(kind=Chart.Kind.UNIT, name="Units", by=BY)
    units: dict[str, Unit] = {}

    def unit(name: str, parent: str | None = None, site: str | None = None, chart: Chart = main) -> None:
        under, where = units[parent] if parent else None, sites[site] if site else None
        node = charts_actions.add_node(chart=chart, under=under, name=name, site=where, by=BY)
        assert isinstance(node, Unit)
        units[name] = node

    unit("Fleet", site="Marram Quay")
    for vessel in FLEET:
        unit(vessel, "Fleet")
    unit("Shore")
    for terminal in SHORE:
        unit(terminal, "Shore", terminal)
    unit("Workshop", site="Yard")
    unit("Catering", "Shore", site="Marram Quay")
    unit("Office", site="Marram Quay")
    unit("Partners", site="Yard")
    islands = charts_actions.add_chart(kind=Chart.Kind.UNIT, name="Emergency plan, by island", by=BY)
    for island in ("Marram", "Osier", "Holm"):
        unit(f"{island} island", chart=islands)
        unit(f"{island} muster team", f"{island} island", chart=islands)
    positions: dict[str, Position] = {}
    chart = charts_actions.add_chart(kind=Chart.Kind.POSITION, name="Positions", by=BY)
    for name, above in POSITIONS.items():
        node = charts_actions.add_node(chart=chart, under=positions[above] if above else None, name=name, by=BY)
        assert isinstance(node, Position)
        positions[name] = node
    return Charts(units, positions)


def _jobs(rng: random.Random) -> list[tuple[str, str]]:
    """(unit, position) of everybody."""
    jobs = []
    for vessel, count in FLEET.items():
        names = CREW + [rng.choice(CREW_REST) for _ in range(count - len(CREW))]
        jobs += [(vessel, name) for name in names]
    for terminal, count in SHORE.items():
        names = TERMINAL + [rng.choice(TERMINAL_REST) for _ in range(count - len(TERMINAL))]
        jobs += [(terminal, name) for name in names]
    for unit, head, rest in (
        ("Workshop", "Workshop foreman", ["Fitter"]),
        ("Catering", "Galley lead", ["Galley hand"]),
        ("Office", "Office manager", ["Office clerk"]),
        ("Partners", "Partner’s foreman", ["Diver", "Electrician"]),
    ):
        jobs += [(unit, head)] + [(unit, rng.choice(rest)) for _ in range(OTHERS[unit] - 1)]
    return jobs


def make_people(charts: Charts, today: date, rng: random.Random) -> list[Person]:
    """Everybody, each hired on the day they were: the journal then reads as it would have."""
    jobs = _jobs(rng)
    names = [f"{given} {family}" for given in GIVEN for family in FAMILY]
    rng.shuffle(names)
    names = [name for name in names if name not in ROLES]
    leads = {"Office manager": "Ines Okoro"}
    hires = []
    used = set(leads.values())
    for unit, position in jobs:
        name = leads.pop(position, None)
        if name is None and (unit, position) == ("Office", "Office clerk") and "Bo Tarn" not in used:
            name = "Bo Tarn"
        if name is None and (unit, position) == ("Dunlin", "Deckhand") and "Jun Pellam" not in used:
            name = "Jun Pellam"
        if name is None:
            name = names.pop()
        used.add(name)
        hires.append((_hired_on(position, today, rng, name), name, unit, position))
    hires.sort()
    people = []
    for number, (hired_on, name, unit, position) in enumerate(hires, 1001):
        given, family = name.split(" ", 1)
        with clock.pinned(at(min(hired_on - timedelta(days=7), today - timedelta(days=1)))):
            people.append(
                actions.hire(
                    employee_number=f"MS{number}",
                    given_name=given,
                    family_name=family,
                    email=f"{_plain(given)}.{_plain(family)}@{DOMAIN}",
                    kind=Person.Kind.OUTSIDE if unit == "Partners" else Person.Kind.EMPLOYEE,
                    unit=charts.units[unit],
                    position=charts.positions[position],
                    hired_on=hired_on,
                    by=BY,
                )
            )
    return people


def _plain(name: str) -> str:
    return name.lower().replace("ł", "l")


def _hired_on(position: str, today: date, rng: random.Random, name: str) -> date:
    if name == "Jun Pellam":
        return today - timedelta(days=17)
    if position == "Deck trainee":
        return today - timedelta(days=rng.randint(-6, 160))
    years = rng.choice([0.4, 0.8, 1.5, 2, 3, 4, 5, 7, 9])
    return today - timedelta(days=int(years * 365) + rng.randint(10, 200))


def make_changes(charts: Charts, people: list[Person], today: date, rng: random.Random) -> None:
    """What makes a real chart: people who moved, left, are away, were promoted, and the muster teams."""
    placed = {p.pk: Placement.objects.known_now().select_related("unit", "position").get(person=p) for p in people}
    settled = [p for p in people if (today - placed[p.pk].from_day).days > 400]
    rng.shuffle(settled)
    vessels = list(FLEET)

    def of(position: str) -> list[Person]:
        return [p for p in settled if placed[p.pk].position == charts.positions[position]]

    def transfer(person: Person, unit: str, position: str, day: date, told: date) -> None:
        with clock.pinned(at(told)):
            actions.move(
                person=person,
                unit=charts.units[unit],
                position=charts.positions[position],
                from_day=day,
                ending=Placement.objects.known_now().filter(person=person, to_day=None),
                by=BY,
            )
        settled.remove(person)

    # Two people moved units last week, and one in four deckhands changed vessel at some time before.
    for person in of("Deckhand")[:2]:
        other = rng.choice([v for v in vessels if v != placed[person.pk].unit.name])
        transfer(person, other, "Deckhand", today - timedelta(days=rng.randint(4, 7)), today - timedelta(days=8))
    for person in of("Deckhand")[:8]:
        other = rng.choice([v for v in vessels if v != placed[person.pk].unit.name])
        day = today - timedelta(days=rng.randint(60, 380))
        transfer(person, other, "Deckhand", day, day - timedelta(days=5))
    trainee = next(
        p for p in people if placed[p.pk].position == charts.positions["Deck trainee"] and placed[p.pk].from_day < today
    )
    settled.append(trainee)
    transfer(trainee, placed[trainee.pk].unit.name, "Deckhand", today - timedelta(days=1), today - timedelta(days=3))
    quay = of("Quay hand")[0]
    transfer(quay, "Knot", "Deckhand", today + timedelta(days=10), today - timedelta(days=2))
    # Away: one without an end that is known, one for six weeks.
    for person, first, last in (
        (of("Motorman")[0], today - timedelta(days=40), None),
        (of("Galley hand")[0], today - timedelta(days=12), today + timedelta(days=30)),
    ):
        with clock.pinned(at(first)):
            actions.record_leave(person=person, from_day=first, to_day=last, by=BY)
        settled.remove(person)
    for person in of("Fitter")[:1] + of("Galley hand")[:2] + of("Quay hand")[:1]:
        day = today - timedelta(days=rng.randint(20, 300))
        with clock.pinned(at(day - timedelta(days=14))):
            actions.leave_organisation(person=person, left_on=day, by=BY)
        settled.remove(person)
    for island, unit in (("Marram", "Marram Quay"), ("Osier", "Osier Point"), ("Holm", "Holm Landing")):
        team = [p for p in settled if placed[p.pk].unit == charts.units[unit]][:5]
        for n, person in enumerate(team):
            with clock.pinned(at(today - timedelta(days=390), 15)):
                actions.move(
                    person=person,
                    unit=charts.units[f"{island} muster team"],
                    position=charts.positions["Muster warden" if n else "Muster lead"],
                    from_day=today - timedelta(days=380),
                    ending=(),
                    by=BY,
                )


def make_reorganisation(charts: Charts, today: date) -> None:
    """Catering belonged to Shore until last year; partners’ people are placed by who keeps the charts only."""
    with clock.pinned(at(today - timedelta(days=270))):
        charts_actions.move_node(node=charts.units["Catering"], under=None, from_day=today - timedelta(days=250), by=BY)
        charts_actions.lock_node(node=charts.units["Partners"], is_locked=True, by=BY)


EVERYTHING = ("see records", "assign", "approve", "sign off", "receive notices")
LEADS: list[tuple[str, str, tuple[str, ...]]] = [
    ("Master", "own unit", EVERYTHING),
    ("Chief engineer", "positions below", ("see records", "sign off")),
    ("Terminal manager", "own unit", EVERYTHING),
    ("Workshop foreman", "own unit", EVERYTHING),
    ("Galley lead", "own unit", EVERYTHING),
    ("Office manager", "own unit", EVERYTHING),
    ("Partner’s foreman", "own unit", ("see records",)),
    ("Muster lead", "own unit", ("receive notices",)),
]


def make_leads(charts: Charts, people: list[Person], today: date) -> None:
    """Who leads whom; the workshop’s foreman has left, so that nobody leads it."""
    placed = {
        p.person_id: p
        for p in Placement.objects.known_now().filter(to_day=None).select_related("position", "unit", "person")
    }

    def whoever(position: str, unit: str) -> Person:
        at_it = [
            p.person
            for p in placed.values()
            if p.position == charts.positions[position] and p.unit == charts.units[unit]
        ]
        found: Person = min(at_it, key=lambda person: person.employee_number)
        return found

    with clock.pinned(at(today - timedelta(days=800))):
        first = today - timedelta(days=790)
        for position, field, powers in LEADS:
            leads_actions.give_lead(
                holder_position=charts.positions[position],
                holder_person=None,
                field=field,
                powers=powers,
                from_day=first,
                by=BY,
            )
        for person, unit in (
            (whoever("Master", "Sandpiper"), "Fleet"),
            (whoever("Terminal manager", "Marram Quay"), "Shore"),
        ):
            leads_actions.give_lead(
                holder_position=None,
                holder_person=person,
                field="unit",
                unit=charts.units[unit],
                powers=("see records", "approve", "receive notices"),
                from_day=first,
                by=BY,
            )
    trainees = [p.person for p in placed.values() if p.position == charts.positions["Deck trainee"]][:3]
    with clock.pinned(at(today - timedelta(days=30))):
        leads_actions.give_lead(
            holder_position=None,
            holder_person=whoever("Bosun", "Dunlin"),
            field="named",
            named=trainees,
            powers=("see records", "sign off"),
            from_day=today - timedelta(days=30),
            by=BY,
        )
    foreman = whoever("Workshop foreman", "Workshop")
    with clock.pinned(at(today - timedelta(days=35))):
        actions.leave_organisation(person=foreman, left_on=today - timedelta(days=20), by=BY)


def make_groups(charts: Charts, people: list[Person], today: date) -> None:
    """A fixed group and one by conditions."""
    aboard = Placement.objects.known_now().filter(to_day=None, unit__name__in=FLEET).order_by("pk")
    aiders = sorted({p.person_id for p in aboard.filter(position__name__in=["Bosun", "Motorman"])})[:12]
    deck = [{"kind": "position", "position": charts.positions[name].pk} for name in ("Deckhand", "Deck trainee")]
    new = {"kind": "all", "parts": [{"kind": "hired within", "days": 90}]}
    with clock.pinned(at(today - timedelta(days=300))):
        reaches_actions.create_group(
            name="First aiders aboard",
            note="Named by the masters each winter.",
            reach={"in": None, "named_in": aiders, "named_out": []},
            by=BY,
        )
        reaches_actions.create_group(
            name="New on deck",
            note="Their first ninety days.",
            reach={
                "in": {"kind": "all", "parts": [{"kind": "any", "parts": deck}, new]},
                "named_in": [],
                "named_out": [],
            },
            by=BY,
        )


def make_fields(people: list[Person], today: date, rng: random.Random) -> None:
    """What the organisation knows of its people beside the rest."""
    with clock.pinned(at(today - timedelta(days=500))):
        licence = actions.add_field(
            name="Licence class", kind="choice", choices=["Inland", "Coastal", "Coastal, passenger"], by=BY
        )
        until = actions.add_field(name="Medical until", kind="day", choices=[], by=BY)
        aboard = Placement.objects.known_now().filter(to_day=None, unit__name__in=FLEET).order_by("pk")
        crew_ids = list(
            aboard.filter(position__name__in=["Master", "Chief mate", "Bosun"]).values_list("person_id", flat=True)
        )
        for person in Person.objects.filter(pk__in=crew_ids).order_by("pk"):
            days = today + timedelta(days=rng.randint(-20, 500))
            values = {licence.pk: rng.choice(licence.choices), until.pk: days.isoformat()}
            actions.set_values(person=person, values=values, by=BY)


STARTERS = """Personnel no;First name;Surname;Mail;Vessel;Job title;Start date;Licence class
MS2001;Ylva;Quarry;ylva.quarry@{domain};Dunlin;Deck trainee;{first};
MS2002;Odd;Sallow;odd.sallow@{domain};Sandpiper;Deck trainee;{first};
MS2003;Runa;Teal;runa.teal@{domain};Dunln;Deckhand;{first};Coastal
MS2004;Per;Withy;;Knot;Motorman;31/02/{year};
MS2005;Isa;Vane;isa.vane@{domain};Osier Point;Quay hand;{first};
MS2005;Ivo;Vane;ivo.vane@{domain};Osier Point;Quay hand;{first};
"""


def make_import(today: date) -> None:
    """A file of new starters that was looked through this morning: two of its rows are wrong, nothing is carried out."""
    first = today + timedelta(days=12)
    text = STARTERS.format(domain=DOMAIN, first=first.strftime("%d.%m.%Y"), year=first.year)
    ines = Account.objects.get(name="Ines Okoro")
    with clock.pinned(at(today - timedelta(days=1), 16, 5)):
        job = importing.receive_import(file_name="december-starters.csv", body=text.encode("cp1252"), by=ines)
        columns = [column["is"] for column in job.columns]
        importing.choose_columns(job=job, columns=columns, day_first=True, by=ines)
        importing.look_through(job)


def make_accounts(people: list[Person]) -> None:
    """A sign-in for one person of each role; managers are whoever holds a lead."""
    by_name = {p.name: p for p in people}
    at_work = Placement.objects.known_now().filter(to_day=None).order_by("pk")
    led = {
        name: Person.objects.get(pk=at_work.filter(unit__name=unit, position__name=position)[0].person_id).name
        for name, unit, position in (("master", "Dunlin", "Master"), ("terminal", "Osier Point", "Terminal manager"))
    }
    auditor = next(p for p in people if p.kind == Person.Kind.EMPLOYEE and p.name not in (*ROLES, *led.values()))
    for name, roles in (
        ("Ines Okoro", ["administrator", "learner"]),
        ("Bo Tarn", ["author", "learner"]),
        (auditor.name, ["auditor", "learner"]),
        ("Jun Pellam", ["learner"]),
        (led["master"], ["learner"]),
        (led["terminal"], ["learner"]),
    ):
        person = by_name[name]
        person.account = create_account(email=person.email, name=name, roles=roles, by=BY)
        person.save(update_fields=["account"])
    shore = Unit.objects.get(name="Shore")
    actions.set_roles_and_parts(person=by_name[led["terminal"]], roles=["unit administrator"], parts=[shore], by=BY)
