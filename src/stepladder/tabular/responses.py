"""A table as the answer to a request: streamed as CSV, or a workbook that is gone once it was sent."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from pathlib import Path

from django.http import FileResponse, HttpResponseBase, StreamingHttpResponse

from stepladder.tabular.writing import Pieces, as_csv, as_xlsx

__all__ = ["XLSX", "table_response"]

XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


def table_response(
    form: str,
    name: str,
    *,
    title: str,
    heads: Sequence[str],
    pieces: Pieces,
    about: Sequence[tuple[str, str]],
) -> HttpResponseBase:
    """As *form* has it ("csv", else a workbook), in a file of that name and ending."""
    if form == "csv":
        headers = {"Content-Disposition": f'attachment; filename="{name}.csv"'}
        return StreamingHttpResponse(as_csv(heads, pieces), content_type="text/csv; charset=utf-8", headers=headers)
    book = tempfile.NamedTemporaryFile(suffix=".xlsx")  # noqa: SIM115 - the response closes it, and then it is gone
    as_xlsx(Path(book.name), title, heads, pieces, about)
    return FileResponse(book, as_attachment=True, filename=f"{name}.xlsx", content_type=XLSX)
