"""Run a benchmark, each in a database of its own: `python -m bench imports 50000`."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections.abc import Mapping

FEW, MANY = (260, 20), (50_000, 2_000)
# Sessions over two years in companies of these sizes.
LITTLE, MUCH = 30, 3_000
# Courses that everybody is asked for.
COURSES = 60


def main(arguments: list[str]) -> int:
    """With a name: that one, in this process. Without: all of them, one process each."""
    if arguments and arguments[0] == "people":
        return _people(int(arguments[1]))
    if arguments:
        return _one(arguments)
    for command in (
        ["booking", "200", "12"],
        ["imports", "50000"],
        ["pages", *map(str, FEW)],
        ["pages", *map(str, MANY)],
        ["effects", *map(str, MANY)],
        ["assigning", *map(str, MANY)],
        ["commits", "200", "20"],
        ["lessons", "300", "10"],
        ["quizzes", "2000", "20000", "2000"],
        ["uploads", "500"],
        ["streams", "2048"],
        ["documents", "500"],
        ["watching", "20000"],
        ["finding", "50"],
        ["finding", "50000"],
        ["catalogue", "5000", "50000"],
        ["telling", *map(str, MANY), str(COURSES)],
        ["year", "5000", "200"],
        ["start"],
        ["board", *map(str, MANY), str(COURSES)],
        ["reports", *map(str, MANY), str(COURSES)],
        ["people", "5000"],
        ["people", str(MANY[0])],
        ["evidence", "5000", "500", "10"],
        ["planning"],
        ["story", *map(str, MANY), str(COURSES), str(MUCH)],
        ["sessions", *map(str, FEW), str(LITTLE)],
        ["sessions", *map(str, MANY), str(MUCH)],
    ):
        if subprocess.run([sys.executable, "-m", "bench", *command], check=False).returncode:
            return 1
    return 0


def _people(count: int) -> int:
    """A firm of so many people beside a small one: this process needs no database of its own."""
    os.environ.update(DJANGO_SETTINGS_MODULE="stepladder.config.settings_test", STEPLADDER_SECRET_KEY="bench")  # noqa: S106 - as below
    with tempfile.TemporaryDirectory() as folder:
        os.environ["STEPLADDER_DATA"] = folder
        import django  # inside: its settings are those above

        django.setup()
        from bench import large  # inside: it reads models

        return large.compare(count)


def _one(arguments: list[str]) -> int:
    with tempfile.TemporaryDirectory() as folder:
        os.environ.update(
            DJANGO_SETTINGS_MODULE="stepladder.config.settings_test",
            STEPLADDER_DATA=folder,
            STEPLADDER_SECRET_KEY="bench",  # noqa: S106 - of a database that is thrown away
        )
        import django  # inside: its settings are those above
        from django.core.management import call_command
        from django.test.utils import setup_test_environment

        django.setup()
        setup_test_environment()
        call_command("migrate", verbosity=0)
        from bench import (  # inside: they read models
            assigning,
            board,
            booking,
            catalogue,
            commits,
            documents,
            effects,
            evidence,
            finding,
            imports,
            large,
            lessons,
            pages,
            planning,
            quizzes,
            reports,
            sessions,
            start,
            story,
            streams,
            telling,
            uploads,
            watching,
        )

        name, *numbers = arguments
        if name == "imports":
            lines = imports.run(int(numbers[0]))
        elif name == "booking":
            lines = booking.run(int(numbers[0]), int(numbers[1]))
        elif name == "pages":
            count, units = int(numbers[0]), int(numbers[1])
            lines = [f"{count:,} people in {units:,} units", *_pages(pages.run(count, units))]
        elif name == "board":
            count, units, courses = (int(number) for number in numbers)
            lines = [
                f"records, {count:,} people in {units:,} units, {courses} courses",
                *board.run(count, units, courses),
            ]
        elif name == "reports":
            count, units, courses = (int(number) for number in numbers)
            lines = [
                f"reports, {count:,} people in {units:,} units, {courses} courses",
                *reports.run(count, units, courses),
            ]
        elif name == "large":
            lines = large.run(int(numbers[0]))
        elif name == "commits":
            lines = commits.run(int(numbers[0]), int(numbers[1]))
        elif name == "lessons":
            lines = lessons.run(int(numbers[0]), int(numbers[1]))
        elif name == "quizzes":
            lines = quizzes.run(*(int(number) for number in numbers))
        elif name == "uploads":
            lines = uploads.run(int(numbers[0]))
        elif name == "catalogue":
            lines = catalogue.run(*map(int, numbers))
        elif name == "finding":
            lines = finding.run(int(numbers[0]))
        elif name == "streams":
            lines = streams.run(int(numbers[0]))
        elif name == "documents":
            lines = documents.run(int(numbers[0]))
        elif name == "watching":
            lines = watching.run(int(numbers[0]))
        elif name == "evidence":
            lines = list(evidence.run(*map(int, numbers)))
        elif name == "planning":
            lines = list(planning.run())
        elif name == "start":
            lines = start.run()
        elif name == "story":
            count, units, courses, held = (int(number) for number in numbers)
            lines = [
                f"the story, {count:,} people in {units:,} units, {courses} courses, {held:,} sessions",
                *story.run(count, units, courses, held),
            ]
        elif name == "effects":
            count, units = int(numbers[0]), int(numbers[1])
            lines = [f"what an act would do, {count:,} people in {units:,} units", *effects.run(count, units)]
        elif name == "assigning":
            count, units = int(numbers[0]), int(numbers[1])
            lines = [f"an assignment to everybody, {count:,} people in {units:,} units", *assigning.run(count, units)]
        elif name == "telling":
            count, units, courses = (int(number) for number in numbers)
            lines = [f"the day's notices, {count:,} people in {units:,} units", *telling.run(count, units, courses)]
        elif name == "year":
            lines = telling.year(int(numbers[0]), int(numbers[1]))
        elif name == "sessions":
            count, units, held = (int(number) for number in numbers)
            lines = [f"{held:,} sessions, {count:,} people", *_pages(sessions.run(count, units, held))]
        else:
            print(
                f"There is no benchmark “{name}”: assigning, board, booking, catalogue, commits, documents, effects, finding, "
                "imports, lessons, pages, quizzes, sessions, start, story, streams, telling, uploads, watching, year.",
                file=sys.stderr,
            )
            return 2
    print("\n".join(lines), flush=True)
    return 0


def _pages(found: Mapping[str, tuple[float, int]]) -> list[str]:
    return [f"  {label}: {1000 * seconds:.0f} ms, {queries} queries" for label, (seconds, queries) in found.items()]


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
