"""Questions that come as text or as a file, read whole before anything is written."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO

from stepladder.core.questions.plain_text import DIFFICULTIES, Filed, Mistake, Read, read_text
from stepladder.core.questions.qti import BadItem, is_item, keywords_of, read_item
from stepladder.core.questions.table_form import named_columns, read_rows
from stepladder.library import storage
from stepladder.library.errors import Unusable
from stepladder.library.parsing.text import decoded
from stepladder.tabular.reading import read_table

__all__ = ["Brought", "Kept", "read_file"]

TABLES = frozenset({".csv", ".xlsx", ".tsv"})
TEXTS = frozenset({"", ".txt", ".md", ".text"})
ITEMS = frozenset({".zip", ".xml"})
# A package has its items, and pictures that stay behind: what is opened of it is bounded.
MOST_FILES, MOST_BYTES, MOST_ITEM = 20_000, 100 * 1024**2, 1_000_000


@dataclass(frozen=True)
class Kept:
    """An item of a kind that is not asked here, as it came."""

    title: str
    unknown: str
    body: str


@dataclass(frozen=True)
class Brought:
    """What a file has: the questions in it, its mistakes, items that are kept as they came, and what stays behind."""

    read: Read
    kept: list[Kept] = field(default_factory=list)
    left: list[Mistake] = field(default_factory=list)


def read_file(sent: IO[bytes], name: str) -> Brought:
    """The questions in a file, by its ending: items of QTI, a table, else text. Raises FileUnread, Unusable."""
    ending = Path(name).suffix.lower()
    if ending in ITEMS:
        return _read_items(sent.read(), name)
    if ending not in TABLES and ending not in TEXTS:
        raise Unusable(
            f"“{name}” is none of the forms that questions come in. Bring text in the form shown beside (.txt), a table (.csv, .xlsx), "
            "or items of QTI (.zip, .xml)."
        )
    if ending not in TABLES:
        return Brought(read_text(decoded(sent.read(), name)))
    folder = storage.workplace()
    try:
        path = storage.write_down(sent, folder)
        table = read_table(path, name, names=named_columns)
    finally:
        storage.drop_workplace(folder)
    return Brought(read_rows(table.heads, table.rows, table.numbers))


def _read_items(body: bytes, name: str) -> Brought:
    """Every item in a package, or the one in a file of its own. Its place among them stands for a line."""
    manifest, items = _unpacked(body, name) if body[:2] == b"PK" else (b"", [(name, body)] if is_item(body) else [])
    about = keywords_of(manifest)
    questions: list[Filed] = []
    mistakes: list[Mistake] = []
    kept: list[Kept] = []
    left: list[Mistake] = []
    for number, (path, item) in enumerate(items, 1):
        try:
            found = read_item(item)
        except BadItem as refusal:
            mistakes.append(Mistake(number, f"“{path[-80:]}” cannot be read: {refusal}"))
            continue
        left += [Mistake(number, f"of “{found.title or path}” {what} stays behind") for what in found.left]
        if found.raw is None:
            kept.append(Kept(found.title or path[-80:], found.unknown, item.decode("utf-8", "replace")))
            continue
        said = about.get(path, {})
        difficulty = said.get("difficulty", "") if said.get("difficulty", "") in DIFFICULTIES else ""
        questions.append(Filed(found.raw, said.get("topic", "")[:80], difficulty, said.get("skill", "")[:80], number))
    if not items:
        raise Unusable(f"“{name}” has no item of QTI in it. Export it again as QTI 2.1 or 3.0.")
    return Brought(Read(questions, mistakes), kept, left)


def _unpacked(body: bytes, name: str) -> tuple[bytes, list[tuple[str, bytes]]]:
    """The manifest and the items of a package, in the order of their names."""
    try:
        with zipfile.ZipFile(io.BytesIO(body)) as archive:
            names = archive.infolist()
            if len(names) > MOST_FILES or sum(one.file_size for one in names) > MOST_BYTES:
                raise Unusable(
                    f"“{name}” has more than {MOST_FILES} files, or more than {MOST_BYTES // 1024**2} MB in it. Bring it in parts."
                )
            found = list(_xml_in(archive))
    except (zipfile.BadZipFile, OSError, EOFError, NotImplementedError, RuntimeError, ValueError):
        raise Unusable(f"“{name}” is no package that can be opened. Export it again as QTI 2.1 or 3.0.") from None
    manifest = next((content for path, content in found if path.rpartition("/")[2] == "imsmanifest.xml"), b"")
    return manifest, [(path, content) for path, content in found if is_item(content)]


def _xml_in(archive: zipfile.ZipFile) -> Iterator[tuple[str, bytes]]:
    for one in sorted(archive.infolist(), key=lambda info: info.filename):
        if one.filename.lower().endswith(".xml") and not one.is_dir():
            is_manifest = one.filename.rpartition("/")[2] == "imsmanifest.xml"
            # What says it is small may not be: no more is read than is looked at.
            with archive.open(one) as opened:
                yield one.filename, opened.read(MOST_BYTES if is_manifest else MOST_ITEM + 1)
