"""Columns kept on disk as arrays that every process maps, so that they are read from the database once.

Which are the right ones is said by a row of the database (CachedColumns): after a restore, or where the folder was lost or
damaged, none fits, and they are made anew. They are no part of a backup.
"""

from __future__ import annotations

import json
import logging
import shutil
from dataclasses import fields
from pathlib import Path
from typing import TypeVar

import numpy as np
from django.conf import settings
from django.db import OperationalError, transaction

from stepladder import clock
from stepladder.assignments.column_reading import Tables
from stepladder.assignments.models import CachedColumns
from stepladder.core.columns import LinkColumns, ReasonColumns, WaiverColumns
from stepladder.identity import new_public_id

__all__ = ["store_tables", "stored_tables"]

# Another number when what is kept, or what it means, changes.
FORMAT = 2
Columns = TypeVar("Columns", ReasonColumns, LinkColumns, WaiverColumns)
logger = logging.getLogger(__name__)


def _folder(token: str = "") -> Path:
    return Path(settings.DATA_DIR) / "columns" / token


def stored_tables() -> tuple[int, Tables] | None:
    """The columns on disk that fit the database, with the number of the newest change that is in them; None where there are none."""
    row = CachedColumns.objects.order_by("-pk").first()
    if row is None:
        return None
    folder = _folder(row.token)
    try:
        lengths = json.loads((folder / "lengths.json").read_text())
        # Of another release: what its arrays mean is not known here.
        if lengths.pop("format") != FORMAT:
            return None
        tables = Tables(
            _mapped(folder, "reasons", ReasonColumns, lengths["reasons"]),
            _mapped(folder, "paths", ReasonColumns, lengths["paths"]),
            _mapped(folder, "links", LinkColumns, lengths["links"]),
            _mapped(folder, "waivers", WaiverColumns, lengths["waivers"]),
        )
    except (OSError, ValueError, KeyError) as error:
        logger.warning("The columns kept in %s cannot be used (%s): they are read anew.", folder, error)
        return None
    return row.change, tables


def _mapped(folder: Path, name: str, kind: type[Columns], length: int) -> Columns:
    # As plain arrays: picking from memmap objects is slower.
    arrays = {f.name: np.load(folder / f"{name}.{f.name}.npy", mmap_mode="r").view(np.ndarray) for f in fields(kind)}
    for field, array in arrays.items():
        if array.shape != (length,):
            raise ValueError(f"{name}.{field} has {array.shape} instead of {length} rows")
    return kind(**arrays)


def store_tables(change: int, tables: Tables) -> None:
    """Write columns to disk and say in the database that they are the right ones. Nothing is kept while somebody else writes."""
    token = new_public_id()
    folder = _folder(token)
    try:
        folder.mkdir(parents=True)
        lengths = {"format": FORMAT}
        for name, columns in tables._asdict().items():
            lengths[name] = len(columns)
            for f in fields(columns):
                np.save(folder / f"{name}.{f.name}.npy", getattr(columns, f.name))
        # Last: a folder without it was not written to its end, and is not read.
        (folder / "lengths.json").write_text(json.dumps(lengths))
        with transaction.atomic():
            CachedColumns.objects.all().delete()
            CachedColumns.objects.create(token=token, change=change, made_at=clock.wall())
    except (OSError, OperationalError) as error:
        logger.warning("Columns could not be kept (%s): they are read again next time.", error)
        shutil.rmtree(folder, ignore_errors=True)
        return
    for other in _folder().iterdir():
        # Whoever has mapped the files of another one keeps them until they let go.
        if other.name != token:
            shutil.rmtree(other, ignore_errors=True)
