"""The one command, run as people run it."""

import os
import socket
import sqlite3
import subprocess
import sys
import tarfile
from pathlib import Path

import pytest

from stepladder.config.ladder import backups
from stepladder.config.ladder import installation as installations

ROOT = Path(__file__).resolve().parents[2]
LADDER = [sys.executable, str(ROOT / "src/stepladder/config/ladder")]


def ladder(*arguments):
    return subprocess.run([*LADDER, *arguments], capture_output=True, text=True, check=False, timeout=280)


def test_alone_it_lists_every_command():
    said = ladder().stdout
    for command in ("demo", "serve", "worker", "test", "bench", "css", "verify", "backup", "restore"):
        assert f"\n    {command} " in said
        assert "usage" in ladder(command, "--help").stdout


def test_a_busy_port_is_said():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        done = ladder("serve", "--port", str(port))
    assert done.returncode == 1
    assert f"Port {port} is busy" in done.stderr
    assert f"--port {port + 1}" in done.stderr


@pytest.fixture
def installation(tmp_path):
    data = tmp_path / "data"
    (data / "media" / "originals").mkdir(parents=True)
    (data / "media" / "originals" / "film").write_bytes(b"film")
    (data / "secret-key").write_text("key")
    with sqlite3.connect(data / "stepladder.sqlite3") as base:
        base.execute("CREATE TABLE journal_entry (number INTEGER, digest TEXT)")
        base.execute("CREATE TABLE django_migrations (id INTEGER, app TEXT, name TEXT)")
        base.execute("CREATE TABLE t (x)")
        base.execute("INSERT INTO t VALUES (42)")
    base.close()
    return data


def test_a_backup_is_never_written_over_and_restores_only_into_an_empty_folder(installation, tmp_path):
    archive = tmp_path / "backup.tar.gz"
    assert ladder("backup", "--data", str(installation), str(archive)).returncode == 0
    again = ladder("backup", "--data", str(installation), str(archive))
    assert "is there already; nothing was written over it" in again.stderr
    refused = ladder("restore", "--data", str(installation), str(archive))
    assert "is not empty" in refused.stderr
    assert archive.stat().st_mode & 0o077 == 0
    with tarfile.open(archive) as inside:
        assert "secret-key" not in inside.getnames()
    target = tmp_path / "new"
    # The restored file holds no Stepladder tables here, so the check at the end fails; what matters is what was brought back.
    ladder("restore", "--data", str(target), str(archive))
    assert (target / "media/originals/film").read_bytes() == b"film"
    with sqlite3.connect(target / "stepladder.sqlite3") as base:
        assert base.execute("SELECT x FROM t").fetchall() == [(42,)]
    base.close()


def test_what_is_no_backup_is_refused_and_leaves_nothing(tmp_path):
    wrong = tmp_path / "wrong.tar.gz"
    wrong.write_bytes(b"not an archive")
    done = ladder("restore", "--data", str(tmp_path / "new"), str(wrong))
    assert "is no backup that can be read" in done.stderr
    assert list(tmp_path.iterdir()) == [wrong]
    assert "There is no installation" in ladder("verify", "--data", str(tmp_path / "nothing")).stderr


def test_a_cut_archive_is_refused_and_can_be_tried_again(installation, tmp_path):
    (installation / "media/originals/film").write_bytes(os.urandom(300_000))
    archive, cut = tmp_path / "backup.tar.gz", tmp_path / "cut.tar.gz"
    ladder("backup", "--data", str(installation), str(archive))
    cut.write_bytes(archive.read_bytes()[:200_000])
    for _ in range(2):
        done = ladder("restore", "--data", str(tmp_path / "new"), str(cut))
        assert "is no backup that can be read" in done.stderr
        assert "Traceback" not in done.stderr
    assert {path.name for path in tmp_path.iterdir()} == {"data", "backup.tar.gz", "cut.tar.gz"}


def test_a_snapshot_keeps_what_is_deleted_while_it_is_taken(installation, tmp_path, monkeypatch):
    incoming = installation / "media/incoming"
    incoming.mkdir()
    (incoming / "whole").write_bytes(b"all of it")
    connect = sqlite3.connect

    def meanwhile(path, **more):
        (incoming / "whole").unlink(missing_ok=True)
        (installation / "media/originals/late").write_bytes(b"late")
        return connect(path, **more)

    monkeypatch.setattr(sqlite3, "connect", meanwhile)
    into = tmp_path / "snapshot"
    into.mkdir()
    backups.take_snapshot(installation, into)
    assert (into / "media/incoming/whole").read_bytes() == b"all of it"
    assert (into / "media/originals/late").read_bytes() == b"late"


def test_a_database_is_migrated_when_it_or_the_migrations_are_others(installation, monkeypatch):
    """A start that finds both as the last one left them needs no process for it."""
    ran = []
    monkeypatch.setattr(installations, "manage", lambda env, *command, **_: ran.append(command[0]))
    monkeypatch.setattr(installations, "static_state", lambda: "as it was")
    for _ in range(2):
        installations.prepare({}, installation)
    assert ran == ["migrate", "collectstatic"]
    with sqlite3.connect(installation / "stepladder.sqlite3") as base:
        base.execute("INSERT INTO django_migrations VALUES (1, 'people', '0001_initial')")
    base.close()
    installations.prepare({}, installation)
    assert ran == ["migrate", "collectstatic", "migrate"]
    (installation / "stepladder.sqlite3").unlink()
    installations.prepare({}, installation)
    assert ran[3:] == ["migrate"]
