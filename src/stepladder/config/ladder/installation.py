"""Where everything lies, the environment it runs in, and what brings an installation up to date."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import secrets
import shutil
import sqlite3
import subprocess
import sys
from pathlib import Path

PROJECT = Path(__file__).resolve().parents[4]
VENV = PROJECT / ".venv"
PYTHON = VENV / "bin" / "python"
REQUIREMENTS = PROJECT / "requirements"
DATABASE = "stepladder.sqlite3"
# What an installation writes, people's records and the key, is for whoever runs it alone.
PRIVATE = 0o077


class Trouble(Exception):
    """Something that stops the command; the message says what to do."""


def set_up(*, dev: bool = False) -> None:
    """The virtual environment with the locked packages, made once and brought up to date when the lock changes."""
    names = ["runtime", "dev"] if dev else ["runtime"]
    stamp = VENV / ".stepladder"
    wanted = {n: hashlib.sha256((REQUIREMENTS / f"{n}.txt").read_bytes()).hexdigest() for n in names}
    installed = json.loads(stamp.read_text()) if stamp.exists() else {}
    if PYTHON.exists() and all(installed.get(n) == wanted[n] for n in names):
        return
    if not PYTHON.exists():
        print("Setting up: a virtual environment and the locked packages …", flush=True)
        done = subprocess.run([sys.executable, "-m", "venv", str(VENV)], capture_output=True, text=True, check=False)
        if done.returncode:
            shutil.rmtree(VENV, ignore_errors=True)
            raise Trouble("Python can't make a virtual environment here. On Debian: apt install python3-venv")
    for name in names:
        if installed.get(name) != wanted[name]:
            install(REQUIREMENTS / f"{name}.txt")
    stamp.write_text(json.dumps(installed | wanted))


def install(requirements: Path) -> None:
    """By uv where it can be had, else by pip; either way only what the lock has hashes of."""
    uv = VENV / "bin" / "uv"
    if not uv.exists():
        pip = [str(PYTHON), "-m", "pip", "install", "-q", "--disable-pip-version-check", "--require-hashes"]
        subprocess.run([*pip, "-r", str(REQUIREMENTS / "uv.txt")], check=False, capture_output=True)
    if uv.exists():
        command = [
            str(uv),
            "pip",
            "install",
            "-q",
            "--python",
            str(PYTHON),
            "--require-hashes",
            "-r",
            str(requirements),
        ]
        if subprocess.run(command, check=False).returncode == 0:
            return
    pip = [str(PYTHON), "-m", "pip", "install", "-q", "--disable-pip-version-check", "--require-hashes"]
    if subprocess.run([*pip, "-r", str(requirements)], check=False).returncode:
        raise Trouble("The packages could not be installed. Is the package index within reach?")


def environment(data: Path, *, port: int = 8000, demo: bool = False) -> dict[str, str]:
    """What a process of this installation is started with; makes the data folder and its secret key."""
    os.umask(PRIVATE)
    data.mkdir(parents=True, exist_ok=True)
    # Also where it was made before by others' rules.
    data.chmod(0o700)
    key = data / "secret-key"
    if not key.exists():
        key.touch(mode=0o600)
        key.write_text(secrets.token_urlsafe(48))
    found = dict(os.environ)
    found.update(
        STEPLADDER_DATA=str(data),
        STEPLADDER_PORT=str(port),
        DJANGO_SETTINGS_MODULE="stepladder.config.settings",
        PYTHONPATH=str(PROJECT / "src"),
    )
    if found.pop("PYTHONDONTWRITEBYTECODE", ""):
        # Where nothing may be put beside the code: compiled at each start, each process would take seconds longer to be there.
        found.setdefault("PYTHONPYCACHEPREFIX", str(data / "compiled"))
    if demo:
        found["STEPLADDER_DEMO"] = "1"
    return found


def manage(env: dict[str, str], *arguments: str, quiet: bool = False) -> int:
    command = [str(PYTHON), "-m", "django", *arguments]
    return subprocess.run(command, env=env, check=False, stdout=subprocess.DEVNULL if quiet else None).returncode


def prepare(env: dict[str, str], data: Path) -> None:
    """Bring the database and the static files up to date; where nothing changed since the last start, that takes no process."""
    stamp = data / "migrated.stamp"
    if not stamp.exists() or stamp.read_text() != migration_state(data):
        if manage(env, "migrate", "--verbosity", "0"):
            raise Trouble("The database could not be brought up to date; see above.")
        stamp.write_text(migration_state(data))
    stamp = data / "static.stamp"
    now = static_state()
    if not stamp.exists() or stamp.read_text() != now:
        if manage(env, "collectstatic", "--noinput", "--clear", "--verbosity", "0"):
            raise Trouble("The static files could not be collected; see above.")
        stamp.write_text(now)


def migration_state(data: Path) -> str:
    """What migrations there are, here and in the locked packages, and which this database has been through."""
    digest = hashlib.sha256((REQUIREMENTS / "runtime.txt").read_bytes())
    for path in sorted((PROJECT / "src").glob("stepladder/*/migrations/*.py")):
        digest.update(f"{path.relative_to(PROJECT)} ".encode() + path.read_bytes())
    digest.update(repr(migrated(data)).encode())
    return digest.hexdigest()


def migrated(data: Path) -> list[tuple[str, str]] | None:
    """The migrations that a database has been through; None where there is none, or none that can be read."""
    if not (data / DATABASE).exists():
        return None
    with contextlib.closing(sqlite3.connect(data / DATABASE)) as base:
        try:
            return base.execute("SELECT app, name FROM django_migrations ORDER BY id").fetchall()
        except sqlite3.DatabaseError:
            # Migrating it says what is wrong with it.
            return None


def static_state() -> str:
    digest = hashlib.sha256()
    for path in sorted((PROJECT / "src").glob("**/static/**/*")):
        if path.is_file():
            state = path.stat()
            digest.update(f"{path.relative_to(PROJECT)} {state.st_size} {state.st_mtime_ns}\n".encode())
    return digest.hexdigest()
