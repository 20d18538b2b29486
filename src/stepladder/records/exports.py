"""Lists as files, exactly as they are shown."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from datetime import date
from typing import Any

import xlsxwriter

__all__ = ["as_csv", "as_xlsx"]

# A cell that begins so would be run as a formula by a spreadsheet.
DANGEROUS = ("=", "+", "-", "@", "\t", "\r")


def _plain(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, date):
        return value.isoformat()
    text = str(value)
    return f"'{text}" if isinstance(value, str) and text.startswith(DANGEROUS) else text


def as_csv(heads: Sequence[str], rows: Sequence[Sequence[Any]]) -> bytes:
    """CSV in UTF-8 with a mark, so that spreadsheets read its letters right."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(heads)
    writer.writerows([_plain(value) for value in row] for row in rows)
    return "\ufeff".encode() + out.getvalue().encode()


def as_xlsx(title: str, heads: Sequence[str], rows: Sequence[Sequence[Any]]) -> bytes:
    """A workbook of one sheet: heads that stay, days as days, text as text."""
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}) as book:
        sheet = book.add_worksheet(title[:31])
        bold, days = book.add_format({"bold": True}), book.add_format({"num_format": "yyyy-mm-dd"})
        sheet.write_row(0, 0, heads, bold)
        sheet.freeze_panes(1, 0)
        for n, row in enumerate(rows, 1):
            for column, value in enumerate(row):
                if isinstance(value, date):
                    sheet.write_datetime(n, column, value, days)
                elif value is not None:
                    sheet.write(n, column, value)
        sheet.autofilter(0, 0, max(len(rows), 1), len(heads) - 1)
        sheet.autofit()
    return out.getvalue()
