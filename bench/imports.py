"""50,000 people from a CSV, against raw `executemany` of the very rows that the import writes."""

from __future__ import annotations

import csv
import io
import sqlite3
import statistics
import tempfile
import time
from pathlib import Path

from django.db import connection

from bench import check, company
from stepladder.people_import import actions as importing
from stepladder.people_import.models import Import
from stepladder.people_import.tasks import apply_import, look_through_import

TABLES = ("people_person", "people_employment", "people_placement", "journal_entry", "journal_entryrow", "journal_seal")
UNITS = 200


def run(count: int) -> list[str]:
    """Seconds to look through and to carry out, and the ratio of carrying out to raw SQL."""
    company.found(UNITS)
    by = company.administrator()
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerows([company.HEADS, *company.rows(count, UNITS)])
    began = time.perf_counter()
    job = importing.receive_import(file_name="people.csv", body=text.getvalue().encode(), by=by)
    importing.choose_columns(job=job, columns=[c["is"] for c in job.columns], day_first=True, by=by)
    look_through_import.call(job_id=job.pk)
    looked = time.perf_counter() - began
    importing.apply_import(job=Import.objects.get(pk=job.pk), by=by)
    before = _newest()
    began = time.perf_counter()
    apply_import.call(job_id=job.pk)
    applied = time.perf_counter() - began
    job.refresh_from_db()
    check((job.state, job.done) == ("done", count), f"the import ended {job.state} at {job.done}")
    raw = statistics.median(_raw(before) for _ in range(5))
    began = time.perf_counter()
    again = importing.receive_import(file_name="people.csv", body=text.getvalue().encode(), by=by)
    importing.choose_columns(job=again, columns=[c["is"] for c in again.columns], day_first=True, by=by)
    look_through_import.call(job_id=again.pk)
    repeated = time.perf_counter() - began
    check(set(again.rows.values_list("verdict", flat=True)) == {"same"}, "the second time something changed")
    return [
        f"import of {count:,} people: looked through in {looked:.1f} s, carried out in {applied:.1f} s",
        f"raw executemany of the same {len(TABLES)} tables' rows: {raw:.2f} s; ratio {applied / raw:.1f}",
        f"the same file again: {repeated:.1f} s, every row the same",
    ]


def _newest() -> dict[str, int]:
    with connection.cursor() as cursor:
        found = {}
        for table in TABLES:
            cursor.execute(f"SELECT coalesce(max(rowid), 0) FROM {table}")  # noqa: S608 - names of our own tables
            found[table] = cursor.fetchone()[0]
    return found


def _raw(before: dict[str, int]) -> float:
    """The rows written since, into an empty copy of the tables with their indexes, by plain SQL."""
    with connection.cursor() as cursor, tempfile.TemporaryDirectory() as folder:
        rows, schema = {}, []
        for table in TABLES:
            cursor.execute(f"SELECT * FROM {table} WHERE rowid > %s", [before[table]])  # noqa: S608 - our own tables
            rows[table] = cursor.fetchall()
            cursor.execute("SELECT sql FROM sqlite_master WHERE tbl_name = %s AND sql IS NOT NULL", [table])
            schema += [line for (line,) in cursor.fetchall()]
        plain = sqlite3.connect(Path(folder) / "raw.sqlite3", isolation_level=None)
        plain.execute("PRAGMA journal_mode=WAL")
        for line in schema:
            plain.execute(line)
        began = time.perf_counter()
        plain.execute("BEGIN IMMEDIATE")
        for table, own in rows.items():
            marks = ", ".join("?" * len(own[0]))
            plain.executemany(f"INSERT INTO {table} VALUES ({marks})", own)  # noqa: S608 - our own tables
        plain.execute("COMMIT")
        took = time.perf_counter() - began
        plain.close()
    return took
