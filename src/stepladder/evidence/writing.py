"""Writing a pack: a zip with a list of its files and their digests, of which the seal is the digest."""

from __future__ import annotations

import hashlib
import json
import zipfile
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any

from django.template.loader import render_to_string

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.courses.models import Course
from stepladder.evidence import check, journal_part, readable
from stepladder.evidence.gathering import counted_courses, gather
from stepladder.evidence.models import Pack
from stepladder.evidence.standing import COVERED_HEADS, covered_lines
from stepladder.journal.chain import Head, head
from stepladder.journal.models import Shortened
from stepladder.learning.models import Completion
from stepladder.library import storage
from stepladder.tabular.writing import as_csv

__all__ = ["Sealed", "write_pack"]

BLOCK = 1024 * 1024
# The same for every file: when it was packed stands in pack.json.
WHEN = (1980, 1, 1, 0, 0, 0)
Beat = Callable[[int, int], None]


class Sealed:
    """What came of writing a pack: its seal and the head of the journal that it goes up to."""

    def __init__(self, seal: str, upto: Head) -> None:
        self.seal, self.head = seal, upto


class _Zip:
    """A zip that is written file after file, with what pack.json says of each."""

    def __init__(self, archive: zipfile.ZipFile) -> None:
        self._archive = archive
        self.files: dict[str, dict[str, Any]] = {}

    def add(self, name: str, blocks: Iterable[bytes | str]) -> None:
        size, digest = 0, hashlib.sha256()
        with self._archive.open(_info(name), "w", force_zip64=True) as file:
            for block in blocks:
                data = block.encode() if isinstance(block, str) else block
                size += len(data)
                digest.update(data)
                file.write(data)
        self.files[name] = {"bytes": size, "sha256": digest.hexdigest()}

    def seal(self, stated: dict[str, Any]) -> str:
        """Write pack.json; its digest is the seal."""
        text = json.dumps({**stated, "files": self.files}, ensure_ascii=False, indent=1).encode()
        self._archive.writestr(_info(check.PACK), text)
        return hashlib.sha256(text).hexdigest()


def _info(name: str) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name, WHEN)
    info.compress_type = zipfile.ZIP_DEFLATED
    info.external_attr = 0o644 << 16
    return info


def write_pack(pack: Pack, people: list[int], target: Path, beat: Beat) -> Sealed:
    """Write the pack of these people to a file, whatever else is written meanwhile: rows may be newer than others of the same
    pack then, and its check says so.
    """
    courses = list(Course.objects.filter(pk__in=pack.courses).order_by("title"))
    clocks = {"day": pack.day, "known_on": pack.known_on}
    proof = gather(people, [course.pk for course in courses], with_documents=pack.with_documents)
    total = len(people) * (2 if pack.with_certificates else 1)
    with zipfile.ZipFile(target, "w") as archive:
        made = _Zip(archive)
        made.add(
            check.COVERED,
            as_csv(COVERED_HEADS, _counted(covered_lines(people, courses, **clocks), len(courses), total, beat)),
        )
        made.add("rules.txt", [readable.rules_text(proof, courses, **clocks)])
        made.add("scores.csv", as_csv(readable.SCORE_HEADS, readable.scores(proof)))
        made.add("sessions.csv", as_csv(readable.ROSTER_HEADS, readable.rosters(proof)))
        if pack.with_certificates:
            for n, (name, pdf) in enumerate(readable.certificates_of(people, courses, **clocks), 1):
                made.add(name, [pdf])
                beat(len(people) + n, total)
        _add_documents(made, proof)
        # Entries whose words were shortened are proved by what is kept of them, which entries wrote in turn.
        proof.add(Shortened, journal_part.shortened_among(journal_part.entries_of(proof, head().number)))
        tables = sorted(proof.keys, key=lambda model: model._meta.db_table)
        for model in tables:
            lines = journal_part.row_lines(model, proof.of(model))
            made.add(f"rows/{model._meta.db_table}.txt", lines)
        # Last of all, so that it has the entries of all that was read.
        upto = head()
        entries = journal_part.entries_of(proof, upto.number)
        made.add(check.ENTRIES, journal_part.entry_lines(entries))
        made.add(check.LEFT, journal_part.written_lines(entries))
        made.add(check.CHAIN, journal_part.chain_lines(upto.number))
        made.add("check.py", [Path(check.__file__).read_bytes()])
        stated = {
            "format": "stepladder evidence pack",
            "version": 1,
            "name": pack.name,
            "organisation": organisation().name,
            "of": pack.words,
            "day": pack.day.isoformat(),
            "known_on": pack.known_on.isoformat(),
            "made_at": clock.now().isoformat(timespec="seconds"),
            "made_by": pack.account.name,
            "people": len(people),
            "courses": [{"key": course.pk, "title": course.title} for course in courses],
            "counted": sorted(counted_courses(pack.courses)),
            "completions": len(proof.of(Completion)),
            "head": {"number": upto.number, "digest": upto.digest},
            "tables": [model._meta.db_table for model in tables],
        }
        made.add("README.txt", [render_to_string("evidence/readme.txt", {"pack": stated, "head": upto})])
        return Sealed(made.seal(stated), upto)


def _counted(
    pieces: Iterator[list[tuple[Any, ...]]], courses: int, total: int, beat: Beat
) -> Iterator[list[tuple[Any, ...]]]:
    done = 0
    for piece in pieces:
        yield piece
        done += len(piece) // courses
        beat(done, total)


def _add_documents(made: _Zip, proof: Any) -> None:
    lines = []
    for name, training in readable.documents_of(proof):
        stored = training.document
        assert stored is not None, "as asked"
        if storage.file_of(stored).exists():
            made.add(name, _blocks(storage.file_of(stored)))
        person = training.person
        by = (training.provider, training.decided_by, stored.pk)
        lines.append((name, person.employee_number, person.name, training.title, training.day, *by))
    made.add(check.DOCUMENTS, as_csv(readable.DOCUMENT_HEADS, [lines]))


def _blocks(path: Path) -> Iterator[bytes]:
    with path.open("rb") as file:
        while block := file.read(BLOCK):
            yield block
