"""Columns of a table of facts as arrays: read once, kept on disk for every process, and added to as facts are written.

Facts are only ever written, or revoked once: what was read stays as it is. Those that fit the database are known by the fact they end
with, so after a restore they are read anew.
"""

from __future__ import annotations

import logging
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
from django.conf import settings
from django.db import connection
from numpy.typing import NDArray

from stepladder.arrays import Column, joined_columns
from stepladder.facts import Fact
from stepladder.identity import new_public_id
from stepladder.stored_arrays import drop_others, store_arrays, stored_arrays

__all__ = ["FactArrays", "Facts"]

# Another number when what is kept, or what it means, changes.
FORMAT = 1
# Where so many rows are in them, arrays are kept on disk; fewer are read quicker than they are found there.
WORTH_STORING = 200_000
# After so many more, they are kept anew.
MANY_MORE = 50_000
# So many rows are joined by one statement.
AT_ONCE = 500_000
logger = logging.getLogger(__name__)


@dataclass(frozen=True, eq=False)
class Facts:
    """All facts that were ever written, in the order in which they were, by column; "key" is always among them. *revoked*: the keys, in
    order, of those that are no longer known.

    *last* and *last_id* are the key and public id of the newest; 0 and "" where there is none.
    """

    last: int
    last_id: str
    arrays: Mapping[str, NDArray[Any]]
    revoked: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    # How many of them are on disk.
    stored: int = 0

    def __len__(self) -> int:
        return len(self.arrays["key"])

    @property
    def state(self) -> tuple[str, int, int]:
        """What tells one state of the table from another."""
        return self.last_id, len(self.revoked), int(self.revoked.sum())

    @cached_property
    def is_known(self) -> NDArray[np.bool_]:
        """Which of them were never revoked."""
        known = np.ones(len(self), dtype=bool)
        places = np.searchsorted(self.arrays["key"], self.revoked)
        known[places] = False
        return known

    @cached_property
    def known(self) -> Mapping[str, NDArray[Any]]:
        """The columns of those that were never revoked."""
        if not len(self.revoked):
            return self.arrays
        return {name: column[self.is_known] for name, column in self.arrays.items()}


class FactArrays:
    """The arrays of a table of facts."""

    def __init__(self, model: type[Fact], columns: Mapping[str, Column]) -> None:
        self._model = model
        self._columns = {"key": Column("pk"), **columns}
        self._held: Facts | None = None
        self._lock = Lock()

    def read(self) -> Facts:
        """As it is now; of what was read before, only what was written since is read.

        Within a transaction nothing of that is kept: it may be rolled back.
        """
        # One thread reads for all: what takes a large firm's seconds is not done twice at once.
        with self._lock:
            held = self._up_to_date(self._held or self._from_disk())
            if connection.in_atomic_block:
                return held
            if len(held) >= WORTH_STORING and len(held) - held.stored > (MANY_MORE if held.stored else 0):
                held = self._stored(held)
            self._held = held
            return held

    def _up_to_date(self, held: Facts | None) -> Facts:
        rows = self._model._default_manager.order_by()
        newest = rows.order_by("-pk").values_list("pk", "public_id").first()
        last, last_id = newest or (0, "")
        if held is None or held.last > last or not self._fits(held):
            held = Facts(
                0, "", {name: column[:0] for name, column in joined_columns(rows.none(), self._columns).items()}
            )
        if held.last != last:
            pieces = [held.arrays]
            for at in range(held.last, last, AT_ONCE):
                found = joined_columns(rows.filter(pk__gt=at, pk__lte=min(at + AT_ONCE, last)), self._columns)
                order = np.argsort(found["key"], kind="stable")
                pieces.append({name: column[order] for name, column in found.items()})
            arrays = {name: np.concatenate([piece[name] for piece in pieces]) for name in self._columns}
            held = Facts(last, last_id, arrays, held.revoked, held.stored)
        # By their small index alone: a range of keys beside it, and the database would look through the table.
        keys = rows.filter(revoked_on__isnull=False).values_list("pk", flat=True)
        revoked = np.sort(np.fromiter(keys, dtype=np.int64))
        revoked = revoked[revoked <= last]
        return held if np.array_equal(revoked, held.revoked) else replace(held, revoked=revoked)

    def _fits(self, held: Facts) -> bool:
        return not held.last or self._model._default_manager.filter(pk=held.last, public_id=held.last_id).exists()

    @property
    def _folder(self) -> Path:
        return Path(settings.DATA_DIR) / "fact-arrays" / self._model._meta.db_table

    def _from_disk(self) -> Facts | None:
        if not self._folder.is_dir():
            return None
        for folder in sorted(self._folder.iterdir(), key=lambda one: one.stat().st_mtime, reverse=True):
            try:
                arrays, stated = stored_arrays(folder)
                if stated["format"] == FORMAT and list(arrays) == list(self._columns):
                    return Facts(stated["last"], stated["last_id"], arrays, stored=len(arrays["key"]))
            except (OSError, ValueError, KeyError) as error:
                logger.warning("The arrays kept in %s cannot be used (%s).", folder, error)
        return None

    def _stored(self, held: Facts) -> Facts:
        """Kept on disk, and from there: what others map as well is no memory of this process."""
        folder = self._folder / new_public_id()
        try:
            store_arrays(folder, held.arrays, {"format": FORMAT, "last": held.last, "last_id": held.last_id})
            arrays, _ = stored_arrays(folder)
            drop_others(folder)
        except (OSError, ValueError, KeyError) as error:
            logger.warning("Arrays could not be kept (%s): they are read again next time.", error)
            return held
        return Facts(held.last, held.last_id, arrays, held.revoked, stored=len(held))
