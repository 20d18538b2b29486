"""The demo's data as a whole: the same each time, all of it as the journal has it, and whole again from a backup."""

import shutil
import sqlite3
import subprocess
import sys
from contextlib import closing

import pytest

from tests.browser.conftest import ROOT, plain_environment
from tests.shared import empty_installation

LADDER = [sys.executable, str(ROOT / "src/stepladder/config/ladder")]
COUNTED = ("people_person", "learning_completion", "assignments_reason", "courses_course", "library_module")


def ladder(*arguments):
    return subprocess.run([*LADDER, *map(str, arguments)], capture_output=True, text=True, check=False, timeout=500)


def entries(data, most=None):
    """What the journal says, in order: number, verb, object, and the digest of the facts. (Passwords are salted anew each time.)"""
    with closing(sqlite3.connect(data / "stepladder.sqlite3")) as base:
        rows = base.execute(
            "SELECT number, verb, object_name, rows_digest FROM journal_entry ORDER BY number"
        ).fetchall()
    return rows[:most]


@pytest.mark.long
@pytest.mark.timeout(600)
def test_the_same_day_gives_the_same_data(demo, tmp_path):
    env = plain_environment() | {
        "DJANGO_SETTINGS_MODULE": "stepladder.config.settings",
        "PYTHONPATH": str(ROOT / "src"),
        "STEPLADDER_DATA": str(tmp_path),
        "STEPLADDER_SECRET_KEY": "another",
        "STEPLADDER_DEMO": "1",
    }
    if installation := empty_installation():
        shutil.copy(installation / "stepladder.sqlite3", tmp_path)
    for command in ("migrate", "load_demo"):
        subprocess.run([sys.executable, "-m", "django", command], env=env, check=True, capture_output=True)
    anew = entries(tmp_path)
    assert len(anew) > 400
    assert anew == entries(demo.data, len(anew))


@pytest.mark.timeout(600)
def test_a_backup_taken_while_it_runs_is_whole_and_a_row_changed_behind_its_back_is_named(demo, tmp_path):
    archive, new = tmp_path / "backup.tar.gz", tmp_path / "new"
    assert "Written:" in ladder("backup", "--data", demo.data, archive).stdout
    restored = ladder("restore", "--data", new, archive)
    assert restored.returncode == 0, restored.stdout + restored.stderr
    assert "are as they were written" in restored.stdout
    with closing(sqlite3.connect(new / "stepladder.sqlite3")) as base:
        counts = {table: base.execute(f"SELECT count(*) FROM {table}").fetchone()[0] for table in COUNTED}  # noqa: S608
        assert all(counts.values()), counts
        assert counts["people_person"] > 250
        (key,) = base.execute("SELECT min(id) FROM learning_completion").fetchone()
        base.execute("UPDATE learning_completion SET day = '2026-01-01' WHERE id = ?", [key])
        base.commit()
    checked = ladder("verify", "--data", new)
    assert checked.returncode == 1
    assert f"learning_completion row {key}" in checked.stdout
    assert (new / "media").is_dir()
