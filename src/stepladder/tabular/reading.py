"""Reading tables: CSV in whatever coding and with whatever separator, and XLSX."""

from __future__ import annotations

import csv
import io
import re
import zipfile
import zlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from pathlib import Path
from typing import IO, Any

from charset_normalizer import from_bytes
from python_calamine import CalamineError, CalamineWorkbook

from stepladder.refusals import Refusal

__all__ = ["FileUnread", "Table", "read_table"]

MOST_ROWS = 200_000
MOST_COLUMNS = 200
# What the tables of a workbook may come to unpacked, and how many cells from the first to the last: 200,000 people with
# fifty columns fit, and nobody waits for a minute or takes the machine's memory.
MOST_UNPACKED = 256 * 1024**2
MOST_CELLS = 10_000_000
BLOCK = 1024 * 1024
# So much of a file tells its separator, and so much of its words with foreign letters its code page.
SAMPLE = 64 * 1024
# What spreadsheets write where they do not write Unicode, the likeliest first.
CODE_PAGES = ["cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "cp1257", "mac_roman", "cp932"]
NOT_ASCII = re.compile(rb"[^,;\t|\r\n]*[\x80-\xff][^,;\t|\r\n]*")


class FileUnread(Refusal):
    """A file that cannot be read as a table; the message says what it is and what to do."""


@dataclass(frozen=True)
class Table:
    """The heads and rows of a file, as text. *numbers* gives each row's number in the file.

    *sheet* is the sheet of a workbook that it is from, of all its *sheets*; *above*, what stands over the heads.
    """

    heads: list[str]
    rows: list[list[str]]
    numbers: list[int]
    sheet: str = ""
    sheets: tuple[str, ...] = ()
    above: tuple[str, ...] = ()


# How many cells of a row name a column.
Names = Callable[[Sequence[str]], int]
# A title, a date and an empty line may stand over the heads, and no more than so many rows.
HEADS_WITHIN = 12


def read_table(path: Path, name: str, *, names: Names = lambda _: 0, sheet: str = "") -> Table:
    """The table of a file, without its empty rows: of a workbook the *sheet* of that name, else the first whose heads are known.

    The heads are the row, of the first ones, most of whose cells name a column; the first of all where none names two.
    Raises FileUnread.
    """
    body = path.read_bytes()
    if not body.strip():
        raise FileUnread("The file is empty. Choose another one.")
    if body[:4] != b"PK\x03\x04":
        return _table(_of_text(body, name), names)
    sheets = _sheets(path, body)
    if sheet in sheets:
        chosen = sheet
    else:
        # What only explains comes before the table as often as after.
        best = {one: _best_heads(_first_lines(path, one), names) for one in sheets} if len(sheets) > 1 else {}
        chosen = max(sheets, key=lambda one: best.get(one, 0))
    return replace(_table(_of_workbook(path, body, chosen, names), names), sheet=chosen, sheets=tuple(sheets))


def _table(lines: list[tuple[int, list[str]]], names: Names) -> Table:
    filled = [(number, [cell.strip() for cell in row]) for number, row in lines if any(cell.strip() for cell in row)]
    if len(filled) < 2:
        raise FileUnread(
            "There is a head and no row below it. The first row names the columns, each further one is an entry."
        )
    if len(filled) > MOST_ROWS:
        raise FileUnread(f"The file has more than {MOST_ROWS:,} rows. Split it.")
    at = _heads_at([row for _, row in filled[:HEADS_WITHIN]], names)
    (_, heads), rows = filled[at], filled[at + 1 :]
    if not rows:
        raise FileUnread("There is no row below the heads. Each further row is an entry.")
    above = tuple(" ".join(cell for cell in row if cell) for _, row in filled[:at])
    return Table(heads, [row for _, row in rows], [number for number, _ in rows], above=above)


def _heads_at(rows: Sequence[Sequence[str]], names: Names) -> int:
    """Which of the first rows has the heads."""
    named = [names(row) for row in rows]
    most = max(named, default=0)
    return named.index(most) if most > 1 else 0


def _best_heads(lines: list[tuple[int, list[str]]], names: Names) -> int:
    return max((names([cell.strip() for cell in row]) for _, row in lines), default=0)


def _of_text(body: bytes, name: str) -> list[tuple[int, list[str]]]:
    if b"\x00" in body[:SAMPLE] and not body.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise FileUnread(f"“{name}” is neither CSV nor XLSX. Save it as one of these and choose it again.")
    text = _decoded(body)
    separator = _separator(text)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator)
    lines = []
    try:
        for row in reader:
            lines.append((reader.line_num, row))
            if len(lines) > MOST_ROWS + 1:
                raise FileUnread(f"The file has more than {MOST_ROWS:,} rows. Split it.")
            if len(row) > MOST_COLUMNS:
                raise FileUnread(
                    f"Line {reader.line_num} has more than {MOST_COLUMNS} columns. Take out what is not needed."
                )
        return lines
    except csv.Error as error:
        raise FileUnread(f"Near line {reader.line_num} the file is no CSV any more: {error}.") from None


def _decoded(body: bytes) -> str:
    """UTF-8 with or without a mark, UTF-16 with one, and else by the code page that its letters look most like.

    Latin code pages cannot be told apart by a few names; then it is what spreadsheets of Western Europe write.
    """
    if body.startswith((b"\xff\xfe", b"\xfe\xff")):
        return body.decode("utf-16")
    try:
        return body.decode("utf-8-sig")
    except UnicodeDecodeError:
        # Only words with letters beyond ASCII tell code pages apart; among thousands of others they are lost.
        telling = b" ".join(NOT_ASCII.findall(body))[:SAMPLE]
        found = list(from_bytes(telling, cp_isolation=CODE_PAGES))
        least = min((match.chaos for match in found), default=0.0)
        fitting = [match.encoding for match in found if match.chaos == least] or CODE_PAGES
        best = min(fitting, key=lambda name: CODE_PAGES.index(name) if name in CODE_PAGES else len(CODE_PAGES))
        return body.decode(best, "replace")


def _separator(text: str) -> str:
    """The sign that parts the cells of the head; where several could, the one that parts most lines alike."""
    lines = [line for line in text[:SAMPLE].splitlines()[:20] if line.strip()]

    def alike(sign: str) -> tuple[int, int]:
        counts = [len(next(csv.reader([line], delimiter=sign), [])) for line in lines]
        return (sum(count == counts[0] for count in counts) if counts[0] > 1 else 0, counts[0])

    return max(",;\t|", key=alike)


BROKEN = (CalamineError, OSError, zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError)


def _sheets(path: Path, body: bytes) -> list[str]:
    """The names of a workbook's sheets. Raises FileUnread."""
    try:
        _check_bounds(body)
        return list(CalamineWorkbook.from_path(str(path)).sheet_names)
    except BROKEN as error:
        raise FileUnread(f"This workbook cannot be opened: {error}. Save it anew as XLSX.") from None


def _first_lines(path: Path, sheet: str) -> list[tuple[int, list[str]]]:
    try:
        rows = CalamineWorkbook.from_path(str(path)).get_sheet_by_name(sheet).to_python(nrows=2 * HEADS_WITHIN)
    except BROKEN:
        return []
    return [(number, [_cell(value) for value in row]) for number, row in enumerate(rows, 1)]


def _of_workbook(path: Path, body: bytes, name: str, names: Names) -> list[tuple[int, list[str]]]:
    try:
        book = CalamineWorkbook.from_path(str(path))
        sheet = book.get_sheet_by_name(name)
        merged = sheet.merged_cell_ranges or []
        rows = sheet.to_python(skip_empty_area=False)
    except BROKEN as error:
        raise FileUnread(f"This workbook cannot be opened: {error}. Save it anew as XLSX.") from None
    # A title over the heads may be as wide as it likes.
    filled = [(n, [_cell(value).strip() for value in row]) for n, row in enumerate(rows) if any(_cell(v) for v in row)]
    at = _heads_at([row for _, row in filled[:HEADS_WITHIN]], names) if filled else 0
    heads_on = filled[at][0] if filled else 0
    if below := [one for one in merged if one[1][0] >= heads_on]:
        (top, left), (bottom, right) = below[0]
        cells = f"{_column(left)}{top + 1}:{_column(right)}{bottom + 1}"
        raise FileUnread(
            f"The cells {cells} are merged, so it cannot be told whose they are. Part them and choose it again."
        )
    missing = _formulas_without_value(body, book.sheet_names.index(name))
    if missing:
        raise FileUnread(
            f"The formula in {missing} was never worked out. Open the file in your spreadsheet, save it, and choose it again."
        )
    return [(number, [_cell(value) for value in row]) for number, row in enumerate(rows, 1)]


# A cell of a sheet, by its address; what a sheet says of its own size is not believed.
_CELL = re.compile(rb'<(?:\w+:)?c\s[^<>]*?\br="([A-Z]{1,3})([0-9]{1,7})"')


def _check_bounds(body: bytes) -> None:
    """Before anything is unpacked into memory: how much it comes to, and how far out its cells are. Raises FileUnread."""
    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        if sum(info.file_size for info in archive.infolist()) > MOST_UNPACKED:
            raise FileUnread(
                f"This workbook unpacks to more than {MOST_UNPACKED // 1024**2} MB. Keep only the table that is meant, or save it as CSV."
            )
        for sheet in (name for name in archive.namelist() if name.startswith("xl/worksheets/sheet")):
            with archive.open(sheet) as source:
                _check_far_out(source)


def _check_far_out(source: IO[bytes]) -> None:
    last_row = last_column = 0
    far = ""
    tail = b""
    while block := source.read(BLOCK):
        text = tail + block
        for found in _CELL.finditer(text):
            column, row = _number(found[1].decode()), int(found[2])
            if row > last_row or column > last_column:
                far = f"{found[1].decode()}{row}"
            last_row, last_column = max(last_row, row), max(last_column, column)
        # A cell's address may be cut by the end of a block.
        tail = text[-200:]
    if last_column > MOST_COLUMNS or last_row * last_column > MOST_CELLS:
        raise FileUnread(
            f"There is something far out, in the cell {far}: a table has at most {MOST_COLUMNS} columns and {MOST_CELLS:,} cells. "
            "Delete the rows and columns beyond the table, save it, and choose it again."
        )


def _number(letters: str) -> int:
    """A = 1, Z = 26, AA = 27."""
    number = 0
    for letter in letters:
        number = number * 26 + ord(letter) - 64
    return number


def _formulas_without_value(body: bytes, place: int) -> str:
    """The first cell of the sheet at a place that has a formula and no value; "" if there is none."""
    from defusedxml.ElementTree import iterparse  # inside: only workbooks with formulas need it

    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        sheets = sorted(n for n in archive.namelist() if n.startswith("xl/worksheets/sheet") and n.endswith(".xml"))
        sheets.sort(key=lambda n: int("".join(filter(str.isdigit, n.rpartition("/")[2])) or 0))
        if place >= len(sheets) or b"<f" not in archive.read(sheets[place]):
            return ""
        with archive.open(sheets[place]) as source:
            for _, element in iterparse(source):
                tag = element.tag.rpartition("}")[2]
                if tag == "c":
                    tags = {child.tag.rpartition("}")[2]: child.text for child in element}
                    if "f" in tags and not tags.get("v"):
                        return str(element.get("r", ""))
                if tag in ("c", "row"):
                    element.clear()
    return ""


def _column(number: int) -> str:
    letters = ""
    number += 1
    while number:
        number, rest = divmod(number - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def _cell(value: Any) -> str:
    if isinstance(value, datetime):
        value = value.date()
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    if isinstance(value, bool):
        return "yes" if value else "no"
    return "" if value is None else str(value)
