"""What takes long to make is made once, where processes that run beside each other need the same (`./ladder test`)."""

from __future__ import annotations

import fcntl
import os
from collections.abc import Callable
from pathlib import Path

from stepladder.config.ladder.installation import environment, prepare


def shared(name: str, make: Callable[[Path], None]) -> Path | None:
    """The folder *name*, made by whoever needs it first, while others wait; None where nobody runs beside. It is not written in."""
    if "STEPLADDER_TEST_SHARED" not in os.environ:
        return None
    path = Path(os.environ["STEPLADDER_TEST_SHARED"]) / name
    with path.with_name(f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not path.exists():
            under_way = path.with_name(f"{name}.making")
            make(under_way)
            under_way.rename(path)
    return path


def empty_installation() -> Path | None:
    """The data of an installation that has been set up, with nobody in it: on whatever day, it is the same."""
    return shared("installation", lambda data: prepare(environment(data), data))
