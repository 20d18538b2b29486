"""Arrays on disk that every process maps: what is read of millions of rows is read from the database once.

Which folder is the right one is for whoever keeps arrays to say; a folder that was not written to its end, or is damaged, is none.
They are no part of a backup: whatever is lost is read anew.
"""

from __future__ import annotations

import json
import shutil
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["Arrays", "drop_others", "store_arrays", "stored_arrays"]

STATED = "stated.json"
Arrays = Mapping[str, NDArray[Any]]


def store_arrays(folder: Path, arrays: Arrays, stated: Mapping[str, Any]) -> None:
    """Write arrays into a new folder, with what is *stated* of them. Raises OSError, and leaves nothing there."""
    try:
        folder.mkdir(parents=True)
        for name, array in arrays.items():
            np.save(folder / f"{name}.npy", array)
        lengths = {name: len(array) for name, array in arrays.items()}
        # Last: a folder without it was not written to its end, and is not read.
        (folder / STATED).write_text(json.dumps({"lengths": lengths, "stated": dict(stated)}))
    except OSError:
        shutil.rmtree(folder, ignore_errors=True)
        raise


def stored_arrays(folder: Path) -> tuple[dict[str, NDArray[Any]], dict[str, Any]]:
    """The arrays of a folder, and what is stated of them. Raises OSError, ValueError or KeyError where it cannot be used."""
    said = json.loads((folder / STATED).read_text())
    arrays = {}
    for name, length in said["lengths"].items():
        # As plain arrays: picking from memmap objects is slower.
        arrays[name] = np.load(folder / f"{name}.npy", mmap_mode="r").view(np.ndarray)
        if arrays[name].shape != (length,):
            raise ValueError(f"{name} has {arrays[name].shape} instead of {length} rows")
    return arrays, said["stated"]


def drop_others(folder: Path) -> None:
    """Drop all folders beside one. Whoever has mapped the files of another keeps them until they let go."""
    for other in folder.parent.iterdir():
        if other != folder:
            shutil.rmtree(other, ignore_errors=True)
