"""Lists as files, exactly as they are shown: written piece by piece, so that a list of any length takes no more memory."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Iterator, Sequence
from datetime import date
from pathlib import Path
from typing import Any

import xlsxwriter

__all__ = ["MOST_ROWS", "Pieces", "TooLong", "as_csv", "as_xlsx"]

# A cell that begins so would be run as a formula by a spreadsheet.
DANGEROUS = ("=", "+", "-", "@", "\t", "\r")
# What one sheet of a workbook holds below its head.
MOST_ROWS = 1_048_575
Pieces = Iterable[Sequence[Sequence[Any]]]


class TooLong(Exception):
    """A list with more rows than a sheet of a workbook holds."""

    def __init__(self, count: int) -> None:
        super().__init__(
            f"This list has {count:,} rows; a workbook holds {MOST_ROWS:,}. Take it as CSV, or narrow it by its filters first."
        )


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
    path: Path, title: str, heads: Sequence[str], pieces: Pieces, count: int, about: Sequence[tuple[str, str]]
) -> None:
    """A workbook: heads that stay, days as days, text as text; *about* on a second sheet. Raises TooLong before anything is written."""
    if count > MOST_ROWS:
        raise TooLong(count)
    options = {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    with xlsxwriter.Workbook(path, options) as book:
        sheet = book.add_worksheet(title[:31])
        bold, days = book.add_format({"bold": True}), book.add_format({"num_format": "yyyy-mm-dd"})
        # Widths come before the rows, which are written and let go of one by one.
        for column, head in enumerate(heads):
            sheet.set_column(column, column, max(len(head) + 4, 14))
        sheet.write_row(0, 0, heads, bold)
        sheet.freeze_panes(1, 0)
        sheet.autofilter(0, 0, max(count, 1), len(heads) - 1)
        for n, row in enumerate((row for piece in pieces for row in piece), 1):
            for column, value in enumerate(row):
                if isinstance(value, date):
                    sheet.write_datetime(n, column, value, days)
                elif value is not None:
                    sheet.write(n, column, value if isinstance(value, int | float) else str(value))
        beside = book.add_worksheet("What this is")
        beside.set_column(0, 0, 24)
        for n, (label, value) in enumerate(about):
            beside.write_row(n, 0, (label, value))
