"""A server of its own for a benchmark: the application as it is served, or one plain view to hold it against."""

from __future__ import annotations

import base64
import os
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from http.client import HTTPConnection, HTTPResponse
from pathlib import Path
from typing import Any

from bench import check

APPLICATION, PLAIN = "stepladder.config.wsgi:application", "bench.serving:plain"
BLOCK = 256 * 1024
PROJECT = Path(__file__).resolve().parents[1]


def announced(size: int, **said: str) -> dict[str, str]:
    """The headers by which a file is announced: its size, and what is said of it."""
    about = ",".join(f"{key} {base64.b64encode(value.encode()).decode()}" for key, value in said.items())
    return {"Upload-Length": str(size), "Upload-Metadata": about}


@dataclass(frozen=True)
class Server:
    """A server with one worker, and a connection to it that stays open."""

    connection: HTTPConnection
    pid: int

    def ask(self, method: str, address: str, body: object = None, **headers: str) -> HTTPResponse:
        """The answer, read to its end."""
        said = {name.replace("_", "-"): value for name, value in headers.items()}
        self.connection.request(method, address, body, said)  # type: ignore[arg-type]  # of anything that can be sent
        answer = self.connection.getresponse()
        answer.read()
        return answer

    def most_memory(self) -> int:
        """What its worker has had at most, in MB."""
        worker = Path(f"/proc/{self.pid}/task/{self.pid}/children").read_text().split()[0]
        lines = Path(f"/proc/{worker}/status").read_text().splitlines()
        return int(next(line for line in lines if line.startswith("VmHWM")).split()[1]) // 1024


@contextmanager
def served(what: str) -> Iterator[Server]:
    """A server of APPLICATION (on the database of this benchmark) or PLAIN, while the block runs."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [
        *(sys.executable, "-m", "gunicorn", what, "--bind", f"127.0.0.1:{port}", "--workers", "1"),
        *("--worker-class", "gthread", "--threads", "4", "--timeout", "600", "--log-level", "warning"),
    ]
    # As it is served: neither the tests' settings nor their queue.
    env = os.environ | {
        "DJANGO_SETTINGS_MODULE": "stepladder.config.settings",
        "PYTHONPATH": f"{PROJECT / 'src'}:{PROJECT}",
    }
    with subprocess.Popen(command, env=env) as process:
        try:
            yield Server(_connected(port, process), process.pid)
        finally:
            process.terminate()


def _connected(port: int, process: subprocess.Popen[bytes]) -> HTTPConnection:
    for _ in range(300):
        check(process.poll() is None, "the server ended")
        connection = HTTPConnection("localhost", port, timeout=600)
        try:
            connection.connect()
        except OSError:
            time.sleep(0.1)
        else:
            return connection
    raise TimeoutError("the server did not start")


def plain(environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
    """A WSGI application that writes whatever it is sent to a file, and nothing else."""
    body, left = environ["wsgi.input"], int(environ["CONTENT_LENGTH"])
    with (Path(os.environ["STEPLADDER_DATA"]) / "plain").open("wb", buffering=0) as file:
        while left and (block := body.read(min(BLOCK, left))):
            file.write(block)
            left -= len(block)
    start_response("204 No Content", [])
    return []
