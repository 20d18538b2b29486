"""Recompute everything from the facts and report any difference."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import connection

from stepladder.assignments.checking import differences
from stepladder.charts.checks import charts_awry
from stepladder.journal.chain import Head, head
from stepladder.journal.models import Entry
from stepladder.journal.queries import fact_models, problems
from stepladder.leads.checks import led_twice
from stepladder.library.checking import media_problems
from stepladder.people.checks import placed_twice
from stepladder.queue.queries import waiting


class Command(BaseCommand):
    help = "Check the journal's chain, every row that it has the digest of, and the files."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--expect", metavar="HEAD", help="a head that was kept: number:digest")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            expected = Head.parse(options["expect"]) if options["expect"] else None
        except ValueError as error:
            raise CommandError(str(error)) from None
        found = [
            *problems(expected),
            *self._database(),
            *charts_awry(),
            *placed_twice(),
            *led_twice(),
            *media_problems(),
        ]
        waits = list(waiting())
        if waits:
            # What is derived is not written yet: differences would be false.
            for sentence in waits:
                self.stdout.write(f"… {sentence}")
            self.stdout.write("Requirements and validity were not compared: what still waits in the queue writes them.")
        else:
            found += differences()
        for problem in found:
            self.stdout.write(f"✗ {problem}")
        self.stdout.write(f"Head of the journal: {head()}")
        if found:
            self.stdout.write(f"{len(found)} problem{'s' if len(found) != 1 else ''} found.")
            sys.exit(1)
        rows = sum(model._default_manager.count() for model in fact_models())
        derived = "" if waits else ", and every requirement and validity is what they come to"
        self.stdout.write(
            f"✓ {Entry.objects.count()} journal entries and {rows} facts are as they were written{derived}."
        )

    def _database(self) -> Iterator[str]:
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA integrity_check")
            said = [row[0] for row in cursor.fetchall()]
            cursor.execute("PRAGMA foreign_key_check")
            broken = cursor.fetchall()
        yield from (f"The database file is damaged: {text}" for text in said if text != "ok")
        yield from (f"{row[0]} row {row[1]} refers to a row of {row[2]} that is gone." for row in broken)
