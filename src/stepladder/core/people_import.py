"""Rows of a file against the people there are: which column is what, and what each row would do.

Nothing is written here: cells and known people in, verdicts out. An empty cell says nothing, so a file may leave columns out.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from functools import lru_cache
from typing import Literal

from rapidfuzz import fuzz, process

from stepladder.core.days import AmbiguousDay, DayError, DayOrder, read_day
from stepladder.core.fields import FieldKind, ValueUnread, read_value

__all__ = [
    "COLUMNS",
    "Beside",
    "FieldAsked",
    "KnownPerson",
    "Match",
    "Place",
    "Verdict",
    "World",
    "figures_order",
    "heads_named",
    "judge",
    "judge_missing",
    "match_columns",
    "nearest",
    "plain_path",
]

WHOSE = ("employee", "personnel", "staff", "person", "worker", "payroll")
# A column's key, how one calls it, and the heads that mean it, folded.
COLUMNS: dict[str, tuple[str, tuple[str, ...]]] = {
    "number": (
        "Employee number",
        ("number", "no", "id", *(f"{who}{what}" for who in WHOSE for what in ("number", "no", "nr", "id", "code"))),
    ),
    "given": ("Given name", ("givenname", "firstname", "forename", "given", "first")),
    "family": ("Family name", ("familyname", "lastname", "surname", "family", "last")),
    "name": ("Whole name", ("name", "fullname", "employee", "employeename")),
    "email": ("E-mail", ("email", "mail", "emailaddress", "mailaddress")),
    "outside": (
        "Identifier elsewhere",
        (
            "outsideid",
            "externalid",
            "externalidentifier",
            "identifierelsewhere",
            "identifier",
            "directoryid",
            "guid",
            "uuid",
        ),
    ),
    "phone": (
        "Phone",
        ("phone", "telephone", "tel", "mobile", "cell", "phonenumber", "mobilenumber", "telephonenumber"),
    ),
    "manager": (
        "Manager’s number",
        (
            "manager",
            *(f"manager{what}" for what in ("no", "nr", "id", "number", "sno", "snumber", "code")),
            *(f"{who}{what}" for who in ("supervisor", "linemanager", "lead") for what in ("", "no", "id", "number")),
            "reportsto",
            "answersto",
        ),
    ),
    "kind": ("Kind", ("kind", "employment", "employmentkind", "type")),
    "unit": ("Unit", ("unit", "department", "vessel", "team", "division", "organisationalunit", "orgunit")),
    "position": ("Position", ("position", "job", "jobtitle", "title", "rank", "function")),
    "hired": ("Hired on", ("hired", "hiredon", "hiredate", "startdate", "start", "joined", "entrydate", "firstday")),
    "left": ("Last day", ("left", "lefton", "lastday", "enddate", "end", "leavingdate", "exitdate", "leaves")),
    "from": (
        "In the unit from",
        ("from", "placedfrom", "inunitfrom", "since", "validfrom", "placementfrom", "movedon"),
    ),
}
FIELD = "field:"
# From how many of a hundred on a head is nearly one that is known, and a name the one that was meant.
ALIKE, MEANT = 84, 60
LONGEST_IDENTIFIER, LONGEST_PHONE = 120, 40
EMAIL = re.compile(r"^[^@\s]+@[^@\s]+\.[^@\s]+$")


@dataclass(frozen=True)
class FieldAsked:
    """A custom field that a column may fill."""

    key: int
    name: str
    kind: FieldKind
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class Match:
    """What a column is taken for (a key of COLUMNS, "field:<key>", or "" for nothing) and by what."""

    column: str
    by: Literal["name", "likeness", "look", ""] = ""
    doubt: str = ""


def _folded(head: str) -> str:
    return re.sub(r"[^0-9a-z]", "", head.casefold().replace("ß", "ss"))


def heads_named(cells: Sequence[str], fields: Sequence[FieldAsked] = ()) -> int:
    """How many cells of a row are the name of a column: of several first rows, the heads are where most are."""
    known = {head for _, heads in COLUMNS.values() for head in heads} | {_folded(f.name) for f in fields}
    return len({plain for cell in cells if (plain := _folded(cell)) in known})


def nearest(text: str, names: Iterable[str], least: int) -> str | None:
    """The name that is most like a text, from so many of a hundred on; None where none is."""
    found = process.extractOne(text, list(names), scorer=fuzz.ratio, score_cutoff=least)
    return found[0] if found else None


def match_columns(
    heads: Sequence[str],
    rows: Sequence[Sequence[str]],
    *,
    fields: Sequence[FieldAsked] = (),
    units: frozenset[str] = frozenset(),
    positions: frozenset[str] = frozenset(),
) -> list[Match]:
    """What each column is: by its head, by a head that is nearly right, or by the look of its first cells.

    *units* and *positions* are names, casefolded. Each meaning is given once; a second column for it is left out and said so.
    """
    names = {head: key for key, (_, known) in COLUMNS.items() for head in known}
    names |= {_folded(f.name): f"{FIELD}{f.key}" for f in fields}
    found: list[Match] = []
    for head in heads:
        plain = _folded(head)
        # Short heads are all alike: "pos" is as near to "no" as to "position".
        near = nearest(plain, names, ALIKE) if len(plain) > 3 else None
        if plain in names:
            found.append(Match(names[plain], "name"))
        else:
            found.append(Match(names[near], "likeness") if near else Match(""))
    found = _once(heads, found)
    used = {match.column for match in found}
    for n, match in enumerate(found):
        if match.column or match.doubt:
            continue
        look = _by_look([row[n] for row in rows if n < len(row)], units, positions)
        if look and look not in used:
            found[n] = Match(look, "look")
            used.add(look)
    return found


def _once(heads: Sequence[str], matches: Sequence[Match]) -> list[Match]:
    """The surest column for each meaning; the others are told what stands against them."""
    # A head that says it outright wins over one that nearly does, whichever of them stands first.
    best: dict[str, int] = {}
    for n, match in enumerate(matches):
        if match.column and (
            match.column not in best or (matches[best[match.column]].by != "name" and match.by == "name")
        ):
            best[match.column] = n
    kept = []
    for n, match in enumerate(matches):
        if match.column and best[match.column] != n:
            kept.append(Match("", "", f"“{heads[best[match.column]]}” is taken for it already."))
        else:
            kept.append(match)
    return kept


def _by_look(cells: Sequence[str], units: frozenset[str], positions: frozenset[str]) -> str:
    filled = [cell.strip() for cell in cells if cell.strip()]
    if len(filled) < 2:
        return ""
    if all(EMAIL.match(cell) for cell in filled):
        return "email"
    for key, names in (("unit", units), ("position", positions)):
        # Not all of them: a file may name units that are still to be made, or misspell some.
        if sum(cell.casefold() in names for cell in filled) >= 0.6 * len(filled):
            return key
    # Days have figures too, and so have years of service: what tells people apart is nearly everywhere another.
    if len(set(filled)) >= 0.8 * len(filled) and all(
        re.search(r"\d", c) and len(c) <= 20 and not _is_day(c) for c in filled
    ):
        return "number"
    return "hired" if all(_is_day(cell) for cell in filled) else ""


def _is_day(cell: str) -> bool:
    try:
        read_day(cell)
    except AmbiguousDay:
        return True
    except DayError:
        return False
    return True


def figures_order(cells: Iterable[str]) -> Literal["", "day", "month", "both"]:
    """What the days of a file that are in figures tell of their order: "" where each could be read both ways, "both" where some
    can only be read the one way, and some only the other."""
    told = set()
    for cell in cells:
        match = re.match(r"^(\d{1,2})[./\-](\d{1,2})[./\-]\d{2,4}$", cell.strip())
        if not match:
            continue
        if int(match[2]) > 12 >= int(match[1]):
            told.add("month")
        elif int(match[1]) > 12 >= int(match[2]):
            told.add("day")
    if len(told) == 2:
        return "both"
    return "day" if "day" in told else "month" if "month" in told else ""


@dataclass(frozen=True)
class Place:
    """A placement of a known person. *key* is the caller's."""

    key: int
    unit: int
    position: int | None
    first: date
    last: date | None


@dataclass(frozen=True)
class KnownPerson:
    """Somebody the file may speak of. *hired* None: their hiring was taken back."""

    key: int
    number: str
    given: str
    family: str
    email: str
    kind: str
    hired: date | None
    left: date | None
    places: tuple[Place, ...] = ()
    values: Mapping[int, str] = field(default_factory=dict)
    outside: str = ""
    phone: str = ""
    # The number of who leads them by name.
    manager: str = ""
    # Only their number is kept.
    is_shortened: bool = False


@dataclass(frozen=True)
class World:
    """What cells may name: units and positions by name and path, casefolded (None where a name is there twice)."""

    units: Mapping[str, int | None]
    positions: Mapping[str, int | None]
    unit_names: Mapping[int, str]
    position_names: Mapping[int, str]
    fields: Mapping[int, FieldAsked] = field(default_factory=dict)
    locked: frozenset[int] = frozenset()


@dataclass(frozen=True)
class Verdict:
    """What a row would do: what it says, read, and *changes* as (what, before, after), as people read them.

    *problems* keep it out; *notes* say what of it is left out, or is in doubt, and keep nobody out.
    """

    kind: Literal["new", "changed", "ended", "same", "wrong"]
    number: str = ""
    changes: tuple[tuple[str, str, str], ...] = ()
    problems: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    person: int | None = None
    given: str = ""
    family: str = ""
    email: str = ""
    phone: str = ""
    outside: str = ""
    manager: str = ""
    employment: str = ""
    unit: int | None = None
    position: int | None = None
    hired: date | None = None
    left: date | None = None
    moved_on: date | None = None
    ends: tuple[int, ...] = ()
    values: Mapping[int, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Beside:
    """What a row is held against beside its own person: other people, and earlier rows of the file.

    *earlier_row* has the same number. Somebody else, *identifier_of*, has the identifier that it gives, or an earlier row,
    *identifier_row*; *email_of* and *email_row* have its address. *managers*: the numbers, casefolded, that a manager can have; None:
    whatever is said. *days_in_doubt*: the file does not tell the order of its figures.
    """

    earlier_row: int | None = None
    identifier_of: str = ""
    identifier_row: int | None = None
    email_of: str = ""
    email_row: int | None = None
    managers: Collection[str] | None = None
    days_in_doubt: bool = False


ALONE = Beside()


class _Row:
    """The cells of a row, read one by one; what cannot be read is gathered."""

    def __init__(
        self, cells: Sequence[str], columns: Sequence[str], world: World, day_first: bool, beside: Beside
    ) -> None:
        self._cells = {c: cells[n].strip() if n < len(cells) else "" for n, c in enumerate(columns) if c}
        self._world, self._beside = world, beside
        self._order: DayOrder = "day" if day_first else "month"
        self.problems: list[str] = []
        self.notes: list[str] = []

    def text(self, column: str) -> str:
        return self._cells.get(column, "")

    def day(self, column: str) -> date | None:
        text = self.text(column)
        if not text:
            return None
        label = COLUMNS[column][0]
        try:
            day = read_day(text, order=self._order)
        except DayError as refusal:
            self.problems.append(f"{label}: {refusal}")
            return None
        if self._beside.days_in_doubt and (other := _other_reading(text, day)):
            self.notes.append(f"{label}: “{text}” is read as {_written(day)}; it could be {_written(other)}.")
        return day

    def names(self) -> tuple[str, str]:
        given, family, whole = self.text("given"), self.text("family"), self.text("name")
        if whole and not (given and family):
            if "," in whole:
                family, _, given = (part.strip() for part in whole.partition(","))
            else:
                given, _, family = (part.strip() for part in whole.rpartition(" "))
        return given, family

    def node(self, column: str, known: Mapping[str, int | None]) -> int | None:
        text = self.text(column)
        if not text:
            return None
        plain = plain_path(text)
        what = COLUMNS[column][0].lower()
        # As it is written, too: a name may have a sign in it that would part a path.
        if plain in known or text.casefold() in known:
            node = known.get(plain, known.get(text.casefold()))
            if node is None:
                self.problems.append(f"{COLUMNS[column][0]}: there is more than one {what} “{text}”. Write its path.")
            return node
        near = nearest(plain, known, MEANT)
        names = {**self._world.unit_names} if column == "unit" else {**self._world.position_names}
        hint = ""
        if near and (key := known[near]) is not None:
            hint = f" Did you mean “{names[key]}”?"
        self.problems.append(f"{COLUMNS[column][0]}: no {what} “{text}” is in the charts.{hint}")
        return None

    def email(self) -> str:
        text = self.text("email")
        if text and not EMAIL.match(text):
            self.notes.append(f"E-mail: “{text}” is no e-mail address. It is left out.")
            return ""
        beside = self._beside
        has = beside.email_of or (f"row {beside.email_row}" if beside.email_row is not None else "")
        if text and has:
            self.notes.append(f"E-mail: {has} has “{text}” too. Only one of them can sign in with it.")
        return text

    def phone(self) -> str:
        text = " ".join(self.text("phone").split())
        if len(text) > LONGEST_PHONE or (text and not re.search(r"\d{3}", text.replace(" ", ""))):
            self.notes.append(f"Phone: “{text[:LONGEST_PHONE]}” is no number to call. It is left out.")
            return ""
        return text

    def manager(self, own: str) -> str:
        text, known = self.text("manager"), self._beside.managers
        if not text:
            return ""
        if text.casefold() == own.casefold():
            self.notes.append("Manager’s number: it is their own. It is left out.")
            return ""
        if known is not None and text.casefold() not in known:
            self.notes.append(f"Manager’s number: nobody has “{text}”. It is left out.")
            return ""
        return text

    def outside(self) -> str:
        """What another system calls them: nobody else's, and no earlier row's."""
        text, holder, earlier_row = self.text("outside"), self._beside.identifier_of, self._beside.identifier_row
        if len(text) > LONGEST_IDENTIFIER:
            self.problems.append(f"Identifier elsewhere: it has more than {LONGEST_IDENTIFIER} letters.")
        elif holder:
            self.problems.append(f"Identifier elsewhere: {holder} has “{text}” already.")
        elif text and earlier_row is not None:
            self.problems.append(f"Identifier elsewhere: row {earlier_row} has “{text}” already.")
        return text

    def employment(self) -> str:
        text = self.text("kind").casefold()
        if not text:
            return ""
        if text in ("employee", "employed", "internal"):
            return "employee"
        if text in ("outside", "outside learner", "external", "partner", "contractor"):
            return "outside"
        self.notes.append(f"Kind: “{self.text('kind')}” is neither employee nor outside. It is left out.")
        return ""

    def values(self) -> dict[int, str]:
        found = {}
        for asked in self._world.fields.values():
            text = self.text(f"{FIELD}{asked.key}")
            if not text:
                continue
            try:
                found[asked.key] = read_value(asked.kind, text, choices=asked.choices, order=self._order)
            except ValueUnread as refusal:
                self.notes.append(f"{asked.name}: {refusal} It is left out.")
        return found


def judge(
    cells: Sequence[str],
    columns: Sequence[str],
    *,
    known: KnownPerson | None,
    world: World,
    today: date,
    day_first: bool = True,
    beside: Beside = ALONE,
) -> Verdict:
    """What a row would do to the person with its number (None: nobody has it)."""
    row = _Row(cells, columns, world, day_first, beside)
    number = row.text("number")
    if not number:
        return Verdict("wrong", problems=("There is no employee number. Each row needs one.",))
    if beside.earlier_row is not None:
        return Verdict("wrong", number, problems=(f"Row {beside.earlier_row} has the number {number} already.",))
    given, family = row.names()
    said = Verdict(
        "same",
        number,
        person=known.key if known else None,
        given=given,
        family=family,
        email=row.email(),
        phone=row.phone(),
        outside=row.outside(),
        manager=row.manager(number),
        employment=row.employment(),
        unit=row.node("unit", world.units),
        position=row.node("position", world.positions),
        hired=row.day("hired"),
        left=row.day("left"),
        moved_on=row.day("from"),
        values=row.values(),
    )
    for node, names in ((said.unit, world.unit_names),):
        if node is not None and node in world.locked and not _is_there(known, node, today):
            row.problems.append(f"Unit: {names[node]} is locked. Place people there one by one.")
    if known is None or known.hired is None:
        return _with(_as_new(said, known, row.problems, world), notes=tuple(row.notes))
    return _with(_as_known(said, known, row.problems, world, today), notes=tuple(row.notes))


def judge_missing(known: KnownPerson, last_day: date) -> Verdict:
    """What becomes of somebody who is not in a file of everybody: they left with *last_day*, or before; who comes later stays."""
    is_employed = known.hired is not None and known.hired <= last_day and (known.left is None or known.left > last_day)
    if not is_employed:
        return Verdict("same", known.number, person=known.key)
    changes = (("last day", _written(known.left), _written(last_day)),)
    return Verdict("ended", known.number, changes, person=known.key, hired=known.hired, left=last_day)


def _is_there(known: KnownPerson | None, unit: int, today: date) -> bool:
    return known is not None and any(place.unit == unit and _open(place, today) for place in known.places)


def _open(place: Place, today: date) -> bool:
    return place.last is None or place.last >= today


def _with(said: Verdict, **changes: object) -> Verdict:
    return Verdict(**{**{name: getattr(said, name) for name in Verdict.__dataclass_fields__}, **changes})


def _as_new(said: Verdict, known: KnownPerson | None, problems: list[str], world: World) -> Verdict:
    given, family = said.given or (known.given if known else ""), said.family or (known.family if known else "")
    needed = {"Given name": given, "Family name": family, "Hired on": said.hired, "Unit": said.unit}
    named = {problem.partition(":")[0] for problem in problems}
    problems += [f"{name}: somebody new needs it." for name, value in needed.items() if not value and name not in named]
    if said.hired and said.left and said.left < said.hired:
        problems.append("Last day: it is before the first.")
    if problems:
        return _with(said, kind="wrong", problems=tuple(problems))
    where = world.unit_names[said.unit] if said.unit is not None else ""
    if said.position is not None:
        where = f"{world.position_names[said.position]}, {where}"
    changes = [("hired", "", _written(said.hired)), ("placed", "", where)]
    changes += [("manager", "", said.manager)] if said.manager else []
    return _with(said, kind="new", given=given, family=family, changes=tuple(changes))


def _as_known(said: Verdict, known: KnownPerson, problems: list[str], world: World, today: date) -> Verdict:
    changes: list[tuple[str, str, str]] = []
    assert known.hired is not None
    if known.is_shortened:
        problems.append(f"{known.number} left, and only the number is kept. Leave the row out of the file.")
    elif known.left is not None and known.left < today and said.left != known.left:
        problems.append(
            f"{known.given} {known.family} with this number left on {_written(known.left)}. Numbers are never used again."
        )
    hired = said.hired or known.hired
    left = said.left if said.left is not None else known.left
    for label, old, new in (
        ("given name", known.given, said.given),
        ("family name", known.family, said.family),
        ("e-mail", known.email, said.email),
        ("phone", known.phone, said.phone),
        ("manager", known.manager, said.manager),
        ("identifier elsewhere", known.outside, said.outside),
        ("kind", known.kind, said.employment),
        ("hired on", _written(known.hired), _written(hired)),
    ):
        if new and new != old:
            changes.append((label, old, new))
    for key, value in said.values.items():
        if known.values.get(key, "") != value:
            changes.append((world.fields[key].name, known.values.get(key, ""), value))
    if left is not None and left < hired:
        problems.append("Last day: it is before the first.")
    said, moved = _move(said, known, problems, world, today, hired, left)
    changes += moved
    ended = left != known.left
    if ended:
        changes.append(("last day", _written(known.left), _written(left)))
    if problems:
        return _with(said, kind="wrong", problems=tuple(problems))
    kind = "ended" if ended else "changed" if changes else "same"
    return _with(said, kind=kind, changes=tuple(changes), hired=hired, left=left)


def _move(
    said: Verdict, known: KnownPerson, problems: list[str], world: World, today: date, hired: date, left: date | None
) -> tuple[Verdict, list[tuple[str, str, str]]]:
    """Whether the unit and position of the row are where the person is, or where they go from a day on."""
    open_now = [place for place in known.places if _open(place, today)]
    # The newest: a row that names a position alone means the unit that somebody is in by now.
    main = open_now[-1] if open_now else None
    unit = said.unit if said.unit is not None else main.unit if main and said.position is not None else None
    if unit is None:
        return _with(said, unit=None, position=None, moved_on=None), []
    position = said.position if said.position is not None else main.position if main else None
    if any(place.unit == unit and place.position == position for place in open_now):
        return _with(said, unit=None, position=None, moved_on=None), []
    day = said.moved_on or max(today, hired)
    if day < hired or (left is not None and day > left):
        problems.append(f"In the unit from: {_written(day)} is not within the employment.")
    ends = [place for place in open_now if place.first < day]
    # Ending these would be to say that they never were, which no row of a file can mean.
    late = [place for place in open_now if place.first >= day]
    if late:
        problems.append(f"In the unit from: they are placed from {_written(late[0].first)} on; choose a later day.")
    before = ", ".join(_where(place.unit, place.position, world) for place in ends)
    moved = _with(said, unit=unit, position=position, moved_on=day, ends=tuple(place.key for place in ends))
    return moved, [("placed", before, f"{_where(unit, position, world)} from {_written(day)}")]


def _where(unit: int, position: int | None, world: World) -> str:
    name = world.unit_names.get(unit, "?")
    return f"{world.position_names.get(position, '?')}, {name}" if position is not None else name


def _other_reading(text: str, read: date) -> date | None:
    """What figures mean with day and month the other way round, where they could."""
    match = re.match(r"^(\d{1,2})[/\-](\d{1,2})[/\-]\d{2,4}$", text.strip())
    if not match or read.day > 12 or read.day == read.month:
        return None
    return read.replace(day=read.month, month=read.day)


@lru_cache(maxsize=10_000)
def plain_path(text: str) -> str:
    """A path as it is compared, whatever sign is between its parts."""
    return " › ".join(part.strip() for part in re.split(r"[›>/]", text)).casefold()


@lru_cache(maxsize=10_000)
def _written(day: date | None) -> str:
    return f"{day:%-d %b %Y}" if day else ""
