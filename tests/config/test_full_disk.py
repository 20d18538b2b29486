"""A disk that holds no more, by the kernel's own limit on the size of files: each writer says so, and leaves nothing half written."""

import resource
import subprocess
import sys
from contextlib import contextmanager

import numpy as np
import pytest

from stepladder.assignments import columns
from stepladder.evidence import making
from stepladder.evidence.models import Pack
from stepladder.reports import file_making
from stepladder.reports.models import ReportFile
from stepladder.stored_arrays import store_arrays
from tests import factories as f
from tests.config.test_ladder import LADDER, installation  # noqa: F401 - a data folder with a database and a film
from tests.reports.conftest import fleet  # noqa: F401 - six people with completions


@contextmanager
def files_of_at_most(size):
    """No file grows beyond so many bytes; what a test's own transaction writes stays in memory."""
    soft, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (size, hard))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, (soft, hard))


@pytest.mark.parametrize("form", ["csv", "xlsx"])
def test_a_report_as_a_file_that_does_not_fit_is_given_up_with_the_reason(fleet, media, form):  # noqa: F811
    made = ReportFile.objects.create(
        account=f.an_account("administrator"),
        title="Done",
        form=form,
        query="figure=completions.completions&first=1+Mar+2026",
    )
    with files_of_at_most(100):
        file_making.make_report_file.call(key=made.pk)
    made.refresh_from_db()
    assert made.state == "failed"
    assert "It could not be written: File too large" in made.trouble
    assert list(file_making.file_of(made).parent.iterdir()) == []
    # With room again it is made.
    ReportFile.objects.filter(pk=made.pk).update(state="waiting")
    file_making.make_report_file.call(key=made.pk)
    made.refresh_from_db()
    assert (made.state, made.done) == ("done", 3)


def test_a_pack_that_does_not_fit_is_given_up_with_the_reason(fleet, media):  # noqa: F811
    course, _ = fleet
    pack = Pack.objects.create(
        account=f.an_account("administrator"), name="For Thursday", reach=f.in_units(f.a_unit("Fleet")), words="Fleet",
        courses=[course.pk], day=f.d("2026-05-01"), known_on=f.d("2026-05-14"), with_certificates=False,
    )  # fmt: skip
    with files_of_at_most(5_000):
        making.make_pack.call(key=pack.pk)
    pack.refresh_from_db()
    assert (pack.state, pack.trouble[:23]) == ("failed", "It could not be written")
    assert list(making.file_of(pack).parent.iterdir()) == []


def test_columns_that_do_not_fit_are_kept_in_memory(fleet, settings, tmp_path, monkeypatch):  # noqa: F811
    settings.DATA_DIR = tmp_path
    monkeypatch.setattr(columns, "WORTH_STORING", 1)
    with files_of_at_most(100):
        found = columns.everything()
        with pytest.raises(OSError, match="File too large"):
            store_arrays(tmp_path / "arrays", {"numbers": np.arange(1_000)}, {})
    assert not found.is_stored
    assert len(found.tables.reasons) > 0
    assert [path for path in tmp_path.rglob("*") if path.is_file()] == []


def test_a_backup_that_does_not_fit_says_so_and_leaves_nothing(installation, tmp_path):  # noqa: F811
    (installation / "media/originals/film").write_bytes(np.random.default_rng(1).bytes(400_000))
    archive = tmp_path / "backup.tar.gz"
    limited = f"ulimit -f 200; exec {sys.executable} {' '.join(LADDER[1:])} backup --data {installation} {archive}"
    done = subprocess.run(["bash", "-c", limited], capture_output=True, text=True, check=False, timeout=280)  # noqa: S607
    assert done.returncode == 1, done.stdout + done.stderr
    assert "Traceback" not in done.stderr
    assert "File too large" in done.stderr
    assert {path.name for path in tmp_path.iterdir()} == {"data"}
