"""Serving an installation, the demo's among them, and its worker."""

from __future__ import annotations

import argparse
import contextlib
import ctypes
import os
import secrets
import shutil
import signal
import socket
import sqlite3
import subprocess
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path

from stepladder.config.ladder.days import on_day
from stepladder.config.ladder.installation import DATABASE, PYTHON, Trouble, environment, manage, prepare, set_up

START_SECONDS = 90


def run_demo(options: argparse.Namespace) -> int:
    data = Path(options.data).resolve()
    refuse_busy_port(options.port)
    set_up()
    if options.fresh and data.exists():
        if not (data / DATABASE).exists() and any(data.iterdir()):
            raise Trouble(f"{data} holds something else than an installation; nothing was thrown away.")
        shutil.rmtree(data)
    env = environment(data, port=options.port, demo=True) | on_day(options.day)
    prepare(env, data)
    if not has_data(data) and manage(env, "load_demo"):
        raise Trouble("The demo data could not be loaded; see above.")
    return serve(env, options.port, demo=True)


def run_serve(options: argparse.Namespace) -> int:
    data = Path(options.data).resolve()
    refuse_busy_port(options.port)
    set_up()
    env = environment(data, port=options.port)
    prepare(env, data)
    code = set_up_code(data)
    if code:
        print(f"Nobody is here yet. Open http://localhost:{options.port}/ and set it up with the code {code}")
    return serve(env, options.port, demo=False)


def has_data(data: Path) -> bool:
    """Whether somebody is there already."""
    with sqlite3.connect(data / DATABASE) as base:
        accounts = base.execute("SELECT count(*) FROM accounts_account").fetchone()[0]
    base.close()
    return bool(accounts)


def set_up_code(data: Path) -> str:
    """The code that lets the first visitor of an empty installation in; empty once there is an account."""
    if has_data(data):
        return ""
    path = data / "set-up-code"
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(secrets.token_hex(4))
    return path.read_text()


def refuse_busy_port(port: int) -> None:
    with socket.socket() as trial:
        trial.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            trial.bind(("127.0.0.1", port))
        except OSError:
            raise Trouble(f"Port {port} is busy. Stop what uses it, or choose another: --port {port + 1}") from None


def serve(env: dict[str, str], port: int, *, demo: bool) -> int:
    """Server and worker as children: both end with this process, and a worker that dies is started again."""
    server_command = [
        *(str(PYTHON), "-m", "gunicorn", "stepladder.config.wsgi:application", "--bind", f"127.0.0.1:{port}"),
        *("--workers", "2", "--worker-class", "gthread", "--threads", "4", "--timeout", "120"),
        # Loaded once, before the workers are forked: two that each load it make the start twice as long on two cores.
        *("--preload", "--graceful-timeout", "15", "--log-level", "warning"),
    ]
    worker_command = [str(PYTHON), "-m", "django", "worker", "--interval", "0.5"]
    children = {"server": Child("server", server_command, env), "worker": Child("worker", worker_command, env)}
    stopping = False

    def stop(*_: object) -> None:
        nonlocal stopping
        stopping = True

    signal.signal(signal.SIGINT, stop)
    signal.signal(signal.SIGTERM, stop)
    try:
        if not wait_until_up(port, children["server"].process, lambda: stopping):
            return 0 if stopping else 1
        print(f"Stepladder{' (demo)' if demo else ''}: http://localhost:{port}/")
        print(f"Data: {env['STEPLADDER_DATA']}")
        print("ready", flush=True)
        while not stopping:
            time.sleep(0.3)
            for child in children.values():
                child.keep_alive()
        return 0
    finally:
        children["worker"].end()
        children["server"].end()
        if stopping:
            print("stopped", flush=True)


class Child:
    """A process that is started again when it dies, unless it dies again and again."""

    def __init__(self, name: str, command: list[str], env: dict[str, str]) -> None:
        self.name, self.command, self.env = name, command, env
        self.deaths: list[float] = []
        self.start()

    def start(self) -> None:
        # A session of its own: Ctrl-C reaches the parent only, which then ends its children in order.
        self.process = subprocess.Popen(self.command, env=self.env, start_new_session=True, preexec_fn=end_with_parent)

    def keep_alive(self) -> None:
        if self.process.poll() is None:
            return
        self.deaths = [at for at in self.deaths if at > time.monotonic() - 30] + [time.monotonic()]
        if len(self.deaths) > 4:
            raise Trouble(f"The {self.name} ended again and again; see above.")
        print(f"The {self.name} ended; starting it again.", flush=True)
        time.sleep(len(self.deaths))
        self.start()

    def end(self) -> None:
        if self.process.poll() is None:
            self.process.terminate()
            try:
                self.process.wait(timeout=20)
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait()


def end_with_parent() -> None:
    """Have a child ended when its parent is killed outright (Linux; elsewhere nothing is done)."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(1, signal.SIGTERM)


def wait_until_up(port: int, server: subprocess.Popen[bytes], stopping: Callable[[], bool]) -> bool:
    until = time.monotonic() + START_SECONDS
    while time.monotonic() < until and not stopping():
        if server.poll() is not None:
            raise Trouble("The server did not start; see above.")
        try:
            with urllib.request.urlopen(f"http://localhost:{port}/healthz", timeout=5):
                return True
        except OSError:
            time.sleep(0.15)
    return False


def run_worker(options: argparse.Namespace) -> int:
    set_up()
    env = environment(Path(options.data).resolve())
    os.execve(str(PYTHON), [str(PYTHON), "-m", "django", "worker"], env)  # noqa: S606 - becomes the worker


def run_verify(options: argparse.Namespace) -> int:
    data = Path(options.data).resolve()
    if not (data / DATABASE).exists():
        raise Trouble(f"There is no installation in {data}. Say which with --data DIR.")
    set_up()
    return manage(environment(data), "verify", *(["--expect", options.expect] if options.expect else []))
