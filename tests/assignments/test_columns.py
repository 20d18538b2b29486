"""What a board keeps between two readings, and what it reads again."""

import shutil
from dataclasses import fields

import numpy as np
import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from stepladder import stored_arrays
from stepladder.assignments import column_reading, columns
from stepladder.assignments.actions import end_assignment, grant_waiver, revoke_waiver
from stepladder.assignments.models import Assignment, CachedColumns
from stepladder.assignments.wishing import wish
from stepladder.courses import actions as courses
from stepladder.learning.actions import record_completion, revoke_completion
from stepladder.people import actions as people
from tests import factories as f
from tests.assignments.test_paths import a_path

DAY = f.d("2026-05-14")


@pytest.fixture
def fleet(organisation, on):
    on("2026-05-14")
    course = f.a_course("Fire", months=12, window=60, grace=30)
    crew = [f.a_person(name) for name in ("Jun Pellam", "Ada Venn", "Bo Tarn")]
    assignment = f.an_assignment(course, start=f.d("2026-05-01"))
    return course, crew, assignment


def done(course, person, day):
    return record_completion(person=person, course=course, edition=course.editions.get(), day=f.d(day), by=f.BY)


def read_in_sql():
    with CaptureQueriesContext(connection) as queries:
        columns.everything()
    return [q["sql"] for q in queries if "records_" not in q["sql"] and "SAVEPOINT" not in q["sql"]]


def assert_as_if_read_anew():
    """What is kept is what is read: the columns, the requirements, and the counts of every assignment."""
    kept = _all_arrays()
    requirements = columns.requirement_columns(day=DAY, known_on=DAY)
    columns._cache.clear()
    for name, array in _all_arrays().items():
        np.testing.assert_array_equal(kept[name], array, name)
    return requirements


def _all_arrays():
    stored, asked = columns.everything(), columns.requirement_columns(day=DAY, known_on=DAY)
    tables = stored.tables.whole()._asdict()
    found = {f"{n}.{f.name}": getattr(t, f.name) for n, t in (tables | {"asked": asked}).items() for f in fields(t)}
    for assignment in Assignment.objects.all():
        found[f"counts of {assignment}"] = columns.assignment_counts(assignment, day=DAY, known_on=DAY)
    return found


def test_nothing_is_read_again_while_nothing_moved(fleet):
    columns.everything()
    assert read_in_sql() == []
    courses.new_edition(course=fleet[0], by=f.BY)
    assert read_in_sql() == []


def test_only_the_rows_of_who_moved_are_read_again(fleet):
    course, (jun, ada, _), _ = fleet
    columns.everything()
    done(course, jun, "2026-05-01")
    read = read_in_sql()
    assert len(read) == 4
    assert all(f'"person_id" IN ({jun.pk})' in sql for sql in read)
    done(course, jun, "2026-05-02")
    done(course, ada, "2026-05-02")
    assert all(f"IN ({jun.pk}, {ada.pk})" in sql for sql in read_in_sql())


def test_what_was_kept_and_what_was_read_again_come_to_the_same_as_reading_everything(fleet):
    course, (jun, ada, bo), assignment = fleet
    lines, ropes = f.a_course("Lines", months=6), f.a_course("Ropes")
    path = a_path("On deck", ("First", 30, [lines]), ("Then", None, [ropes]))
    everybody = {"in": None, "named_in": [jun.pk, ada.pk, bo.pk], "named_out": []}
    f.an_assignment(path, everybody, start=f.d("2026-05-01"))

    def of_course():
        asked = assert_as_if_read_anew()
        return asked.where(asked.course == course.pk)

    columns.requirement_columns(day=DAY, known_on=DAY)
    completion = done(course, jun, "2026-05-01")
    assert list(of_course().valid_until != 0) == [True, False, False]
    done(lines, jun, "2026-05-02")
    done(ropes, jun, "2026-05-03")
    revoke_completion(completion=completion, because="Somebody else’s", by=f.BY)
    waiver = grant_waiver(person=ada, course=course, from_day=DAY, to_day=None, reason="Ashore", by=f.BY)
    assert_as_if_read_anew()
    revoke_waiver(waiver=waiver, by=f.BY)
    old = bo.placements.known_now()
    people.move(person=bo, unit=f.a_unit("Office"), position=f.a_position("Clerk"), from_day=DAY, ending=old, by=f.BY)
    assert len(of_course()) == 2
    f.a_person("Cy Lund", hired="2026-05-14")
    assert len(of_course()) == 3
    end_assignment(assignment=assignment, end=f.d("2026-05-13"), by=f.BY)
    assert len(of_course()) == 0


@pytest.mark.parametrize("few", [0, 20], ids=["by columns", "row by row"])
def test_what_one_chose_oneself_is_of_no_assignment_however_it_is_read(fleet, monkeypatch, few):
    """Of a few people rows are read one by one, of more by columns: both come to the same as reading everybody."""
    course, (jun, *_), _ = fleet
    monkeypatch.setattr(column_reading, "FEW_PEOPLE", few)
    columns.everything()
    wish(person=jun, wanted=course, by=f.BY)
    done(course, jun, "2026-05-01")
    assert 0 in columns.everything().tables.reasons.assignment
    assert_as_if_read_anew()


def test_a_change_to_the_course_reads_everybody_again(fleet):
    course, (jun, _, _), _ = fleet
    done(course, jun, "2026-05-01")
    columns.everything()
    courses.set_terms(
        course=course, months=6, days=0, is_calendar_year=False, window_days=0, grace_days=0, from_day=DAY, by=f.BY
    )
    assert not any('person_id" IN' in sql for sql in read_in_sql())
    assert_as_if_read_anew()


@pytest.fixture
def disk(settings, tmp_path, monkeypatch):
    """Columns are kept on disk however few there are."""
    settings.DATA_DIR = tmp_path
    monkeypatch.setattr(columns, "WORTH_STORING", 1)
    return tmp_path / "columns" / "requirements"


def test_columns_on_disk_are_mapped_by_the_next_process(fleet, disk):
    course, (jun, ada, _), _ = fleet
    done(course, jun, "2026-05-01")
    first = columns.everything()
    assert first.is_stored
    assert not first.tables.reasons.person.flags.writeable
    columns._cache.clear()
    assert read_in_sql() == []
    # What moved since is read again, and only that.
    columns._cache.clear()
    done(course, ada, "2026-05-02")
    read = read_in_sql()
    assert len(read) == 4
    assert all(f'"person_id" IN ({ada.pk})' in sql for sql in read)
    assert_as_if_read_anew()


def test_many_who_moved_are_kept_anew_and_the_old_ones_go(fleet, disk, monkeypatch):
    course, crew, _ = fleet
    columns.everything()
    (before,) = disk.iterdir()
    monkeypatch.setattr(columns, "MANY_MOVED", 1)
    done(course, crew[0], "2026-05-01")
    columns.everything()
    assert list(disk.iterdir()) == [before]
    done(course, crew[1], "2026-05-01")
    done(course, crew[2], "2026-05-01")
    columns.everything()
    (after,) = disk.iterdir()
    assert after != before
    assert columns.everything().moved_since == 0


@pytest.mark.parametrize("harm", ["lost", "cut", "of another form", "not numbers"])
def test_columns_that_are_lost_or_damaged_are_read_anew(fleet, disk, harm):
    done(fleet[0], fleet[1][0], "2026-05-01")
    columns.everything()
    (folder,) = disk.iterdir()
    if harm == "lost":
        shutil.rmtree(folder)
    elif harm == "cut":
        np.save(folder / "reasons.due.npy", np.zeros(1, dtype=np.int32))
    elif harm == "of another form":
        (folder / "stated.json").write_text('{"lengths": {}, "stated": {"format": 0}}')
    else:
        (folder / "links.first.npy").write_bytes(b"\0" * 80)
    columns._cache.clear()
    assert len(read_in_sql()) >= 3
    assert_as_if_read_anew()


def test_columns_of_a_database_that_was_put_back_are_not_those_of_its_future(fleet, disk):
    """A backup is older than what is on disk: its row names other columns, or its changes have not come so far."""
    course, crew, _ = fleet
    columns.everything()
    row = CachedColumns.objects.get()
    done(course, crew[0], "2026-05-01")
    columns._cache.clear()
    columns.everything()
    CachedColumns.objects.update(token=row.token, change=row.change + 10_000)
    columns._cache.clear()
    assert len(read_in_sql()) >= 3
    CachedColumns.objects.all().delete()
    columns._cache.clear()
    assert len(read_in_sql()) >= 3


def test_where_nothing_can_be_written_columns_are_kept_in_memory(fleet, disk, monkeypatch):
    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(stored_arrays.np, "save", full)
    assert not columns.everything().is_stored
    assert list(disk.iterdir()) == []
    assert_as_if_read_anew()


def test_the_statuses_of_a_day_are_worked_out_once_and_go_with_the_rows_they_follow_from(fleet):
    course, (jun, _, _), _ = fleet
    today = columns.requirement_columns(day=DAY, known_on=DAY)
    assert columns.requirement_columns(day=DAY, known_on=DAY) is today
    for n in (1, 2):
        columns.requirement_columns(day=f.d(f"2026-06-0{n}"), known_on=DAY)
    assert len(columns.everything().days) == columns.MOST_DAYS
    assert columns.requirement_columns(day=DAY, known_on=DAY) is not today
    kept = columns.requirement_columns(day=DAY, known_on=DAY)
    done(course, jun, "2026-05-01")
    after = columns.requirement_columns(day=DAY, known_on=DAY)
    assert after is not kept
    assert (after.valid_until > 0).sum() == (kept.valid_until > 0).sum() + 1


def test_columns_that_another_process_keeps_meanwhile_are_taken_as_they_are(fleet, disk, monkeypatch):
    """Between asking for the newest change and looking at the disk, somebody else wrote both."""
    columns.everything()
    columns._cache.clear()
    newest, asked = columns._newest, []

    def behind():
        asked.append(1)
        return newest() - (len(asked) == 1)

    monkeypatch.setattr(columns, "_newest", behind)
    assert read_in_sql() == []
    assert columns._cache[0].change == newest()
