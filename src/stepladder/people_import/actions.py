"""Imports: looked through first, then carried out in pieces that each are one act, so that a stopped one goes on where it stopped."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from hashlib import sha256
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
from stepladder.charts.actions import add_nodes
from stepladder.charts.dated_charts import units_tree
from stepladder.charts.models import Chart, Position, Unit
from stepladder.core.leads import Power
from stepladder.core.people_import import (
    COLUMNS,
    FIELD,
    Beside,
    KnownPerson,
    Verdict,
    World,
    figures_order,
    heads_named,
    judge,
    judge_missing,
    match_columns,
)
from stepladder.facts import Fact, insert_many
from stepladder.identity import new_public_id
from stepladder.journal.actions import Actor, Named, record
from stepladder.journal.models import Entry
from stepladder.journal.undoing import CannotTakeBack, obstacles, take_back
from stepladder.leads.models import Lead
from stepladder.people.actions.changes import Changes
from stepladder.people.actions.rank import administrators_left
from stepladder.people.models import Employment, FieldValue, Person, Placement
from stepladder.people_import.arrivals import asked_of_arrivals
from stepladder.people_import.errors import ImportUnready
from stepladder.people_import.models import Import, ImportRow, Meaning, Shape
from stepladder.people_import.world import (
    HeldWorld,
    asked_fields,
    identified,
    known_people,
    load_import_world,
    mailed,
    missing_numbers,
    single_leads,
)
from stepladder.tabular.reading import FileUnread, Table, read_table

__all__ = [
    "Missing",
    "apply_import",
    "apply_piece",
    "choose_columns",
    "choose_sheet",
    "correct_row",
    "first_cells",
    "give_managers",
    "keep_import",
    "keep_meanings",
    "look_through",
    "path_of",
    "read_import",
    "receive_import",
    "return_import",
    "return_piece",
    "table_of",
]

ONE_DAY = timedelta(days=1)

# So many rows are one act: the others who write wait no longer than for these.
PIECE = 1000
LOOKED_AT = 200


def _about(job: Import) -> Named:
    return Named("import", job.public_id, job.file_name)


def path_of(job: Import) -> Path:
    """Where the file is kept."""
    return Path(settings.MEDIA_ROOT) / job.path


def table_of(job: Import) -> Table:
    """The file of an import as it is read. Raises FileUnread."""
    fields = asked_fields()
    return read_table(path_of(job), job.file_name, names=lambda row: heads_named(row, fields), sheet=job.sheet)


def first_cells(job: Import) -> list[str]:
    """The first row below the heads, to show what a column holds."""
    try:
        return table_of(job).rows[0]
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
    _match(job)
    return job


def _match(job: Import) -> None:
    """What the columns of a file are taken for; why it cannot be read, where it cannot."""
    try:
        table = table_of(job)
    except FileUnread as refusal:
        job.state, job.trouble = Import.State.REFUSED, str(refusal)
        return
    # Before anything is judged: so columns can be told by the names of units that stand in them.
    world, fields = load_import_world(), asked_fields()
    matches = match_columns(
        table.heads,
        table.rows[:LOOKED_AT],
        fields=fields,
        units=frozenset(world.units),
        positions=frozenset(world.positions),
    )
    job.heads, job.total = table.heads, len(table.rows)
    job.sheet, job.sheets, job.above = table.sheet, list(table.sheets), list(table.above)
    job.columns = [{"is": m.column, "by": m.by, "doubt": m.doubt} for m in matches]
    kept = Shape.objects.filter(heads=_shape_of(table.heads)).first()
    if kept is not None:
        known = {*COLUMNS, *(f"{FIELD}{f.key}" for f in fields), ""}
        job.columns = [{"is": c if c in known else "", "by": "kept", "doubt": ""} for c in kept.columns]
    days = [row[n] for row in table.rows for n, c in enumerate(job.columns) if _is_day(c["is"]) and n < len(row)]
    told, order = figures_order(days), clock.calendar().order
    job.day_first = told == "day" or (told != "month" and order != "month")
    job.days_in_doubt = told == "both" or (not told and not order)


def _shape_of(heads: Sequence[str]) -> str:
    return sha256("\x1f".join(" ".join(head.casefold().split()) for head in heads).encode()).hexdigest()


@transaction.atomic
def choose_sheet(*, job: Import, sheet: str, by: Actor) -> None:
    """Read another sheet of the workbook. Raises ImportUnready."""
    policy.require(by, "import people", job)
    job.refresh_from_db(from_queryset=Import.objects.select_for_update())
    if job.state not in (Import.State.COLUMNS, Import.State.LOOKED):
        raise ImportUnready("This import is under way or done: choose the file anew to read it otherwise.")
    job.sheet, job.state, job.corrections = sheet, Import.State.COLUMNS, {}
    job.rows.all().delete()
    _match(job)
    job.save()


@transaction.atomic
def keep_meanings(
    *, job: Import, meant: Mapping[str, Unit | Position], new: Sequence[tuple[str, str]] = (), by: Actor
) -> None:
    """What words of files mean from now on: units or positions; and *new* ones as (kind, word), which are made in the main charts.

    A unit is made below the one top of its chart, else at the top as a position is. The file is to be looked through again.
    Raises NodeThere.
    """
    policy.require(by, "import people", job)
    for text, node in meant.items():
        word = text.strip().casefold()[:300]
        if isinstance(node, Unit):
            Meaning.objects.update_or_create(text=word, unit__isnull=False, defaults={"unit": node})
        else:
            Meaning.objects.update_or_create(text=word, position__isnull=False, defaults={"position": node})
        record("keep_meaning", by=by, about=_about(job), data={"text": text, "what": str(node)})
    if new:
        add_nodes(nodes=[(*_place_of_new(kind), text) for kind, text in new], by=by)
    _look_again(job)


def _place_of_new(kind: str) -> tuple[Chart, Unit | Position | None]:
    """The main chart, and below which node of it something new is made."""
    chart = Chart.objects.get(kind=kind, is_main=True)
    if kind == Chart.Kind.POSITION:
        return chart, None
    tops = Unit.objects.filter(chart=chart, pk__in=[key for key, depth in units_tree().walk() if depth == 0])
    # Where the organisation is the one top, everything hangs below it; of several tops none is meant.
    return chart, tops[0] if len(tops) == 1 else None


@transaction.atomic
def correct_row(*, job: Import, line: int, cells: Mapping[int, str], by: Actor) -> None:
    """Put cells (column number → text) of a row right: the file stays as it came. It is to be looked through again."""
    policy.require(by, "import people", job)
    job.refresh_from_db(from_queryset=Import.objects.select_for_update())
    row = {**job.corrections.get(str(line), {}), **{str(n): text[:300] for n, text in cells.items()}}
    job.corrections = {**job.corrections, str(line): row}
    job.save(update_fields=["corrections"])
    _look_again(job)


def _look_again(job: Import) -> None:
    going = Import.objects.filter(pk=job.pk, state=Import.State.LOOKED)
    if not going.update(state=Import.State.LOOKING, done=0, missing=0):
        raise ImportUnready("This import is under way or done, so nothing was changed.")
    job.refresh_from_db()


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
    Shape.objects.update_or_create(heads=_shape_of(job.heads), defaults={"columns": list(columns)})
    job.columns = [{"is": column, "by": "", "doubt": ""} for column in columns]
    job.day_first, job.state, job.done, job.missing = day_first, Import.State.LOOKING, 0, 0
    job.missing_left_on, job.missing_in = (missing.last_day, missing.unit) if missing else (None, None)
    job.save()
    job.rows.all().delete()


def look_through(job: Import) -> None:
    """Judge every row, without changing anybody; in pieces, so that its progress is true."""
    table = table_of(job)
    rows = [_corrected(row, job.corrections.get(str(n))) for row, n in zip(table.rows, table.numbers, strict=True)]
    columns = [column["is"] for column in job.columns]
    number = columns.index("number")
    world, today = load_import_world(), clock.today()
    known = known_people(_cell(row, number) for row in rows)
    beside = _BesideRows(rows, columns, job.days_in_doubt)
    first_line: dict[str, int] = {}
    with transaction.atomic():
        job.rows.all().delete()
    for start in range(0, len(rows), PIECE):
        made = []
        for row, line in zip(rows[start : start + PIECE], table.numbers[start : start + PIECE], strict=True):
            key = _cell(row, number).casefold()
            verdict = judge(
                row,
                columns,
                known=known.get(key),
                world=world,
                today=today,
                day_first=job.day_first,
                beside=replace(beside.of(row), earlier_row=first_line.get(key) if key else None),
            )
            # Only now: a row is not to be refused as the earlier one of itself.
            first_line.setdefault(key, line)
            beside.take(row, line)
            made.append(
                ImportRow(
                    job=job,
                    number=line,
                    cells=row,
                    verdict=verdict.kind,
                    messages=_messages(verdict),
                    notes=list(verdict.notes),
                )
            )
        with transaction.atomic():
            ImportRow.objects.bulk_create(made, batch_size=500)
            Import.objects.filter(pk=job.pk).update(done=min(start + PIECE, len(rows)))
    if job.missing_left_on is not None:
        _look_for_missing(job, columns, first_line.keys(), after=max(table.numbers, default=1))
    _foretell(job)
    Import.objects.filter(pk=job.pk).update(state=Import.State.LOOKED)


def _corrected(row: list[str], cells: Mapping[str, str] | None) -> list[str]:
    if not cells:
        return row
    wide = [*row, *[""] * (1 + max(map(int, cells)) - len(row))]
    return [cells.get(str(n), text) for n, text in enumerate(wide)]


class _BesideRows:
    """What rows are held against beside their own person; the people they speak of are read once for all of them."""

    def __init__(self, rows: Sequence[Sequence[str]], columns: Sequence[str], days_in_doubt: bool) -> None:
        self._at = {column: n for n, column in enumerate(columns) if column}
        self._identified = identified(self._text(row, "outside") for row in rows)
        self._mailed = mailed(self._text(row, "email") for row in rows)
        asked = {self._text(row, "manager") for row in rows} - {""}
        numbers = {self._text(row, "number").casefold() for row in rows}
        self._managers = numbers | set(known_people(asked)) if asked else numbers
        self._rows: dict[tuple[str, str], int] = {}
        self._days_in_doubt = days_in_doubt

    def _text(self, row: Sequence[str], column: str) -> str:
        return _cell(row, self._at.get(column))

    def of(self, row: Sequence[str]) -> Beside:
        key, outside = self._text(row, "number").casefold(), self._text(row, "outside")
        email = self._text(row, "email").lower()
        return Beside(
            identifier_of=_holder(self._identified, outside, key),
            identifier_row=self._rows.get(("outside", outside)) if outside else None,
            email_of=_holder(self._mailed, email, key),
            email_row=self._rows.get(("email", email)) if email else None,
            managers=self._managers,
            days_in_doubt=self._days_in_doubt,
        )

    def take(self, row: Sequence[str], line: int) -> None:
        """The row was judged: the later ones are held against it."""
        self._rows.setdefault(("outside", self._text(row, "outside")), line)
        self._rows.setdefault(("email", self._text(row, "email").lower()), line)


# Of so many who are new it is told what each will be asked: they are recorded, looked at, and that is rolled back.
FORETOLD = 500


def _foretell(job: Import) -> None:
    """What each of those who are new will be asked, and who would be late as they come."""
    rows = list(job.rows.filter(verdict="new").order_by("number")[:FORETOLD])
    if not rows:
        Import.objects.filter(pk=job.pk).update(asked=[], late=0)
        return
    number = [column["is"] for column in job.columns].index("number")
    with transaction.atomic():
        with events.held():
            work, *_ = _judged(job, [(row.pk, row.cells, row.verdict, False) for row in rows], load_import_world())
            people, *_ = work.write(job.account)
        asked = asked_of_arrivals(sorted(people))
        by_number = dict(Person.objects.filter(pk__in=people).values_list("employee_number", "pk"))
        transaction.set_rollback(True)
    counts: Counter[str] = Counter()
    for row in rows:
        theirs = asked.get(by_number.get(_cell(row.cells, number), 0), [])
        row.asked = [[one.title, one.due.isoformat() if one.due else "", one.is_late] for one in theirs]
        counts.update({one.title for one in theirs})
    with transaction.atomic():
        ImportRow.objects.bulk_update(rows, ["asked"], batch_size=200)
        late = sum(any(is_late for *_, is_late in row.asked) for row in rows)
        Import.objects.filter(pk=job.pk).update(asked=counts.most_common(), late=late)


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
    work, otherwise = _judged(job, rows, (held or HeldWorld()).now())
    people, revoked, written = work.write(by)
    ImportRow.objects.filter(pk__in=[key for key, *_ in rows]).update(is_applied=True)
    ImportRow.objects.bulk_update(otherwise, ["verdict", "messages"], batch_size=100)
    goes_on = len(rows) == PIECE
    if people:
        said = ", ".join(f"{count} {kind}" for kind, count in sorted(work.counts.items()))
        data = {"file": job.file_name, "said": said}
        # Each piece is an act: a file of everybody that was one would hold the pen for half a minute.
        entry = record("import_people", by=by, about=_about(job), data=data, rows=revoked, written=written)
        events.announce(events.EmploymentChanged(tuple(sorted(people))), entry.act)
    if not goes_on:
        # Last, for somebody's manager may stand below them in the file.
        give_managers(job, by=by)
    state = Import.State.APPLYING if goes_on else Import.State.DONE
    Import.objects.filter(pk=job.pk).update(done=F("done") + len(rows), state=state)
    return goes_on


# A row as it waits: its key, its cells, what was made of it, and whether it is of somebody who is missing.
Waiting = tuple[int, list[str], str, bool]


def _judged(job: Import, rows: Sequence[Waiting], world: World) -> tuple[_Work, list[ImportRow]]:
    """What rows come to now, and those of which that is otherwise than when the file was looked through."""
    columns = [column["is"] for column in job.columns]
    number, today = columns.index("number"), clock.today()
    # As they are now: between looking through and carrying out, days may have passed.
    known = known_people(_cell(cells, number) for _, cells, _, _ in rows)
    work, otherwise = _Work(), []
    going: set[int] = set()
    everything = Account.objects.filter(is_active=True, grants__role=Role.ADMINISTRATOR)
    administrators = set(Person.objects.filter(account__in=everything).values_list("pk", flat=True))
    at = columns.index("email") if "email" in columns else None
    signs_in = _who_signs_in_with([_cell(cells, at).lower() for _, cells, _, _ in rows if _cell(cells, at)])
    beside = _BesideRows([cells for _, cells, _, _ in rows], columns, days_in_doubt=False)
    for key, cells, looked, is_missing in rows:
        person = known.get(_cell(cells, number).casefold())
        if is_missing and person is not None and job.missing_left_on is not None:
            verdict = judge_missing(person, job.missing_left_on)
        else:
            # A manager may be in another piece of the file: what stands against one was said when it was looked through.
            about = replace(beside.of(cells), managers=None)
            verdict = judge(
                cells, columns, known=person, world=world, today=today, day_first=job.day_first, beside=about
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
    return work, otherwise


def give_managers(job: Import, *, by: Actor) -> None:
    """Whoever has a manager's number in the file answers to them by name from now on, or from their first day."""
    policy.require(by, "import people", job)
    columns = [column["is"] for column in job.columns]
    if "manager" not in columns:
        return
    number, manager = columns.index("number"), columns.index("manager")
    applied = job.rows.filter(is_applied=True, verdict__in=["new", "changed"], is_missing=False)
    wanted = {
        _cell(cells, number).casefold(): _cell(cells, manager).casefold()
        for cells in applied.values_list("cells", flat=True)
        if _cell(cells, manager)
    }
    known = known_people([*wanted, *wanted.values()])
    today = clock.today()
    before = {lead.named[0]: lead for lead in single_leads()}
    rows: list[Fact] = []
    led = set()
    for theirs, holder_number in wanted.items():
        person, holder = known.get(theirs), known.get(holder_number)
        if person is None or holder is None or person.key == holder.key or person.hired is None:
            continue
        old = before.get(person.key)
        if old is not None and old.holder_person_id == holder.key:
            continue
        first = max(today, person.hired)
        if old is not None:
            # It ends the day before; one that would end before it began never was.
            ended = old.replaced_by({"to_day": first - ONE_DAY}) if old.from_day < first else old.replaced_by()
            rows += [old, *ended]
        rows.append(
            Lead.objects.create(
                holder_person_id=holder.key,
                field=Lead.Field.NAMED,
                named=[person.key],
                powers=[str(Power.SEE_RECORDS), str(Power.ASSIGN)],
                from_day=first,
            )
        )
        led.add(person.key)
    if led:
        said = f"{len(led)} answer to their managers"
        record("import_people", by=by, about=_about(job), data={"file": job.file_name, "said": said}, rows=rows)


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
            row.phone = verdict.phone or row.phone
            row.revision, row.changed_at, row.changed_by = row.revision + 1, clock.now(), by.name
        names = [
            "given_name",
            "family_name",
            "email",
            "kind",
            "outside_id",
            "phone",
            "revision",
            "changed_at",
            "changed_by",
        ]
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
        "phone": verdict.phone,
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
