"""A file of people to fill in."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

import xlsxwriter

__all__ = ["XLSX", "sample_csv", "sample_xlsx"]

XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


def sample_csv(heads: Sequence[str], row: Sequence[str]) -> bytes:
    """As CSV in UTF-8 with a mark, so that spreadsheets read its letters right."""
    out = io.StringIO()
    csv.writer(out).writerows([heads, row])
    return f"\ufeff{out.getvalue()}".encode()


def sample_xlsx(heads: Sequence[str], row: Sequence[str]) -> bytes:
    """As a workbook, its cells as text, so that nothing is made of a number or a day."""
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        sheet, bold, text = (
            book.add_worksheet("People"),
            book.add_format({"bold": True}),
            book.add_format({"num_format": "@"}),
        )
        for n, (head, cell) in enumerate(zip(heads, row, strict=True)):
            sheet.set_column(n, n, max(len(head), len(cell)) + 3, text)
            sheet.write_string(0, n, head, bold)
            sheet.write_string(1, n, cell, text)
        sheet.freeze_panes(1, 0)
    return out.getvalue()
