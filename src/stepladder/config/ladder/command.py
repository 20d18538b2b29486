"""What `./ladder` understands."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable, Sequence

from stepladder.config.ladder.backups import run_backup, run_restore
from stepladder.config.ladder.days import a_day, days
from stepladder.config.ladder.installation import PROJECT, Trouble
from stepladder.config.ladder.serving import run_demo, run_serve, run_verify, run_worker
from stepladder.config.ladder.stylesheet import run_css
from stepladder.config.ladder.testing import run_bench, run_test


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

    def command(
        name: str, act: Callable[[argparse.Namespace], int | None], description: str
    ) -> argparse.ArgumentParser:
        made = commands.add_parser(name, help=description, description=description)
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
    bench.add_argument(
        "--people", type=int, metavar="N", help="every main page of a firm of N people, beside a small one"
    )
    command("css", run_css, "Build the stylesheet that is committed.")
    verify = with_data(command("verify", run_verify, "Recompute everything from the facts and report any difference."))
    verify.add_argument("--expect", metavar="HEAD", help="a head of the journal that was kept (number:digest)")
    backup = with_data(command("backup", run_backup, "Write the data folder to one file, also while it is served."))
    backup.add_argument("file", help="the archive to write (.tar.gz)")
    restore = with_data(command("restore", run_restore, "Bring a backup back into an empty data folder."))
    restore.add_argument("file", help="the archive to read")
    return top
