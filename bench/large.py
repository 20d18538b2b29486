"""Every main page of a firm of any size, as a ratio to a bare Django view; and whether its queries grow with its people."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from django.test.utils import override_settings
from django.urls import reverse

from bench import bare, board, company, reports, sessions, story
from bench.pages import measured
from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.assignments import columns
from stepladder.learning.completion_arrays import completion_arrays
from stepladder.library.actions import create_binder
from stepladder.people.models import Person
from stepladder.reports import working
from stepladder.reports.completion_times import completion_days

COURSES, PEOPLE_A_UNIT, PEOPLE_A_SESSION = 60, 25, 16
# The size that a firm is held against.
SMALL = 1_000
# Where a process says what it measured for another one.
OUT = "STEPLADDER_BENCH_OUT"
REFRESHED = 9


def compare(people: int) -> int:
    """Measure a small firm and one of so many people, each in a process of its own, and print both side by side."""
    found = []
    with tempfile.TemporaryDirectory() as folder:
        for count in (SMALL, people):
            out = Path(folder) / str(count)
            command = [sys.executable, "-m", "bench", "large", str(count)]
            if subprocess.run(command, check=False, env={**os.environ, OUT: str(out)}).returncode:
                return 1
            found.append(json.loads(out.read_text()))
    small, large = found
    grown = [label for label, (_, queries) in large.items() if queries > small[label][1]]
    print(f"| page | {SMALL:,} people | {people:,} people | to a bare view | queries |\n|---|---|---|---|---|")
    bare_view = large["a bare view"][0]
    for label, (seconds, queries) in sorted(large.items(), key=lambda item: -item[1][0]):
        before, were = small[label]
        asked = str(queries) if queries == were else f"{were} → {queries}"
        print(f"| {label} | {before * 1000:.0f} ms | {seconds * 1000:.0f} ms | {seconds / bare_view:.0f} | {asked} |")
    print(f"More queries for more people: {', '.join(grown) or 'none'}.")
    return 0


def run(people: int) -> list[str]:
    """Lines of what a firm of so many people comes to."""
    units = max(people // PEOPLE_A_UNIT, 10)
    began = time.perf_counter()
    reports.fill(people, units, COURSES)
    admin = Account.objects.get(email="ines@bench.example")
    soon = sessions.fill(
        create_binder(name="Deck", owner=admin, is_shared=True, by=company.BY), people // PEOPLE_A_SESSION
    )
    filled = time.perf_counter() - began
    lines = [f"{people:,} people in {units:,} units, {COURSES} courses; filled in {filled:.0f} s", *_columns()]
    pages: dict[str, Any] = {}
    policy.ADDRESSES["bare"] = "sign in"
    with override_settings(ROOT_URLCONF="bench.bare"):
        for label, who, url in [("a bare view", admin, bare.ADDRESS), *story._pages(admin, soon), *_reports(admin)]:
            pages[label] = measured(who, url)
    bare_view = pages["a bare view"][0]
    for label, (seconds, queries) in sorted(pages.items(), key=lambda item: -item[1][0]):
        lines.append(
            f"{label}: {seconds * 1000:.0f} ms, {seconds / bare_view:.0f} times a bare view, {queries} queries"
        )
    if out := os.environ.get(OUT):
        Path(out).write_text(json.dumps(pages))
    return lines


def _columns() -> list[str]:
    """What is read once, kept on disk, and brought up to date after one person moved."""
    today = clock.today()
    statuses = partial(columns.requirement_columns, day=today, known_on=today)
    lines = []
    first: list[tuple[str, Callable[[], object]]] = [
        ("columns of what is asked, read first", columns.everything),
        ("columns of completions, read first", completion_arrays),
        ("days taken of every completion", lambda: completion_days(completion_arrays())),
        ("statuses of today", statuses),
        ("how everybody stood on 25 days, for reports", working.make_ready.call),
    ]
    for label, act in first:
        _, took = board._timed(act)
        lines.append(f"{label}: {took:.2f} s")
    each = []
    for person in Person.objects.order_by("pk").values_list("pk", flat=True)[:REFRESHED]:
        columns.note_moved([person])
        each.append(board._timed(statuses)[1])
    lines.append(f"columns and statuses after one person moved: {sorted(each)[REFRESHED // 2] * 1000:.0f} ms")
    columns.note_moved(None)
    lines.append(f"the same after everybody did: {board._timed(statuses)[1]:.1f} s")
    return lines


def _reports(admin: Account) -> list[tuple[str, Account, str]]:
    new = reverse("reports:new")
    days = "first=today-729d&last=today"
    return [
        ("report: covered, 24 months", admin, f"{new}?figure=requirements.covered&by=month&{days}"),
        ("report: covered, 24 months by unit", admin, f"{new}?figure=requirements.covered&by=unit&then=month&{days}"),
        ("report: days taken by course", admin, f"{new}?figure=completions.days_taken&by=course&{days}"),
        ("report: hours by unit and month", admin, f"{new}?figure=time.hours&by=unit&then=month&{days}"),
        ("report: who learns, 24 months", admin, f"{new}?figure=people.learned&by=month&{days}"),
        ("report: rows of completions", admin, f"{new}?figure=completions.completions&{days}"),
        ("board of people", admin, reverse("records:board") + "?of=people"),
        ("board of positions", admin, reverse("records:board") + "?of=positions"),
        ("board of what runs out", admin, reverse("records:board") + "?rate=running+out"),
        ("evidence packs", admin, reverse("evidence:packs")),
        ("a new plan", admin, reverse("planning:new")),
        ("keeping", admin, reverse("keeping:keeping")),
    ]
