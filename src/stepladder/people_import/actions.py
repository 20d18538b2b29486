"""Imports: looked through first, then carried out in pieces that each are one act, so that a stopped one goes on where it stopped."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction
from django.db.models import F

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.accounts.models import Account, Role
from stepladder.accounts.sign_in import EmailTaken, LastAdministrator, follow_sheets
from stepladder.accounts.tasks import invite_anew
from stepladder.charts.models import Unit
from stepladder.core.people_import import (
    KnownPerson,
    Verdict,
    day_comes_first,
    judge,
    judge_missing,
    match_columns,
)
from stepladder.facts import Fact, insert_many
from stepladder.identity import new_public_id
from stepladder.journal.actions import Actor, Named, record
from stepladder.journal.models import Entry
from stepladder.journal.undoing import CannotTakeBack, obstacles, take_back
from stepladder.people.actions.changes import Changes
from stepladder.people.actions.rank import administrators_left
from stepladder.people.models import Employment, FieldValue, Person, Placement
from stepladder.people_import.errors import ImportUnready
from stepladder.people_import.files import FileUnread, read_table
from stepladder.people_import.models import Import, ImportRow
from stepladder.people_import.world import (
    HeldWorld,
    asked_fields,
    identified,
    known_people,
    load_import_world,
    missing_numbers,
)

__all__ = [
    "Missing",
    "apply_import",
    "apply_piece",
    "choose_columns",
    "first_cells",
    "keep_import",
    "look_through",
    "path_of",
    "read_import",
    "receive_import",
    "return_import",
    "return_piece",
]

# So many rows are one act: the others who write wait no longer than for these.
PIECE = 1000
LOOKED_AT = 200


def _about(job: Import) -> Named:
    return Named("import", job.public_id, job.file_name)


def path_of(job: Import) -> Path:
    """Where the file is kept."""
    return Path(settings.MEDIA_ROOT) / job.path


def first_cells(job: Import) -> list[str]:
    """The first row below the heads, to show what a column holds."""
    try:
        return read_table(path_of(job), job.file_name).rows[0]
    except (FileUnread, OSError):
        return []


def receive_import(*, file_name: str, body: bytes, by: Account) -> Import:
    """Keep a file and match its columns. What cannot be read is kept with the reason."""
    job = read_import(file_name=file_name, body=body, by=by)
    keep_import(job=job, by=by)
    return job


def read_import(*, file_name: str, body: bytes, by: Account) -> Import:
    """An import that is not kept yet: its file is on the disk, its columns are matched, or it says why it cannot be read.

    To be called outside any transaction: a large file takes long, and nobody who writes is to wait for it.
    """
    policy.require(by, "import people")
    public_id = new_public_id()
    job = Import(
        public_id=public_id, file_name=file_name[:200], path=f"imports/{public_id}", account=by, made_at=clock.now()
    )
    path = path_of(job)
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(body)
    try:
        table = read_table(path, file_name)
    except FileUnread as refusal:
        job.state, job.trouble = Import.State.REFUSED, str(refusal)
    else:
        # Before anything is judged: so columns can be told by the names of units that stand in them.
        world = load_import_world()
        matches = match_columns(
            table.heads,
            table.rows[:LOOKED_AT],
            fields=asked_fields(),
            units=frozenset(world.units),
            positions=frozenset(world.positions),
        )
        job.heads, job.total = table.heads, len(table.rows)
        job.columns = [{"is": m.column, "by": m.by, "doubt": m.doubt} for m in matches]
        days = [row[n] for row in table.rows for n, m in enumerate(matches) if _is_day(m.column) and n < len(row)]
        job.day_first = day_comes_first(days)
    return job


@transaction.atomic
def keep_import(*, job: Import, by: Account) -> None:
    """Keep an import that was read."""
    policy.require(by, "import people")
    job.save()
    record("receive_import", by=by, about=_about(job), data={"rows": job.total})


def _is_day(column: str) -> bool:
    return column in ("hired", "left", "from")


@dataclass(frozen=True)
class Missing:
    """That whoever is not in a file has left with a last day; *unit*: of those in it and below only."""

    last_day: date
    unit: Unit | None = None


@transaction.atomic
def choose_columns(
    *, job: Import, columns: Sequence[str], day_first: bool, by: Actor, missing: Missing | None = None
) -> None:
    """What each column is, as somebody says, and what of those who are *missing* (None: they stay).

    Raises ImportUnready where the number is missing or one is there twice.
    """
    policy.require(by, "import people", job)
    # As it is now: another tab may have begun to carry it out since the page was shown.
    job.refresh_from_db(from_queryset=Import.objects.select_for_update())
    if job.state not in (Import.State.COLUMNS, Import.State.LOOKED):
        raise ImportUnready("This import is under way or done: choose the file anew to read it otherwise.")
    if "number" not in columns:
        raise ImportUnready("Say which column is the employee number: rows are matched by it.")
    twice = [column for column, count in Counter(c for c in columns if c).items() if count > 1]
    if twice:
        raise ImportUnready("Two columns are taken for the same thing. Leave one of them out.")
    job.columns = [{"is": column, "by": "", "doubt": ""} for column in columns]
    job.day_first, job.state, job.done, job.missing = day_first, Import.State.LOOKING, 0, 0
    job.missing_left_on, job.missing_in = (missing.last_day, missing.unit) if missing else (None, None)
    job.save()
    job.rows.all().delete()


def look_through(job: Import) -> None:
    """Judge every row, without changing anybody; in pieces, so that its progress is true."""
    table = read_table(path_of(job), job.file_name)
    columns = [column["is"] for column in job.columns]
    number = columns.index("number")
    world, today = load_import_world(), clock.today()
    known = known_people(row[number].strip() for row in table.rows if number < len(row))
    identifier = columns.index("outside") if "outside" in columns else None
    theirs = identified(_cell(row, identifier) for row in table.rows)
    first_line: dict[str, int] = {}
    identified_by: dict[str, int] = {}
    with transaction.atomic():
        job.rows.all().delete()
    for start in range(0, len(table.rows), PIECE):
        made = []
        for row, line in zip(table.rows[start : start + PIECE], table.numbers[start : start + PIECE], strict=True):
            key, outside = _cell(row, number).casefold(), _cell(row, identifier)
            verdict = judge(
                row,
                columns,
                known=known.get(key),
                world=world,
                today=today,
                day_first=job.day_first,
                earlier_row=first_line.get(key) if key else None,
                identifier_of=_holder(theirs, outside, key),
                identifier_row=identified_by.get(outside),
            )
            # Only now: a row is not to be refused as the earlier one of itself.
            first_line.setdefault(key, line)
            identified_by.setdefault(outside, line)
            made.append(ImportRow(job=job, number=line, cells=row, verdict=verdict.kind, messages=_messages(verdict)))
        with transaction.atomic():
            ImportRow.objects.bulk_create(made, batch_size=500)
            Import.objects.filter(pk=job.pk).update(done=min(start + PIECE, len(table.rows)))
    if job.missing_left_on is not None:
        _look_for_missing(job, columns, first_line.keys(), after=max(table.numbers, default=1))
    Import.objects.filter(pk=job.pk).update(state=Import.State.LOOKED)


def _cell(row: Sequence[str], at: int | None) -> str:
    """What stands in a column of a row; "" where there is no such column, or the row ends before it."""
    return row[at].strip() if at is not None and at < len(row) else ""


def _holder(theirs: Mapping[str, tuple[str, str]], identifier: str, number: str) -> str:
    """Who has an identifier that is to be another's; "" where nobody has it, or whom the number is of."""
    has, name = theirs.get(identifier, ("", ""))
    return name if has != number else ""


def _look_for_missing(job: Import, columns: Sequence[str], there: Collection[str], *, after: int) -> None:
    """A row for each who is not in the file and would leave for it, behind the rows of the file."""
    assert job.missing_left_on is not None
    numbers = missing_numbers(there, day=job.missing_left_on, unit=job.missing_in)
    Import.objects.filter(pk=job.pk).update(missing=len(numbers))
    for start in range(0, len(numbers), PIECE):
        some = numbers[start : start + PIECE]
        known = known_people(some)
        made = []
        for line, number in enumerate(some, after + start + 1):
            person = known[number.casefold()]
            verdict = judge_missing(person, job.missing_left_on)
            messages = ["not in the file", *_messages(verdict)]
            cells = _cells_of(person, columns)
            made.append(
                ImportRow(job=job, number=line, cells=cells, verdict=verdict.kind, messages=messages, is_missing=True)
            )
        with transaction.atomic():
            ImportRow.objects.bulk_create(made, batch_size=500)
            Import.objects.filter(pk=job.pk).update(done=F("done") + len(made))


def _cells_of(person: KnownPerson, columns: Sequence[str]) -> list[str]:
    said = {
        "number": person.number,
        "given": person.given,
        "family": person.family,
        "name": f"{person.given} {person.family}",
    }
    return [said.get(column, "") for column in columns]


def _messages(verdict: Verdict) -> list[str]:
    if verdict.problems:
        return list(verdict.problems)
    return [f"{what}: {before} → {after}" if before else f"{what}: {after}" for what, before, after in verdict.changes]


@transaction.atomic
def apply_import(*, job: Import, by: Actor) -> None:
    """Carry out every row that can be; the wrong ones stay out. Raises ImportUnready."""
    policy.require(by, "import people", job)
    idle = job.rows.filter(verdict__in=["wrong", "same"]).count()
    looked = Import.objects.filter(pk=job.pk, state=Import.State.LOOKED)
    ready = looked.update(state=Import.State.APPLYING, done=idle)
    if not ready:
        raise ImportUnready("This import was not looked through, or is under way already.")


@transaction.atomic
def apply_piece(job: Import, *, by: Actor, held: HeldWorld | None = None) -> bool:
    """The next rows, as one act; whether there are more. What changed since it was looked through is judged anew."""
    policy.require(by, "import people", job)
    waiting = job.rows.filter(is_applied=False).exclude(verdict__in=["wrong", "same"]).order_by("number")[:PIECE]
    rows = list(waiting.values_list("pk", "cells", "verdict", "is_missing"))
    columns = [column["is"] for column in job.columns]
    number = columns.index("number")
    world, today = (held or HeldWorld()).now(), clock.today()
    # As they are now: between looking through and carrying out, days may have passed.
    known = known_people(cells[number] for _, cells, _, _ in rows)
    work, otherwise = _Work(), []
    going: set[int] = set()
    everything = Account.objects.filter(is_active=True, grants__role=Role.ADMINISTRATOR)
    administrators = set(Person.objects.filter(account__in=everything).values_list("pk", flat=True))
    at = columns.index("email") if "email" in columns else None
    signs_in = _who_signs_in_with([c[at].strip().lower() for _, c, _, _ in rows if at is not None and at < len(c)])
    identifier = columns.index("outside") if "outside" in columns else None
    theirs = identified(_cell(cells, identifier) for _, cells, _, _ in rows)
    for key, cells, looked, is_missing in rows:
        person = known.get(cells[number].strip().casefold())
        if is_missing and person is not None and job.missing_left_on is not None:
            verdict = judge_missing(person, job.missing_left_on)
        else:
            verdict = judge(
                cells,
                columns,
                known=person,
                world=world,
                today=today,
                day_first=job.day_first,
                identifier_of=_holder(theirs, _cell(cells, identifier), cells[number].strip().casefold()),
            )
        if person and verdict.kind == "changed" and signs_in.get(verdict.email.lower(), person.key) != person.key:
            verdict = replace(verdict, kind="wrong", problems=(str(EmailTaken(verdict.email)),))
        if verdict.kind in ("changed", "ended") and person and verdict.left and not person.left:
            # With those who go by earlier rows of this piece: nothing of them is written yet.
            if person.key in administrators and not administrators_left(going | {person.key}):
                verdict = replace(verdict, kind="wrong", problems=(str(LastAdministrator()),))
            going.add(person.key)
        if verdict.kind != looked:
            messages = ["it is otherwise than when the file was looked through", *_messages(verdict)]
            otherwise.append(ImportRow(pk=key, verdict=verdict.kind, messages=messages))
        work.take(verdict, person)
    people, revoked, written = work.write(by)
    ImportRow.objects.filter(pk__in=[key for key, *_ in rows]).update(is_applied=True)
    ImportRow.objects.bulk_update(otherwise, ["verdict", "messages"], batch_size=100)
    if people:
        said = ", ".join(f"{count} {kind}" for kind, count in sorted(work.counts.items()))
        data = {"file": job.file_name, "said": said}
        # Each piece is an act: a file of everybody that was one would hold the pen for half a minute.
        entry = record("import_people", by=by, about=_about(job), data=data, rows=revoked, written=written)
        events.announce(events.EmploymentChanged(tuple(sorted(people))), entry.act)
    goes_on = len(rows) == PIECE
    state = Import.State.APPLYING if goes_on else Import.State.DONE
    Import.objects.filter(pk=job.pk).update(done=F("done") + len(rows), state=state)
    return goes_on


def _who_signs_in_with(emails: Collection[str]) -> dict[str, int | None]:
    """E-mail → the person (by key) who signs in with it; None where nobody's sheet has that sign-in."""
    return dict(Account.objects.filter(email__in=emails).values_list("email", "person__pk"))


@dataclass
class _Work:
    """What a piece comes to, gathered so that each table is written at once."""

    new: list[Verdict] = field(default_factory=list)
    changed: list[tuple[KnownPerson, Verdict]] = field(default_factory=list)
    counts: Counter[str] = field(default_factory=Counter)
    employments: dict[int, int] = field(default_factory=dict)
    values: dict[tuple[int, int], int] = field(default_factory=dict)
    facts: Changes = field(default_factory=Changes)

    def take(self, verdict: Verdict, known: KnownPerson | None) -> None:
        if verdict.kind == "new" and known is None:
            self.new.append(verdict)
        elif verdict.kind in ("new", "changed", "ended") and known is not None:
            self.changed.append((known, verdict))
        else:
            return
        self.counts[verdict.kind] += 1

    def write(self, by: Actor) -> tuple[set[int], list[Fact], list[tuple[str, int, str]]]:
        """Whoever was touched; what was revoked, and what was written."""
        now = clock.now()
        keys = [row["id"] for row in insert_many(Person, [_person_of(verdict, by, now) for verdict in self.new])]
        self._sheets(by)
        self._load_keys()
        for key, verdict in zip(keys, self.new, strict=True):
            self._hire(key, verdict)
        for known, verdict in self.changed:
            self._change(known, verdict)
        return {*keys, *(known.key for known, _ in self.changed)}, *self.facts.write()

    def _load_keys(self) -> None:
        """The facts that may be revoked, read once for all who are changed."""
        people = [known.key for known, _ in self.changed]
        employed = Employment.objects.known_now().filter(person__in=people)
        self.employments = dict(employed.values_list("person_id", "pk"))
        said = FieldValue.objects.known_now().filter(person__in=people)
        self.values = {(person, field): pk for person, field, pk in said.values_list("person_id", "field_id", "pk")}

    def _sheets(self, by: Actor) -> None:
        """Names, e-mails and kinds of whoever is known."""
        rows = Person.objects.in_bulk([known.key for known, _ in self.changed])
        for known, verdict in self.changed:
            row = rows[known.key]
            row.given_name, row.family_name = verdict.given or row.given_name, verdict.family or row.family_name
            row.email, row.kind = verdict.email or row.email, verdict.employment or row.kind
            row.outside_id = verdict.outside or row.outside_id
            row.revision, row.changed_at, row.changed_by = row.revision + 1, clock.now(), by.name
        names = ["given_name", "family_name", "email", "kind", "outside_id", "revision", "changed_at", "changed_by"]
        Person.objects.bulk_update(list(rows.values()), names, batch_size=100)
        said = {row.account_id: (row.name, row.email) for row in rows.values() if row.account_id is not None}
        invite_anew(follow_sheets(said))

    def _hire(self, person: int, verdict: Verdict) -> None:
        assert verdict.hired is not None, "the core lets nobody in without a first day"
        self.facts.employ(person, verdict.hired, verdict.left)
        assert verdict.unit is not None, "nor without a unit"
        first = max(verdict.moved_on or verdict.hired, verdict.hired)
        self.facts.place(person, verdict.unit, verdict.position, first, verdict.left)
        for key, value in verdict.values.items():
            self.facts.say(person, key, value)

    def _change(self, known: KnownPerson, verdict: Verdict) -> None:
        if known.hired is None:
            self._hire(known.key, verdict)
            return
        hired, left = verdict.hired or known.hired, verdict.left
        if (hired, left) != (known.hired, known.left):
            self.facts.revoke(Employment, self.employments[known.key])
            self.facts.employ(known.key, hired, left)
        self._places(known, verdict, hired, left)
        for key, value in verdict.values.items():
            if known.values.get(key, "") != value:
                if (known.key, key) in self.values:
                    self.facts.revoke(FieldValue, self.values[known.key, key])
                self.facts.say(known.key, key, value)

    def _places(self, known: KnownPerson, verdict: Verdict, hired: date, left: date | None) -> None:
        """Each placement with the days it has now: moved out of, ended by leaving, or begun with another first day."""
        for place in known.places:
            first = hired if place.first == known.hired else max(place.first, hired)
            last = place.last
            if place.key in verdict.ends and verdict.moved_on:
                last = verdict.moved_on - timedelta(days=1)
            if left is not None and (last is None or last > left):
                last = left
            if (first, last) == (place.first, place.last):
                continue
            self.facts.revoke(Placement, place.key)
            if last is None or first <= last:
                self.facts.place(known.key, place.unit, place.position, first, last)
        if verdict.unit is not None and verdict.moved_on is not None:
            self.facts.place(known.key, verdict.unit, verdict.position, verdict.moved_on, left)


def _person_of(verdict: Verdict, by: Actor, now: datetime) -> dict[str, Any]:
    return {
        "employee_number": verdict.number,
        "given_name": verdict.given,
        "family_name": verdict.family,
        "email": verdict.email,
        "outside_id": verdict.outside or None,
        "kind": verdict.employment or Person.Kind.EMPLOYEE,
        "changed_at": now,
        "changed_by": by.name,
    }


@transaction.atomic
def return_import(*, job: Import, by: Actor) -> None:
    """Begin to take every act of an import back. Raises CannotTakeBack, and then nothing was changed; ImportUnready."""
    policy.require(by, "import people", job)
    reasons = [reason for entry in _acts(job) for reason in obstacles(entry)]
    if reasons:
        raise CannotTakeBack(list(dict.fromkeys(reasons)))
    going = Import.objects.filter(pk=job.pk, state=Import.State.DONE)
    if not going.update(state=Import.State.RETURNING, done=0, trouble=""):
        raise ImportUnready("Only an import that was carried out can be taken back.")


@transaction.atomic
def return_piece(job: Import, *, by: Actor) -> bool:
    """Take the last act of an import that still holds back; whether there are more."""
    policy.require(by, "import people", job)
    acts = _acts(job)
    if not acts:
        Import.objects.filter(pk=job.pk).update(state=Import.State.RETURNED, done=job.to_do)
        return False
    try:
        take_back(acts[0], by=by)
    except CannotTakeBack as refusal:
        # Something came to depend on it since it was begun: what is taken back stays so, and the rest says why not.
        Import.objects.filter(pk=job.pk).update(state=Import.State.DONE, trouble=str(refusal)[:400])
        return False
    Import.objects.filter(pk=job.pk).update(done=F("done") + PIECE)
    return True


def _acts(job: Import) -> list[Entry]:
    """The acts of an import that were not taken back, the last first."""
    entries = Entry.objects.filter(verb="import_people", object_id=job.public_id).order_by("-number")
    taken_back = set(Entry.objects.filter(takes_back__in=entries.values("number")).values_list("takes_back", flat=True))
    return [entry for entry in entries if entry.number not in taken_back]
