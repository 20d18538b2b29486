"""Whatever is done with a file's bytes is done in a process of its own, with an end to its time and its memory.

A file may stop a parser for ever, or take all there is; so it ends as a sentence on that file, and the queue goes on. The
processes are forked from one that has loaded the parsers and nothing else, so that each costs no more than a moment.
"""

from __future__ import annotations

import multiprocessing
import resource
import signal
import sys
from contextlib import suppress
from multiprocessing.connection import Connection
from pathlib import Path

from stepladder.library.errors import Unusable
from stepladder.library.parsing.material import Material, Worked, WorkOut

__all__ = ["MEMORY_BYTES", "Unforeseen", "seconds_for", "work_out_bounded"]

# More than any file of the largest that is taken needs.
MEMORY_BYTES = 2 * 1024**3
LEAST_SECONDS, SECONDS_A_MB, MOST_SECONDS = 60, 0.5, 900

_processes = multiprocessing.get_context("forkserver")
_processes.set_forkserver_preload(
    [f"stepladder.library.parsing.{name}" for name in ("film", "office", "package", "pdf", "picture", "text")]
)


class Unforeseen(Exception):
    """A parser met something in a file that nobody thought of: the error's name, and what it says."""

    def __str__(self) -> str:
        return f"{self.args[0]}: {self.args[1]}"


def seconds_for(size: int) -> float:
    """How long a file of so many bytes may take."""
    return min(MOST_SECONDS, LEAST_SECONDS + SECONDS_A_MB * size / 1024**2)


def work_out_bounded(
    work_out: WorkOut, material: Material, out: Path, *, seconds: float | None = None, memory: int = MEMORY_BYTES
) -> Worked:
    """What *work_out* makes of the file, in at most so many seconds and bytes. Raises Unusable, with nothing left in *out*.

    What the machine is to blame for (its disk is full) is raised as it is.
    """
    allowed = seconds if seconds is not None else seconds_for(material.size)
    heard, said = _processes.Pipe(duplex=False)
    process = _processes.Process(target=_run, args=(said, work_out, material, out, memory, allowed), daemon=True)
    process.start()
    said.close()
    try:
        outcome: Worked | BaseException = heard.recv() if heard.poll(allowed) else _too_long(material, allowed)
    except EOFError:
        process.join(5)
        outcome = _stopped(material, process.exitcode)
    finally:
        heard.close()
        process.kill()
        process.join()
    if isinstance(outcome, BaseException):
        for left in out.iterdir():
            left.unlink()
        raise outcome
    return outcome


def _too_long(material: Material, seconds: float) -> Unusable:
    return Unusable(
        f"“{material.name}” could not be used: working it out took longer than {round(seconds)} seconds and was stopped. "
        "Save or export it again, simpler if it can be."
    )


def _too_much(material: Material) -> Unusable:
    return Unusable(
        f"“{material.name}” could not be used: it takes more memory to open than there is for a file. "
        "Save or export it again, smaller if it can be."
    )


def _stopped(material: Material, exit_code: int | None) -> Unusable:
    if exit_code == -signal.SIGXCPU:
        return _too_long(material, seconds_for(material.size))
    return Unusable(
        f"“{material.name}” could not be used: it stopped the program that reads such files. Save or export it again."
    )


def _run(said: Connection, work_out: WorkOut, material: Material, out: Path, memory: int, seconds: float) -> None:
    with suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_DATA, (memory, memory))
    # The clock outside ends who waits; this one ends who works on after whoever waited is gone.
    with suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_CPU, (int(seconds) + 5, int(seconds) + 10))
    with suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        said.send(work_out(material, out))
    except MemoryError:
        said.send(_too_much(material))
    except BaseException as error:
        said.send(_sendable(error))
    finally:
        said.close()
        for stream in (sys.stdout, sys.stderr):
            stream.flush()


def _sendable(error: BaseException) -> BaseException:
    """The error itself where it can be told between processes, else its name and what it says."""
    if isinstance(error, Unusable | OSError):
        return error
    return Unforeseen(type(error).__name__, str(error)[:300])
