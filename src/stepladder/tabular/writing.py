"""Lists as files, exactly as they are shown: written piece by piece, so that a list of any length takes no more memory."""

from __future__ import annotations

import csv
import tempfile
from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from datetime import date
from pathlib import Path
from typing import Any

import xlsxwriter
from xlsxwriter.exceptions import FileCreateError

__all__ = ["MOST_ROWS", "Pieces", "as_csv", "as_xlsx"]

# A cell that begins so would be run as a formula by a spreadsheet.
DANGEROUS = ("=", "+", "-", "@", "\t", "\r")
# What no sheet of a workbook may have in its name.
NOT_IN_NAMES = frozenset("[]:*?/\\'")
# What one sheet of a workbook holds below its head.
MOST_ROWS = 1_048_575
Pieces = Iterable[Sequence[Sequence[Any]]]


def _plain(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, date):
        return value.isoformat()
    text = str(value)
    return f"'{text}" if not isinstance(value, int | float) and text.startswith(DANGEROUS) else text


class _Line:
    """What csv writes to: it keeps the line that was written last."""

    text = ""

    def write(self, text: str) -> None:
        self.text = text


def as_csv(heads: Sequence[str], pieces: Pieces) -> Iterator[bytes]:
    """CSV in UTF-8 with a mark, so that spreadsheets read its letters right."""
    line = _Line()
    writer = csv.writer(line)
    writer.writerow(heads)
    yield f"\ufeff{line.text}".encode()
    for piece in pieces:
        lines = []
        for row in piece:
            writer.writerow([_plain(value) for value in row])
            lines.append(line.text)
        yield "".join(lines).encode()


def as_xlsx(
    path: Path,
    title: str,
    heads: Sequence[str],
    pieces: Pieces,
    about: Sequence[tuple[str, str]],
    most: int = MOST_ROWS,
) -> None:
    """A workbook: heads that stay, days as days, text as text; what a sheet doesn't hold (*most* rows) goes on with the next, and *about*
    stands on the last. Raises OSError."""
    options = {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "use_zip64": True}
    # Rows that were let go of wait beside the file, not where the machine keeps small things: there may be millions.
    with tempfile.TemporaryDirectory(dir=path.parent) as folder:
        book = xlsxwriter.Workbook(path, {**options, "tmpdir": folder})
        try:
            _fill(book, title, heads, pieces, most)
            beside = book.add_worksheet("What this is")
            beside.set_column(0, 0, 24)
            for n, (label, value) in enumerate(about):
                beside.write_row(n, 0, (label, value))
            book.close()
        except FileCreateError as error:
            # As for any other file: a full disk is one, whoever notices it.
            raise OSError(*error.args[0].args) from error
        finally:
            # Of a workbook that was not finished its sheets are open still; on a full disk closing them fails as writing did.
            for sheet in book.worksheets():
                with suppress(OSError):
                    sheet._opt_close()


def _fill(book: Any, title: str, heads: Sequence[str], pieces: Pieces, most: int) -> None:
    """The rows, sheet after sheet."""
    bold, days = book.add_format({"bold": True}), book.add_format({"num_format": "yyyy-mm-dd"})
    sheet, written, number = _sheet(book, title, heads, bold, 1), 0, 1
    for row in (row for piece in pieces for row in piece):
        if written == most:
            sheet.autofilter(0, 0, written, len(heads) - 1)
            number += 1
            sheet, written = _sheet(book, title, heads, bold, number), 0
        written += 1
        for column, value in enumerate(row):
            if isinstance(value, date):
                sheet.write_datetime(written, column, value, days)
            elif value is not None:
                sheet.write(written, column, value if isinstance(value, int | float) else str(value))
    sheet.autofilter(0, 0, max(written, 1), len(heads) - 1)


def _sheet(book: Any, title: str, heads: Sequence[str], bold: Any, number: int) -> Any:
    """A sheet with its head; the title says which one it is from the second on."""
    plain = "".join(letter for letter in title if letter not in NOT_IN_NAMES)
    ending = f" ({number})" if number > 1 else ""
    sheet = book.add_worksheet(plain[: 31 - len(ending)] + ending)
    # Widths come before the rows, which are written and let go of one by one.
    for column, head in enumerate(heads):
        sheet.set_column(column, column, max(len(head) + 4, 14))
    sheet.write_row(0, 0, heads, bold)
    sheet.freeze_panes(1, 0)
    return sheet
