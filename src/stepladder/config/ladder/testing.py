"""Every check and every test, and benchmarks."""

from __future__ import annotations

import argparse
import contextlib
import os
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import date
from pathlib import Path

from stepladder.config.ladder.days import PINNED_DAYS, on_day
from stepladder.config.ladder.installation import PROJECT, PYTHON, VENV, Trouble, environment, set_up
from stepladder.config.ladder.stylesheet import BUILT_CSS, build_css

# A name, and whether it holds.
Check = tuple[str, Callable[[dict[str, str]], bool]]


def find_chromium() -> str:
    for name in ("chromium", "chromium-browser"):
        if found := shutil.which(name):
            return found
    if os.geteuid() == 0 and shutil.which("apt-get"):
        print("Installing Debian's Chromium …", flush=True)
        for command in ("apt-get update -qq", "apt-get install -y -qq --no-install-recommends chromium"):
            subprocess.run(command.split(), check=False, capture_output=True)
        if found := shutil.which("chromium"):
            return found
    raise Trouble("The browser tests need Chromium. On Debian: apt install chromium")


def find_proxy() -> None:
    """Fetch Debian's nginx for the test of the proxy, on a machine that is there for tests; elsewhere it says that it did not run."""
    if os.environ.get("CI") and os.geteuid() == 0 and shutil.which("apt-get") and not shutil.which("nginx"):
        command = "apt-get install -y -qq --no-install-recommends nginx"
        subprocess.run(command.split(), check=False, capture_output=True)


# What the walk over every page is; it is run on a pinned day more, each day of the year on another.
WALK = "tests/browser/test_pages.py"


def run_test(options: argparse.Namespace) -> int:
    """Every check and every test, all of them even where one fails; or only some tests, or only on some days."""
    chosen = [path for word in options.only for path in tests_of(word)]
    set_up(dev=True)
    find_proxy()
    with tempfile.TemporaryDirectory(prefix="stepladder-test-") as folder:
        env = environment(Path(folder), demo=True)
        env.update(
            DJANGO_SETTINGS_MODULE="stepladder.config.settings_test",
            PYTHONWARNINGS="default",
            CHROMIUM=find_chromium(),
            PATH=f"{VENV / 'bin'}{os.pathsep}{env['PATH']}",
        )
        first = env | ({"STEPLADDER_LONG": "1"} if options.long else {})
        if chosen:
            return max(pytest(chosen, first, Path(folder), day) for day in options.day or [None])
        if options.day:
            return max(every_test(first, Path(folder), day) for day in options.day)
        # What takes long asks about processes and load, which a day does not change: it is run once.
        if options.long:
            codes = [every_test(first, Path(folder), None, CHECKS)]
            return max(*codes, *(every_test(env, Path(folder), day) for day in PINNED_DAYS))
        pinned = PINNED_DAYS[date.today().toordinal() % len(PINNED_DAYS)]  # noqa: DTZ011 - any turn will do
        return every_test(first, Path(folder), None, CHECKS, walked=pinned)


def tests_of(word: str) -> list[str]:
    """The folder or files of tests that a word means: a path, an app, or a subject that files are named for."""
    tests = PROJECT / "tests"
    if (PROJECT / word.split("::")[0]).exists():
        return [word]
    if (tests / word).is_dir():
        return [str(tests / word), *map(str, (tests / "browser").glob(f"test_{word}.py"))]
    if found := sorted(map(str, tests.glob(f"*/test_*{word}*.py"))):
        return found
    subjects = sorted({path.parent.name for path in tests.glob("*/test_*.py")})
    raise Trouble(f"No tests are called “{word}”. There are: {', '.join(subjects)}; or a word of a file's name.")


def lives_on(env: dict[str, str], folder: Path, day: date | None) -> dict[str, str]:
    """What tests on a day are started with: its clock, and data of its own."""
    data = folder / str(day or "today")
    data.mkdir(exist_ok=True)
    return env | on_day(day) | {"STEPLADDER_DATA": str(data)}


def pytest_command(tests: Iterable[str]) -> list[str]:
    return [str(PYTHON), "-m", "pytest", "-p", "no:cacheprovider", *tests]


def pytest(tests: Sequence[str], env: dict[str, str], folder: Path, day: date | None) -> int:
    command = pytest_command(tests)
    return abs(subprocess.run(command, cwd=PROJECT, env=lives_on(env, folder, day), check=False).returncode)


def every_test(
    env: dict[str, str], folder: Path, day: date | None, checks: Sequence[Check] = (), walked: date | None = None
) -> int:
    """All tests on a day, with *checks* before them, and the walk on another one; 0 where nothing failed."""
    # What the processes need alike is made once, and kept here.
    shared = folder / "shared"
    shared.mkdir(exist_ok=True)
    env = env | {"STEPLADDER_TEST_SHARED": str(shared)}
    then = pytest_command([WALK]), lives_on(env, folder, walked) | {"STEPLADDER_TEST_AGAIN": "1"}
    env = lives_on(env, folder, day)
    with tests_beside(env, Path(env["STEPLADDER_DATA"]), then if walked else None) as lanes:
        failed = [name for name, check in checks if not passes(name, check, env)]
        if checks:
            print_share()
        tests = pytest([f"--ignore={path}" for path in ("tests/browser", *ASIDE)], env, folder, day)
        tests = max(abs(code) for code in (tests, *(lane.wait() for lane in lanes)))
    if failed:
        print(f"Failed: {', '.join(failed)}", file=sys.stderr)
    return 1 if failed or tests else 0


# In how many processes browser tests run at once: each waits for its browser more than it works.
LANES = 2
# About how many seconds the longest of them take; what is not named takes about as long as the shortest.
LONGEST = {
    "test_pages": 250,
    "test_faults": 240,
    "test_installation": 90,
    "test_set_up": 140,
    "test_slow_line": 90,
    "test_writing": 115,
    "test_taking_out": 80,
    # Before the starters: they come into the unit whose few people the story assigns something to.
    "test_story": 75,
    "test_sheets": 60,
    "test_learning": 55,
    "test_signing": 35,
    "test_quizzes": 35,
    "test_bringing_in": 25,
    "test_grid": 25,
    "test_weekly": 25,
    "test_starters": 20,
}
# The walk once more, on another day, whose data are loaded first.
AGAIN = 150
SHORTEST = 15
# About half of what takes long besides, for a second core.
ASIDE = ("tests/accounts", "tests/library", "tests/sources", "tests/timetable", "tests/web")


class Lane(threading.Thread):
    """Commands one after the other beside all else; what they say is kept in a file."""

    def __init__(self, commands: Sequence[tuple[list[str], dict[str, str]]], said: Path) -> None:
        super().__init__(daemon=True)
        self.commands, self.said = commands, said
        self.code = 0
        self._under_way: subprocess.Popen[bytes] | None = None
        self._is_ended = False
        self.start()

    def run(self) -> None:
        with self.said.open("w") as out:
            for command, env in self.commands:
                if self._is_ended:
                    return
                self._under_way = subprocess.Popen(command, cwd=PROJECT, env=env, stdout=out, stderr=subprocess.STDOUT)
                self.code = max(self.code, abs(self._under_way.wait()))

    def wait(self) -> int:
        """The largest of their codes, once the last has ended."""
        self.join()
        return self.code

    def terminate(self) -> None:
        """End what is under way, and begin nothing more."""
        self._is_ended = True
        if self._under_way is not None:
            self._under_way.terminate()
        self.join()


@contextlib.contextmanager
def tests_beside(
    env: dict[str, str], folder: Path, then: tuple[list[str], dict[str, str]] | None
) -> Iterator[list[Lane]]:
    """Tests that drive a browser mostly wait: they run in lanes beside all else, and so do those ASIDE.

    The first lane has less to do, and goes on with *then*. What they said is printed at the end.
    """
    driving = sorted((PROJECT / "tests/browser").glob("test_*.py"))
    parts = [*evenly(driving, LANES, AGAIN if then else 0), [PROJECT / path for path in ASIDE]]
    lanes = [
        start_lane(part, then if number == 1 else None, env, folder / f"lane {number}")
        for number, part in enumerate(parts, 1)
    ]
    try:
        yield lanes
    finally:
        for lane in lanes:
            lane.terminate()
            print(lane.said.read_text(), flush=True)


def evenly(files: Sequence[Path], count: int, besides: int = 0) -> list[list[Path]]:
    """Files of tests in so many lanes that take about as long: the longest first, each into the lane that is shortest by then.

    *besides*: so long the first lane has something else to do.
    """
    lanes: list[list[Path]] = [[] for _ in range(count)]
    taken = [besides, *([0] * (count - 1))]
    for path in sorted(files, key=lambda path: -LONGEST.get(path.stem, SHORTEST)):
        shortest = taken.index(min(taken))
        lanes[shortest].append(path)
        taken[shortest] += LONGEST.get(path.stem, SHORTEST)
    return lanes


def start_lane(
    files: Sequence[Path], then: tuple[list[str], dict[str, str]] | None, env: dict[str, str], own: Path
) -> Lane:
    """Tests one after the other in a process with data of its own, and what comes *then*."""
    own.mkdir()
    first = pytest_command(map(str, files)), env | {"STEPLADDER_DATA": str(own)}
    return Lane([first, *([then] if then else [])], own / "said.txt")


def run_bench(options: argparse.Namespace) -> int:
    set_up()
    path = os.pathsep.join([str(PROJECT / "src"), str(PROJECT)])
    env = {**os.environ, "PYTHONPATH": path}
    only = ["people", str(options.people)] if options.people else options.only
    return subprocess.run([str(PYTHON), "-m", "bench", *only], cwd=PROJECT, env=env, check=False).returncode


def passes(name: str, check: Callable[[dict[str, str]], bool], env: dict[str, str]) -> bool:
    began = time.monotonic()
    ok = check(env)
    print(f"{'✓' if ok else '✗'} {name} ({time.monotonic() - began:.1f} s)", flush=True)
    return ok


def runs(*command: str) -> Callable[[dict[str, str]], bool]:
    def check(env: dict[str, str]) -> bool:
        done = subprocess.run(
            [str(PYTHON), "-m", *command], cwd=PROJECT, env=env, capture_output=True, text=True, check=False
        )
        if done.returncode:
            print(done.stdout[-8000:], done.stderr[-4000:])
        return done.returncode == 0

    return check


def templates_are_in_form(env: dict[str, str]) -> bool:
    found = [str(p) for p in sorted((PROJECT / "src").glob("**/templates/**/*.html"))]
    return runs("djlint", "--lint", "--quiet", *found)(env)


def css_is_fresh(env: dict[str, str]) -> bool:
    with tempfile.TemporaryDirectory() as folder:
        built = Path(folder) / "app.css"
        build_css(built)
        same = built.read_bytes() == BUILT_CSS.read_bytes()
    if not same:
        print("The committed stylesheet is not what the source builds: run ./ladder css and commit it.")
    return same


def print_share() -> None:
    """How much of the lines are tests."""
    source = [p for p in (PROJECT / "src").glob("**/*") if p.suffix in (".py", ".html", ".js")]
    code = lines(p for p in source if not {"vendor", "migrations"} & set(p.parts))
    tests = lines((PROJECT / "tests").glob("**/*.py"))
    print(f"Tests are {100 * tests // (tests + code)} % of the lines ({tests} of {tests + code}).", flush=True)


def lines(paths: Iterable[Path]) -> int:
    return sum(len([line for line in p.read_text().splitlines() if line.strip()]) for p in paths)


CHECKS: list[Check] = [
    ("ruff", runs("ruff", "check", ".")),
    ("format", runs("ruff", "format", "--check", ".")),
    ("types", runs("mypy", "src/stepladder")),
    ("import contracts", runs("importlinter.cli", "lint")),
    ("templates", templates_are_in_form),
    ("migrations", runs("django", "makemigrations", "--check", "--dry-run")),
    ("set-up", runs("django", "check")),
    ("stylesheet", css_is_fresh),
]
