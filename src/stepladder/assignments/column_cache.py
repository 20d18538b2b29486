"""Columns kept on disk as arrays that every process maps, so that they are read from the database once.

Which are the right ones is said by a row of the database (CachedColumns): after a restore, or where the folder was lost or
damaged, none fits, and they are made anew. They are no part of a backup.
"""

from __future__ import annotations

import logging
import shutil
from collections.abc import Mapping
from dataclasses import dataclass, fields
from pathlib import Path
from typing import Any, TypeVar

from django.conf import settings
from django.db import OperationalError, transaction

from stepladder import clock
from stepladder.assignments.column_reading import Tables
from stepladder.assignments.models import CachedColumns
from stepladder.core.columns import LinkColumns, ReasonColumns, WaiverColumns
from stepladder.identity import new_public_id
from stepladder.stored_arrays import Arrays, drop_others, store_arrays, stored_arrays

__all__ = ["CachedArrays", "cache_arrays", "cached_arrays", "store_tables", "stored_tables"]

# Another number when what is kept, or what it means, changes.
FORMAT = 3
Columns = TypeVar("Columns", ReasonColumns, LinkColumns, WaiverColumns)
logger = logging.getLogger(__name__)


@dataclass(frozen=True, eq=False)
class CachedArrays:
    """Arrays on disk that fit the database: where, the newest change that is in them, and what is stated of them."""

    folder: Path
    change: int
    arrays: Arrays
    stated: Mapping[str, Any]


def cached_arrays(what: str) -> CachedArrays | None:
    """The arrays on disk of a name that fit the database; None where there are none."""
    row = CachedColumns.objects.filter(what=what).order_by("-pk").first()
    if row is None:
        return None
    folder = _folder(what) / row.token
    try:
        arrays, stated = stored_arrays(folder)
    except (OSError, ValueError, KeyError) as error:
        logger.warning("The columns kept in %s cannot be used (%s): they are read anew.", folder, error)
        return None
    # Of another release: what its arrays mean is not known here.
    return CachedArrays(folder, row.change, arrays, stated) if stated.get("format") == FORMAT else None


def cache_arrays(what: str, change: int, arrays: Arrays, **stated: Any) -> None:
    """Write arrays to disk and say in the database that they are the right ones. Nothing is kept while somebody else writes."""
    token = new_public_id()
    folder = _folder(what) / token
    try:
        store_arrays(folder, arrays, {**stated, "format": FORMAT})
        with transaction.atomic():
            CachedColumns.objects.filter(what=what).delete()
            CachedColumns.objects.create(what=what, token=token, change=change, made_at=clock.wall())
    except (OSError, OperationalError) as error:
        logger.warning("Columns could not be kept (%s): they are read again next time.", error)
        shutil.rmtree(folder, ignore_errors=True)
        return
    drop_others(folder)
    # Those of releases before 2026-12 lay beside each other without a name.
    for older in _folder("").glob("*/lengths.json"):
        shutil.rmtree(older.parent, ignore_errors=True)


def _folder(what: str) -> Path:
    return Path(settings.DATA_DIR) / "columns" / what


def stored_tables() -> tuple[int, Tables] | None:
    """The columns on disk that fit the database, with the number of the newest change that is in them; None where there are none."""
    found = cached_arrays("requirements")
    if found is None:
        return None
    try:
        return found.change, Tables(
            _rows(found.arrays, "reasons", ReasonColumns),
            _rows(found.arrays, "paths", ReasonColumns),
            _rows(found.arrays, "links", LinkColumns),
            _rows(found.arrays, "waivers", WaiverColumns),
        )
    except KeyError as error:
        logger.warning("The columns kept in %s are not whole (%s): they are read anew.", found.folder, error)
        return None


def _rows(arrays: Arrays, name: str, kind: type[Columns]) -> Columns:
    return kind(**{f.name: arrays[f"{name}.{f.name}"] for f in fields(kind)})


def store_tables(change: int, tables: Tables) -> None:
    """Keep the columns of everybody."""
    arrays = {
        f"{name}.{f.name}": getattr(columns, f.name)
        for name, columns in tables._asdict().items()
        for f in fields(columns)
    }
    cache_arrays("requirements", change, arrays)
