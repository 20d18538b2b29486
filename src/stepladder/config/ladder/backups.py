"""Backups, and bringing them back."""

from __future__ import annotations

import argparse
import contextlib
import os
import shutil
import sqlite3
import tarfile
import tempfile
import zlib
from pathlib import Path

from stepladder.config.ladder.installation import DATABASE, PRIVATE, Trouble, environment, manage, migrated, set_up

# What an archive holds: the database, the media, and the journal's head as of the moment.
HEAD = "journal-head"


def run_backup(options: argparse.Namespace) -> int:
    os.umask(PRIVATE)
    data, target = Path(options.data).resolve(), Path(options.file).resolve()
    if not (data / DATABASE).exists():
        raise Trouble(f"There is no installation in {data}. Say which with --data DIR.")
    if target.exists():
        raise Trouble(f"{target} is there already; nothing was written over it.")
    part = target.with_name(target.name + ".part")
    try:
        # Beside the data: links to files reach no further than their file system.
        with tempfile.TemporaryDirectory(prefix=".backup-", dir=data) as folder:
            head = take_snapshot(data, Path(folder))
            with tarfile.open(part, "w:gz") as archive:
                for name in (DATABASE, HEAD, "media"):
                    archive.add(Path(folder) / name, name)
        part.replace(target)
    except OSError as error:
        raise Trouble(f"The backup could not be written: {error}") from None
    finally:
        part.unlink(missing_ok=True)
    print(f"Written: {target} ({target.stat().st_size // 1024} KB)")
    print(f"Head of the journal: {head}")
    print("The secret key is not in it: after a restore everybody signs in anew.")
    return 0


def take_snapshot(data: Path, into: Path) -> str:
    """Database and media as of one moment, while both are being written; the journal's head of it.

    Files are linked, which takes no time and keeps what is deleted meanwhile: before the database is copied, so that an upload
    that ends just then is there, and after it, so that what the database tells of is there.
    """
    (into / "media").mkdir()
    link_files(data / "media", into / "media")
    with sqlite3.connect(data / DATABASE, timeout=60) as source, sqlite3.connect(into / DATABASE) as copy:
        source.backup(copy)
        newest = copy.execute("SELECT number, digest FROM journal_entry ORDER BY number DESC LIMIT 1").fetchone()
    copy.close()
    source.close()
    link_files(data / "media", into / "media")
    head = f"{newest[0]}:{newest[1]}" if newest else ""
    (into / HEAD).write_text(head)
    return head or "none yet"


def link_files(source: Path, into: Path) -> None:
    """Link every file of a folder that is not linked yet; what vanishes meanwhile is passed over."""
    for folder, _, names in os.walk(source):
        below = into / Path(folder).relative_to(source)
        below.mkdir(exist_ok=True)
        for name in names:
            with contextlib.suppress(FileNotFoundError, FileExistsError):
                os.link(Path(folder) / name, below / name)


def run_restore(options: argparse.Namespace) -> int:
    os.umask(PRIVATE)
    data, source = Path(options.data).resolve(), Path(options.file).resolve()
    if not source.exists():
        raise Trouble(f"There is no file {source}.")
    if data.exists() and any(data.iterdir()):
        raise Trouble(f"{data} is not empty. Restore into an empty folder: nothing is ever written over.")
    # Elsewhere first: what is cut off in the middle leaves nothing where the installation is to be.
    part = data.with_name(data.name + ".restoring")
    shutil.rmtree(part, ignore_errors=True)
    try:
        part.mkdir(parents=True)
        with tarfile.open(source) as archive:
            archive.extractall(part, filter="data")
        if not (part / DATABASE).exists():
            raise Trouble(f"{source} holds no installation. Nothing was restored.")
        head = (part / HEAD).read_text() if (part / HEAD).exists() else ""
        (part / HEAD).unlink(missing_ok=True)
        if data.exists():
            data.rmdir()
        part.replace(data)
    except (tarfile.TarError, EOFError, OSError, zlib.error) as error:
        raise Trouble(f"{source} is no backup that can be read ({error}). Nothing was restored.") from None
    finally:
        shutil.rmtree(part, ignore_errors=True)
    set_up()
    env = environment(data)
    # A backup of an older version is brought up to date; its head is that of its own time.
    before = migrated(data)
    if manage(env, "migrate", "--verbosity", "0"):
        raise Trouble("The restored database could not be brought up to date; see above.")
    expect = ["--expect", head] if head and migrated(data) == before else []
    return manage(env, "verify", *expect)
