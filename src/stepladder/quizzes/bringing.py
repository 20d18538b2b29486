"""Questions that come as text or as a file, read whole before anything is written."""

from __future__ import annotations

from pathlib import Path
from typing import IO

from stepladder.core.questions.plain_text import Read, read_text
from stepladder.core.questions.table_form import named_columns, read_rows
from stepladder.library import storage
from stepladder.library.parsing.text import decoded
from stepladder.tabular.reading import read_table

__all__ = ["TABLES", "read_file"]

TABLES = frozenset({".csv", ".xlsx", ".tsv"})


def read_file(sent: IO[bytes], name: str) -> Read:
    """The questions in a file, by its ending: a table, else text. Raises FileUnread, Unusable."""
    if Path(name).suffix.lower() not in TABLES:
        return read_text(decoded(sent.read(), name))
    folder = storage.workplace()
    try:
        path = storage.write_down(sent, folder)
        table = read_table(path, name, names=named_columns)
    finally:
        storage.drop_workplace(folder)
    return read_rows(table.heads, table.rows, table.numbers)
