"""Recompute everything from the facts and report any difference."""

from __future__ import annotations

import sys
from typing import Any

from django.core.management.base import BaseCommand
from django.db import connection

from stepladder.assignments.checking import differences
from stepladder.journal.models import Entry
from stepladder.journal.queries import fact_models, problems
from stepladder.people.queries.doubles import doubles


class Command(BaseCommand):
    help = "Check the journal's chain and every fact against it."

    def handle(self, *args: Any, **options: Any) -> None:
        found = [*problems(), *self._database(), *doubles(), *differences()]
        for problem in found:
            self.stdout.write(f"✗ {problem}")
        rows = sum(model._default_manager.count() for model in fact_models())
        if found:
            self.stdout.write(f"{len(found)} problem{'s' if len(found) != 1 else ''} found.")
            sys.exit(1)
        self.stdout.write(
            f"✓ {Entry.objects.count()} journal entries and {rows} facts are as they were written, and "
            "every requirement and validity is what they come to."
        )

    def _database(self) -> list[str]:
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA integrity_check")
            said = [row[0] for row in cursor.fetchall()]
            cursor.execute("PRAGMA foreign_key_check")
            broken = cursor.fetchall()
        found = [f"The database file is damaged: {text}" for text in said if text != "ok"]
        return found + [f"{row[0]} row {row[1]} refers to a row of {row[2]} that is gone." for row in broken]
