"""The sheet beside a source's files: what it says of each, and which picture each has. Rule: 18."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath
from typing import Any

from stepladder.journal.actions import Machine
from stepladder.library import actions
from stepladder.library.details import PICTURE
from stepladder.library.errors import LibraryError
from stepladder.library.own_pictures import WHOLE, keep_picture
from stepladder.library.tables import Row, names_of_columns, read_rows
from stepladder.sources.keeping import apply_details
from stepladder.sources.models import Source, SourceItem
from stepladder.sources.walking import FileThere, Walk
from stepladder.tabular.reading import FileUnread, read_table
from stepladder.topics.naming import topic_names

__all__ = ["SheetRead", "read_sheet", "tie_sheet"]

BY = Machine("Sources")
MOST_BYTES = 20 * 1024**2
# Under the name PICTURE an item keeps, with what the sheet says, the path of its picture; with what the file said, the path, size and time
# of the one that was taken.


@dataclass
class SheetRead:
    """What a sheet says, in its rows, where it was read anew; the paths of files that are pictures of others; what is wrong in it."""

    rows: list[Row] | None = None
    seen: str = ""
    pictures: dict[str, FileThere] = field(default_factory=dict)
    problems: list[str] = field(default_factory=list)


def read_sheet(
    source: Source, root: Path, sheet: FileThere | None, items: Sequence[SourceItem], found: Walk
) -> SheetRead:
    """The sheet of a source, where it or what it speaks of changed since; what it said before still holds where it cannot be read."""
    read = SheetRead()
    if not source.sheet:
        return read
    read.pictures = {path: found.files[path] for path in _pictures_of(items) if path in found.files}
    if sheet is None:
        read.problems.append(f"The sheet “{source.sheet}” is not there. What it said still holds.")
        return read
    # Another number of files: what it says of them may find its file by now.
    read.seen = f"{sheet.size} {sheet.modified} {len(items)}"
    if read.seen == source.sheet_seen:
        read.problems = [problem for problem in source.problems if problem.startswith("Sheet")]
        return read
    if sheet.size > MOST_BYTES:
        read.problems.append(f"Sheet: it has more than {MOST_BYTES // 1024**2} MB. What it said before still holds.")
        return read
    try:
        table = read_table(root / source.sheet, source.sheet, names=names_of_columns)
    except (FileUnread, OSError) as refusal:
        read.problems.append(f"Sheet: {refusal} What it said before still holds.")
        return read
    rows = read_rows(table, topic_names(), keyed_by=("file",), empty_says_nothing=True)
    read.rows = rows.rows
    read.problems += [f"Sheet, row {row}: {said}" for row, said in rows.problems]
    if rows.unknown:
        heads = ", ".join(f"“{head}”" for head in rows.unknown)
        read.problems.append(f"Sheet: not a column that is known, and left out: {heads}.")
    for row in rows.rows:
        path = _file_named(row.picture, found.files)
        if path is not None:
            read.pictures[path] = found.files[path]
        elif row.picture:
            read.problems.append(f"Sheet, row {row.number}: there is no picture “{row.picture[:120]}”.")
    return read


def _pictures_of(items: Iterable[SourceItem]) -> list[str]:
    return [str(item.beside[PICTURE]) for item in items if item.beside.get(PICTURE)]


def _file_named(name: str, files: Iterable[str]) -> str | None:
    """The one file of that path, or of that name."""
    plain = name.replace("\\", "/").strip("/").casefold()
    if not plain:
        return None
    paths = [path for path in files if path.casefold() == plain]
    named = paths or [path for path in files if PurePosixPath(path).name.casefold() == plain]
    return named[0] if len(named) == 1 else None


def tie_sheet(source: Source, root: Path, read: SheetRead) -> list[str]:
    """Tie what the sheet says to its files, and take it over; sentences on rows that have none."""
    items = list(source.items.filter(is_missing=False).select_related("source", "module__binder"))
    problems = [] if read.rows is None else _tie_rows(items, read, read.rows)
    _take_pictures(items, root, read)
    source.sheet_seen = read.seen or source.sheet_seen
    return problems


def _tie_rows(items: Sequence[SourceItem], read: SheetRead, rows: Sequence[Row]) -> list[str]:
    by_path = {item.path: item for item in items}
    said: dict[int, dict[str, Any]] = {}
    problems = []
    for row in rows:
        path = _file_named(row.key, by_path)
        if path is None:
            problems.append(f"Sheet, row {row.number}: {_why_not(row.key, by_path)}")
        elif by_path[path].pk in said:
            problems.append(
                f"Sheet, row {row.number}: another row is for “{row.key[:120]}” already. Only that one counts."
            )
        else:
            picture = _file_named(row.picture, read.pictures)
            said[by_path[path].pk] = dict(row.values) | ({PICTURE: picture} if picture else {})
    changed = [item for item in items if item.beside != said.get(item.pk, {})]
    for item in changed:
        item.beside = said.get(item.pk, {})
    SourceItem.objects.bulk_update(changed, ["beside"], batch_size=200)
    apply_details([item for item in changed if item.module], by=BY)
    return problems


def _why_not(key: str, by_path: dict[str, SourceItem]) -> str:
    name = PurePosixPath(key.replace("\\", "/")).name.casefold()
    several = sum(PurePosixPath(path).name.casefold() == name for path in by_path) > 1
    return f"{'More than one file is called' if several else 'There is no file'} “{key[:120]}”."


def _take_pictures(items: Sequence[SourceItem], root: Path, read: SheetRead) -> None:
    """The picture that the sheet names becomes the module's, unless one was given here; again where the picture changed."""
    for item in items:
        path, module = item.beside.get(PICTURE), item.module
        there = read.pictures.get(path) if path else None
        if path is None or there is None or module is None or PICTURE in module.edited:
            continue
        taken = [path, there.size, there.modified]
        if item.said.get(PICTURE) == taken:
            continue
        item.said, item.trouble = item.said | {PICTURE: taken}, ""
        try:
            with (root / path).open("rb") as file:
                digest = keep_picture(file, path, there.size, WHOLE)
        except (LibraryError, OSError) as refusal:
            item.trouble = f"The picture “{path}” cannot be used. {refusal}"[:400]
        else:
            actions.set_picture(module=module, digest=digest, by=BY, by_hand=False)
        item.save(update_fields=["said", "trouble"])
