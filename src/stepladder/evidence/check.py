#!/usr/bin/env python3
"""Checks an evidence pack, on any machine that has Python 3.9 or newer, without a network and without anything else.

    python3 check.py                         the pack that this file lies in
    python3 check.py pack.zip                a pack as it was fetched
    python3 check.py --head NUMBER:DIGEST    ... against a head of the journal that was sent or kept before
    python3 check.py --seal DIGEST           ... against the seal that the pack’s page shows
    python3 check.py --who                   ... and say of everybody how they stood, and by what

Nothing is taken on trust that can be reckoned: what files hold, how entries of the journal are chained, that every row is as an
entry left it, and who was covered, which is worked out anew from completions and rules. It ends with 0 if all of it holds.
"""

from __future__ import annotations

import argparse
import calendar
import csv
import hashlib
import io
import json
import sys
import zipfile
import zlib
from collections import defaultdict
from datetime import date, timedelta
from pathlib import Path
from typing import IO, Any, Callable, Dict, Iterator, Sequence, Tuple

PACK, CHAIN, ENTRIES, LEFT, COVERED, DOCUMENTS = (
    "pack.json",
    "journal/chain.txt",
    "journal/entries.jsonl",
    "journal/rows.txt",
    "covered.csv",
    "documents.csv",
)
FIRST = "0" * 64
SHORTENED = "journal_shortened"
BLOCK = 1024 * 1024
FOREVER = date.max
# A completion of a course that counts as another one is no older edition of that.
ANOTHER_COURSE = 10**6
# So many of one kind of trouble are told one by one.
TOLD = 20
# What JSON says of a thing; table -> key -> (digest, what the row says); (table, key) -> (entry, digest).
Said = Dict[str, Any]
Rows = Dict[str, Dict[int, Tuple[str, Said]]]
Left = Dict[Tuple[str, int], Tuple[int, str]]
# The number of an entry -> (digest of its content, its own digest, what it says).
Contents = Dict[int, Tuple[str, str, str]]
Say = Callable[[str], None]


class Unreadable(Exception):
    """What cannot be checked at all, as a sentence."""


class Bundle:
    """The files of a pack: of a zip, or of the folder that one was unpacked into."""

    def __init__(self, path: str | Path) -> None:
        self.path = Path(path)
        self.zip: zipfile.ZipFile | None = None
        if self.path.is_file():
            try:
                self.zip = zipfile.ZipFile(self.path)
            except (zipfile.BadZipFile, OSError, ValueError) as error:
                raise Unreadable(f"{self.path} is no zip that can be read ({error}).") from None
            self.names = [info.filename for info in self.zip.infolist() if not info.is_dir()]
        elif self.path.is_dir():
            files = (file for file in self.path.rglob("*") if file.is_file())
            self.names = sorted(str(file.relative_to(self.path)).replace("\\", "/") for file in files)
        else:
            raise Unreadable(f"There is no {self.path}.")

    def open(self, name: str) -> IO[bytes]:
        """A file to be read in bytes; whatever is wrong with it comes as Unreadable, here or when it is read."""
        try:
            return self.zip.open(name) if self.zip else (self.path / name).open("rb")
        except (KeyError, OSError, RuntimeError, NotImplementedError, ValueError, zipfile.BadZipFile) as error:
            raise Unreadable(f"{name} cannot be read ({error}).") from None

    def digest(self, name: str) -> tuple[int, str]:
        """(bytes, SHA-256) of a file."""
        size, digest = 0, hashlib.sha256()
        with self.open(name) as file:
            try:
                while block := file.read(BLOCK):
                    size += len(block)
                    digest.update(block)
            except (OSError, EOFError, zlib.error, zipfile.BadZipFile, ValueError) as error:
                raise Unreadable(f"{name} cannot be read ({error}).") from None
        return size, digest.hexdigest()

    def lines(self, name: str) -> Iterator[bytes]:
        """The lines of a file as bytes, without their ends."""
        with self.open(name) as file:
            for line in file:
                yield line.rstrip(b"\n")

    def table(self, name: str) -> Iterator[dict[str, str]]:
        """The rows of a CSV file, each by its heads."""
        with io.TextIOWrapper(self.open(name), encoding="utf-8-sig", newline="") as file:
            yield from csv.DictReader(file)

    def close(self) -> None:
        if self.zip:
            self.zip.close()


class Report:
    """What was found: sentences that hold, that do not, and that nobody could check."""

    def __init__(self) -> None:
        self.holds: list[str] = []
        self.fails: list[str] = []
        self.open: list[str] = []

    @property
    def is_whole(self) -> bool:
        return not self.fails

    def fail_each(self, troubles: list[str]) -> None:
        """Tell troubles of one kind, of many the first."""
        self.fails += troubles[:TOLD]
        if len(troubles) > TOLD:
            self.fails.append(f"And {len(troubles) - TOLD} more like these.")


def check(path: str | Path, heads: Sequence[str] = (), seal: str = "", who: Say | None = None) -> Report:
    """Everything about a pack, as a Report; *who* is given a sentence for each person and course. Raises Unreadable."""
    report, bundle = Report(), Bundle(path)
    try:
        with bundle.open(PACK) as file:
            stated = file.read()
        pack = json.loads(stated)
        if pack["format"] != "stepladder evidence pack" or pack["version"] != 1:
            raise Unreadable("This pack is of another form than this file checks. Take the check.py that lies in it.")
        _check_files(bundle, pack, report)
        _check_seal(stated, seal, report)
        if report.fails:
            report.open.append("What the files say was not looked at: they are not those that were packed.")
            return report
        rows = _read_rows(bundle, pack)
        contents, left = _check_entries(bundle, rows, report)
        _check_chain(bundle, pack, contents, heads, report)
        _check_rows(rows, left, report)
        facts = Facts(rows, pack)
        _check_covered(bundle, pack, facts, report, who)
        _check_documents(bundle, rows, report)
    except (OSError, EOFError, ValueError, KeyError, TypeError, zlib.error, zipfile.BadZipFile) as error:
        raise Unreadable(f"The pack cannot be read: {type(error).__name__}: {error}.") from None
    finally:
        bundle.close()
    return report


def _check_files(bundle: Bundle, pack: Said, report: Report) -> None:
    troubles, stated = [], pack["files"]
    there = set(bundle.names)
    if len(there) != len(bundle.names):
        twice = sorted({name for name in bundle.names if bundle.names.count(name) > 1})
        troubles.append(f"In the pack twice: {', '.join(twice)}.")
    troubles += [f"{name} is missing." for name in sorted(set(stated) - there)]
    troubles += [f"{name} was added: it was not packed." for name in sorted(there - set(stated) - {PACK})]
    for name in sorted(there & set(stated)):
        try:
            if bundle.digest(name) != (stated[name]["bytes"], stated[name]["sha256"]):
                troubles.append(f"{name} was changed.")
        except Unreadable as trouble:
            troubles.append(f"{trouble} It was changed.")
    report.fail_each(troubles)
    if not troubles:
        report.holds.append(f"Files: all {len(stated)} are there, none changed, none added.")


def _check_seal(stated: bytes, seal: str, report: Report) -> None:
    found = hashlib.sha256(stated).hexdigest()
    if not seal:
        report.open.append(f"The seal of this pack is {found}. Compare it with the one on the pack’s page (--seal).")
    elif found == seal.strip().lower():
        report.holds.append("Seal: the pack is the one that its page shows.")
    else:
        report.fails.append(f"The seal of this pack is {found}, and not the one that you gave: {PACK} was changed.")


def _read_rows(bundle: Bundle, pack: Said) -> Rows:
    """Table -> key -> (digest, what the row says)."""
    found: Rows = {}
    for table in pack["tables"]:
        rows = found.setdefault(table, {})
        for line in bundle.lines(f"rows/{table}.txt"):
            key, _, text = line.partition(b"\t")
            rows[int(key)] = (hashlib.sha256(text).hexdigest(), json.loads(text))
    return found


def _json_digest(parts: list[Any]) -> str:
    return hashlib.sha256(json.dumps(parts, ensure_ascii=False).encode()).hexdigest()


def _check_entries(bundle: Bundle, rows: Rows, report: Report) -> tuple[Contents, Left]:
    """The entries in words, by their numbers; (table, key) -> (entry, digest) as the newest of them left it."""
    left: Left = {}
    by_entry: dict[int, list[Any]] = defaultdict(lambda: [hashlib.sha256(), hashlib.sha256(), 0, 0])
    for line in bundle.lines(LEFT):
        entry, kind, table, key, digest = line.decode().split("\t")
        number, place = int(entry), 0 if kind == "fact" else 1
        said = by_entry[number]
        said[place].update(f"{'' if not said[place + 2] else chr(10)}{table} {key} {digest}".encode())
        said[place + 2] += 1
        if int(key) in rows.get(table, {}) and number >= left.get((table, int(key)), (0, ""))[0]:
            left[table, int(key)] = (number, digest)
    contents: Contents = {}
    troubles: list[str] = []
    # Entries whose words were taken out stand in the chain by the digest of what they said.
    shortened = {int(said["entry_id"]): said for _, said in rows.get(SHORTENED, {}).values()}
    for line in bundle.lines(ENTRIES):
        entry = json.loads(line)
        number, said = entry["number"], by_entry.pop(int(entry["number"]), [])
        digests = [said[n].hexdigest() if said and said[n + 2] else "" for n in (0, 1)]
        if digests != [entry["rows_digest"], entry["seals_digest"]]:
            troubles.append(f"The rows of journal entry {number} ({entry['says']}) are not those that it wrote.")
        content = _json_digest(
            [
                number,
                entry["at"],
                entry["actor_id"],
                entry["actor_name"],
                entry["verb"],
                entry["object_kind"],
                entry["object_id"],
                entry["object_name"],
                json.dumps(entry["data"], sort_keys=True, ensure_ascii=False),
                entry["takes_back"],
                entry["rows_digest"],
                entry["seals_digest"],
            ]
        )
        if number in shortened:
            if shortened[number]["shown"] != content:
                troubles.append(f"Journal entry {number} ({entry['says']}) was shortened, and changed since.")
            content = shortened[number]["content"]
        contents[number] = (content, entry["digest"], entry["says"])
    troubles += [f"{LEFT} names entry {number}, which is not shown." for number in sorted(by_entry)]
    report.fail_each(troubles)
    return contents, left


def _check_chain(bundle: Bundle, pack: Said, contents: Contents, heads: Sequence[str], report: Report) -> None:
    wanted: dict[int, str] = {}
    for head in heads:
        at, _, digest = head.strip().partition(":")
        if not at.isdigit() or len(digest) != 64:
            raise Unreadable(f"{head} is no head. It is a number, a colon and a digest of 64 letters.")
        wanted[int(at)] = digest.lower()
    troubles: list[str] = []
    seen: dict[int, str] = {}
    last, number, broken = FIRST, 0, ""
    for line in bundle.lines(CHAIN):
        number += 1
        content = line.decode()
        last = hashlib.sha256(f"{last} {content}".encode()).hexdigest()
        shown = contents.get(number)
        if shown and shown[0] != content:
            troubles.append(f"Journal entry {number} ({shown[2]}) does not say what was chained: it was changed.")
        elif shown and shown[1] != last and not broken:
            broken = f"Journal entry {number} ({shown[2]}) does not follow from the one before it: it, or one before it, was changed."
            troubles.append(broken)
        if number in wanted:
            seen[number] = last
    stated = pack["head"]
    if number < stated["number"]:
        troubles.append(f"The journal ends at entry {number} and went to {stated['number']}: its end was cut off.")
    elif (number, last) != (stated["number"], stated["digest"]):
        troubles.append(
            f"The chain of the journal comes to {number}:{last} and not to {stated['number']}:{stated['digest']}: entries were changed."
        )
    troubles += [f"Journal entry {one} is shown and not in the chain." for one in sorted(contents) if one > number]
    for one, digest in sorted(wanted.items()):
        if one > number:
            troubles.append(f"Entry {one} of the head that you gave is missing: the journal was cut off.")
        elif seen.get(one) != digest:
            troubles.append(
                f"Entry {one} is not the one that you were sent: something up to it was changed since, and the pack built anew."
            )
        else:
            report.holds.append(f"Head: entry {one} is the one that you were sent; everything up to it is as it was.")
    report.fail_each(troubles)
    if not troubles:
        report.holds.append(
            f"Journal: {number} entries are chained without a gap; {len(contents)} of them stand here in words, the others as digests."
        )
    if not wanted:
        report.open.append(
            f"The chain ends at {number}:{last}. Whether it is the one that was kept all along, a head tells that was sent or "
            "kept before (--head): of the mail to auditors, or of a backup."
        )


def _check_rows(rows: Rows, left: Left, report: Report) -> None:
    troubles: list[str] = []
    count = 0
    for table, of_table in rows.items():
        for key, (digest, _) in of_table.items():
            count += 1
            entry = left.get((table, key))
            if entry is None:
                troubles.append(f"Row {key} of {table} was written without an entry in the journal.")
            elif entry[1] != digest:
                troubles.append(f"Row {key} of {table} is not as journal entry {entry[0]} left it: it was changed.")
    report.fail_each(troubles)
    if not troubles:
        report.holds.append(f"Rows: all {count} are as the journal’s entries left them.")


def _day(text: str) -> date:
    return date.fromisoformat(text[:10])


def _day_or(text: str | None, other: date) -> date:
    """The day, or another one where there is none."""
    return _day(text) if text else other


def _add(anchor: date, months: int, days: int) -> date:
    """The day so many months (the month's end at most) and then days later."""
    count = anchor.year * 12 + anchor.month - 1 + months
    year, month = divmod(count, 12)
    there = date(year, month + 1, min(anchor.day, calendar.monthrange(year, month + 1)[1]))
    return there + timedelta(days=days)


def _year_end(day: date, window: int) -> date:
    end = date(day.year, 12, 31)
    return date(day.year + 1, 12, 31) if (end - day).days <= window else end


class Facts:
    """The rows of the pack as what they mean: who completed what, by which rules it counts, as known on the pack's day."""

    def __init__(self, rows: Rows, pack: Said) -> None:
        self.day, self.known = date.fromisoformat(pack["day"]), date.fromisoformat(pack["known_on"])
        self.rows = {table: {key: row for key, (_, row) in of_table.items()} for table, of_table in rows.items()}
        self.arrows: dict[int, set[int]] = defaultdict(set)
        for row in self.rows.get("courses_course_satisfied_by", {}).values():
            self.arrows[row["from_course_id"]].add(row["to_course_id"])
        self.completions: dict[int, list[Said]] = defaultdict(list)
        for row in self.rows.get("learning_completion", {}).values():
            if self.is_known(row):
                self.completions[row["person_id"]].append(row)
        self.terms: dict[int, list[Said]] = defaultdict(list)
        self.first_terms: dict[int, list[Said]] = defaultdict(list)
        for row in self.rows.get("courses_courseterms", {}).values():
            self.first_terms[row["course_id"]].append(row)
            if self.is_known(row):
                self.terms[row["course_id"]].append(row)
        self.editions = self.rows.get("courses_edition", {})
        self.waivers: dict[tuple[int, int], list[Said]] = defaultdict(list)
        for row in self.rows.get("assignments_waiver", {}).values():
            if self.is_known(row):
                self.waivers[row["person_id"], row["course_id"]].append(row)
        self.employments: dict[int, list[Said]] = defaultdict(list)
        for row in self.rows.get("people_employment", {}).values():
            if self.is_known(row):
                self.employments[row["person_id"]].append(row)

    def is_known(self, row: Said) -> bool:
        """Recorded by the day of knowledge, and not revoked by then."""
        return _day(row["recorded_on"]) <= self.known < _day_or(row.get("revoked_on"), FOREVER)

    def name(self, person: int) -> str:
        row = self.rows["people_person"][person]
        return f"{row.get('given_name', '')} {row.get('family_name', '')}"

    def is_employed(self, person: int) -> bool:
        return any(
            _day(row["hired_on"]) <= self.day <= _day_or(row["left_on"], FOREVER) for row in self.employments[person]
        )

    def is_waived(self, person: int, course: int) -> bool:
        return any(
            _day(row["from_day"]) <= self.day <= _day_or(row["to_day"], FOREVER) for row in self.waivers[person, course]
        )

    def counted(self, course: int) -> set[int]:
        """The course, and all whose completion counts as one of it."""
        found, waiting = {course}, [course]
        while waiting:
            for other in self.arrows[waiting.pop()] - found:
                found.add(other)
                waiting.append(other)
        return found

    def terms_on(self, course: int, day: date) -> tuple[int, int, bool, int]:
        """(months, days, whole calendar years, window) in force on a day."""
        rows = self.terms[course]
        if not rows and self.first_terms[course]:
            # Before the first were recorded nothing else was known of them than what came first.
            first = min(row["recorded_on"] for row in self.first_terms[course])
            rows = [row for row in self.first_terms[course] if row["recorded_on"] == first]
        dated = sorted(rows, key=lambda row: row["from_day"])
        if not dated:
            return 0, 0, False, 0
        found = dated[0]
        for row in dated:
            if _day(row["from_day"]) <= day:
                found = row
        return found["months"], found["days"], bool(found["is_calendar_year"]), found["window_days"]

    def caps(self, course: int) -> list[tuple[date, int, date]]:
        """(released on, number, older ones count until) of editions that ask for a retake."""
        rows = [row for row in self.editions.values() if row.get("course_id") == course and row.get("retake_by")]
        known = [row for row in rows if row.get("released_on") and _day(row["released_on"]) <= self.known]
        return sorted((_day(row["released_on"]), row["number"], _day(row["retake_by"])) for row in known)

    def held(self, person: int, course: int) -> tuple[date, date, str, int] | None:
        """(valid until, completed on, certificate number, window) of what counts on the pack's day; None where nothing ever did."""
        counted, caps = self.counted(course), self.caps(course)
        state: Said | None = None
        taken: list[Any] = []
        for row in self.completions[person]:
            if row["course_id"] in counted and _day(row["day"]) <= self.day:
                own = row["course_id"] == course
                number = self.editions[row["edition_id"]]["number"] if own else ANOTHER_COURSE
                expiry = _day(row["own_expiry"]) if own and row["own_expiry"] else None
                taken.append((_day(row["day"]), number, expiry or date.min, row["id"], expiry, row["number"]))
        taken.sort(key=lambda one: one[:4])
        for n, (day, edition, _, _, expiry, certificate) in enumerate(taken):
            # A day counts once: where it has several, the newest edition and the longest expiry speak.
            if n + 1 < len(taken) and taken[n + 1][0] == day:
                continue
            state = self._capped_later(state, caps, day)
            state = self._next(course, state, day, edition, expiry, certificate, caps)
        state = self._capped_later(state, caps, self.day)
        return None if state is None else (state["until"], state["taken"], state["number"], state["window"])

    def _capped_later(self, state: Said | None, caps: list[tuple[date, int, date]], until: date) -> Said | None:
        for day, edition, end in caps:
            if state and state["first"] <= day <= until and state["edition"] < edition and end < state["until"]:
                state = {**state, "first": day, "until": end}
        return state

    def _next(
        self,
        course: int,
        last: Said | None,
        day: date,
        edition: int,
        expiry: date | None,
        certificate: str,
        caps: list[tuple[date, int, date]],
    ) -> Said:
        months, days, is_year, window = self.terms_on(course, day)
        expires = is_year or months or days
        before = last or {}
        early = bool(
            last
            and expiry is None
            and expires
            and last["until"] != FOREVER
            and last["until"] - timedelta(days=window) <= day <= last["until"]
            and not any(cap[0] <= day and last["edition"] < cap[1] <= edition for cap in caps)
        )
        new: Said = {"first": day, "taken": day, "number": certificate, "edition": edition, "window": window}
        if expiry is not None:
            new.update(until=expiry, anchor=expiry, walked=(0, 0))
        elif is_year:
            until = _year_end(before["until"] if early else day, window)
            new.update(until=until, anchor=until, walked=(0, 0))
        elif not expires:
            new.update(until=FOREVER, anchor=day, walked=(0, 0))
        else:
            # Renewing in time counts on from where the chain began, so that no day is lost at the ends of months.
            anchor, walked = (before["anchor"], before["walked"]) if early else (day, (0, 0))
            walked = (walked[0] + months, walked[1] + days)
            new.update(until=_add(anchor, *walked), anchor=anchor, walked=walked)
        new["until"] = min([new["until"], *(cap[2] for cap in caps if cap[0] <= day and edition < cap[1])])
        if last is None or new["until"] > last["until"]:
            return new
        # Evidence that shortens nothing.
        return {**last, "first": day, "taken": day, "number": certificate, "edition": max(last["edition"], edition)}


def _check_covered(bundle: Bundle, pack: Said, facts: Facts, report: Report, who: Say | None) -> None:
    troubles: list[str] = []
    counts: dict[str, int] = defaultdict(int)
    people: set[int] = set()
    for line in bundle.table(COVERED):
        person, course = int(line["person"]), int(line["course key"])
        people.add(person)
        about = f"{line['name']}, {line['course']}"
        held = facts.held(person, course)
        until, taken, number, window = held or (None, None, "", 0)
        is_valid = until is not None and facts.day <= until
        if taken is not None and line["counts from"] and taken < _day(line["counts from"]):
            is_valid = False
        said = (line["covered"] == "yes", line["valid until"], line["certificate"])
        shown = "" if until is None else "no end" if until == FOREVER else until.isoformat()
        is_waived = line["status"] == "waived"
        if facts.name(person) != line["name"].lstrip("'"):
            troubles.append(f"{about}: the person of this row is called {facts.name(person)}.")
        if not facts.is_employed(person):
            troubles.append(f"{about}: was not with the organisation on {facts.day}.")
        if said != (is_valid and not is_waived, shown, number):
            troubles.append(
                f"{about}: the pack says covered {line['covered']}, valid until {line['valid until'] or 'never'}; the facts come to "
                f"{'yes' if is_valid and not is_waived else 'no'}, {shown or 'never'}."
            )
        elif is_waived and not facts.is_waived(person, course):
            troubles.append(f"{about}: the pack says waived, and no waiver covers {facts.day}.")
        elif line["status"] == "renew" and until is not None and (until - facts.day).days > window:
            troubles.append(f"{about}: the pack says renew, and {until} is further off than that.")
        counts[line["covered"] if not is_waived else "waived"] += 1
        if who is not None:
            who(_sentence(line, taken))
    report.fail_each(troubles)
    if len(people) != pack["people"]:
        report.fails.append(f"{COVERED} names {len(people)} people; the pack was made of {pack['people']}.")
    elif not troubles:
        report.holds.append(
            f"Covered: {_count(len(people), 'person', 'people')}, {_count(len(pack['courses']), 'course', 'courses')}, on {facts.day} "
            f"as known on {facts.known}: {counts['yes']} covered, {counts['no']} not, {counts['waived']} waived; each reckoned anew."
        )


def _count(count: int, one: str, many: str) -> str:
    return f"{count} {one if count == 1 else many}"


def _sentence(line: dict[str, str], taken: date | None) -> str:
    by = f"completed on {taken}, certificate {line['certificate']}, valid until {line['valid until']}" if taken else ""
    if line["covered"] == "yes":
        return f"{line['name']} was covered for {line['course']}: {by}."
    why = f"; {by}" if by else "; nothing completed by then"
    return f"{line['name']} was NOT covered for {line['course']}: {line['status']}{why}."


def _check_documents(bundle: Bundle, rows: Rows, report: Report) -> None:
    troubles: list[str] = []
    count, stored = 0, rows.get("library_storedfile", {})
    for line in bundle.table(DOCUMENTS):
        count += 1
        row = stored.get(int(line["stored file"]))
        if line["file"] not in bundle.names:
            troubles.append(f"{line['file']} is not in the pack: the paper that was given was not there any more.")
        elif row is None or bundle.digest(line["file"])[1] != row[1].get("sha256"):
            troubles.append(f"{line['file']} is not the paper that was given.")
    report.fail_each(troubles)
    if count and not troubles:
        report.holds.append(f"Documents: all {count} are the papers that were given.")


def main(arguments: Sequence[str] | None = None) -> int:
    parser = argparse.ArgumentParser(description="Check an evidence pack.")
    parser.add_argument("pack", nargs="?", default=str(Path(__file__).resolve().parent), help="a zip, or its folder")
    parser.add_argument("--head", action="append", default=[], metavar="NUMBER:DIGEST", help="a head kept before")
    parser.add_argument("--seal", default="", metavar="DIGEST", help="the seal on the pack’s page")
    parser.add_argument("--who", action="store_true", help="say of everybody how they stood")
    options = parser.parse_args(arguments)
    if hasattr(sys.stdout, "reconfigure"):
        # Names in all letters, whatever the console thinks.
        sys.stdout.reconfigure(errors="replace")
    try:
        report = check(options.pack, options.head, options.seal, print if options.who else None)
    except Unreadable as trouble:
        print(f"DOES NOT HOLD  {trouble}")
        return 2
    for word, sentences in (("HOLDS", report.holds), ("DOES NOT HOLD", report.fails), ("NOT CHECKED", report.open)):
        for sentence in sentences:
            print(f"{word:<15}{sentence}")
    return 0 if report.is_whole else 1


if __name__ == "__main__":
    sys.exit(main())
