"""The second start of the demo, when everything is set up and loaded, beside what Django's own check takes."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory

from bench import check

PROJECT = Path(__file__).resolve().parents[1]
PORT = "8499"
TIMES = 3


def run() -> list[str]:
    """Lines of what it came to."""
    with TemporaryDirectory() as folder:
        first = _started(folder)
        again = sorted(_started(folder) for _ in range(TIMES))[TIMES // 2]
    bare = sorted(_checked() for _ in range(TIMES))[TIMES // 2]
    return [
        f"first start, which loads the demo: {first:.0f} s",
        f"second start: {again:.1f} s; a bare check {bare:.1f} s, ratio {again / bare:.1f}",
    ]


def _started(folder: str) -> float:
    """Seconds until the demo says that it is ready."""
    began = time.perf_counter()
    command = [str(PROJECT / "ladder"), "demo", "--port", PORT, "--data", folder]
    env = {key: value for key, value in os.environ.items() if not key.startswith(("STEPLADDER_", "DJANGO_"))}
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=env, start_new_session=True) as process:
        is_ready = any(line.strip() == "ready" for line in process.stdout or ())
        took = time.perf_counter() - began
        os.killpg(process.pid, signal.SIGTERM)
        # To its end: what it still says has somebody who listens.
        process.communicate()
    check(is_ready, "the demo did not start")
    return took


def _checked() -> float:
    began = time.perf_counter()
    done = subprocess.run([sys.executable, "-m", "django", "check"], capture_output=True, check=False)
    check(done.returncode == 0, done.stderr.decode())
    return time.perf_counter() - began
