"""What a large firm's reports keep between pages: each comes to the same as reading everything anew."""

import shutil
from types import SimpleNamespace

import numpy as np
import pytest
from django.db import transaction
from django.urls import reverse

from stepladder import daily, fact_arrays
from stepladder.assignments import columns, standing_days
from stepladder.assignments.actions import grant_waiver
from stepladder.assignments.models import CachedColumns
from stepladder.assignments.standing_days import Moment
from stepladder.clock import today
from stepladder.learning import completion_arrays as completions
from stepladder.learning.actions import record_completion, revoke_completion
from stepladder.learning.models import Completion
from stepladder.queue.actions import at_once
from stepladder.reports import completion_times, file_making, files, pages, rows, working
from stepladder.reports.completion_times import completion_days
from stepladder.reports.models import ReportFile
from tests import factories as f
from tests.reading import page_text

NEW, MONTHS = reverse("reports:new"), {"figure": "requirements.covered", "by": "month", "first": "1 Mar 2026"}


@pytest.fixture
def large(fleet, client, settings, tmp_path, monkeypatch):
    """However few there are, they are kept as those of many."""
    settings.DATA_DIR = tmp_path
    for module in (columns, fact_arrays, completion_times):
        monkeypatch.setattr(module, "WORTH_STORING", 1)
    between_acts(monkeypatch)
    let_go()
    client.force_login(f.an_account("administrator"))
    return fleet


def between_acts(monkeypatch, *, within=False):
    """As outside of any transaction, though the test is one: what is read within one is not kept, as it may be rolled back."""
    for module in (fact_arrays, standing_days, completion_times):
        monkeypatch.setattr(module, "connection", SimpleNamespace(in_atomic_block=within))


@pytest.fixture
def queue(settings):
    """The queue as it is kept: rows, which a worker comes to later."""
    queues = ["default", "now", "bulk", "mail"]
    settings.TASKS = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend", "QUEUES": queues}}


def let_go():
    """As a process that starts."""
    columns._cache.clear()
    standing_days._held.clear()
    completion_times._held.clear()
    completions._completions._held = None


def figures(client, **said):
    """Every figure of each group, as the page of a report has them."""
    report = client.get(NEW, {**MONTHS, **said}).context["page"].report
    return [(line.names, sorted(line.values.items())) for line in report.lines], sorted(report.total.items())


def read_anew(client, monkeypatch, **said):
    with monkeypatch.context() as patch:
        for module in (columns, fact_arrays, completion_times):
            patch.setattr(module, "WORTH_STORING", 10**9)
        kept = columns._cache[:], standing_days._held[:]
        let_go()
        patch.setattr(standing_days, "_base", lambda: (None, [], columns.everything().tables))
        found = figures(client, **said)
    columns._cache[:], standing_days._held[:] = kept
    return found


@pytest.mark.parametrize(
    "said",
    [
        {},
        {"then": "unit"},
        {"then": "course"},
        {"about": "the course"},
        {"by": "unit"},
        {"then": "unit", "known": "20 Apr 2026"},
    ],
    ids=lambda said: str(said),
)
def test_days_that_are_kept_come_to_what_working_them_out_comes_to(large, client, monkeypatch, said):
    course, crew = large
    if said.get("about"):
        said = {"about": course.public_id}
    lines = f.a_course("Lines", months=6)
    f.an_assignment(lines, f.in_units(f.a_unit("Fleet")), start=f.d("2026-03-01"))
    assert figures(client, **said) == read_anew(client, monkeypatch, **said)
    # Somebody moves: their rows are worked out apart, from files that were there before.
    record_completion(person=crew[2], course=course, edition=course.editions.get(), day=f.d("2026-04-30"), by=f.BY)
    grant_waiver(person=crew[4], course=lines, from_day=f.d("2026-04-01"), to_day=None, reason="Ashore", by=f.BY)
    let_go()
    before = standing_days.cached_arrays("standing")
    assert figures(client, **said) == read_anew(client, monkeypatch, **said)
    after = standing_days.cached_arrays("standing")
    assert (before.folder, before.change) == (after.folder, after.change) != (None, columns.everything().change)


def test_days_are_worked_out_anew_where_many_moved_or_what_was_kept_is_lost(large, client, monkeypatch):
    course, crew = large
    figures(client)
    kept = standing_days.cached_arrays("standing")
    (kept.folder / f"{today()}.npy").write_bytes(b"\0" * 9)
    let_go()
    assert figures(client) == read_anew(client, monkeypatch)
    monkeypatch.setattr(standing_days, "MANY_MOVED", 1)
    for person in (crew[2], crew[4]):
        record_completion(person=person, course=course, edition=course.editions.get(), day=f.d("2026-04-30"), by=f.BY)
    assert figures(client) == read_anew(client, monkeypatch)
    anew = standing_days.cached_arrays("standing")
    assert anew.change == columns.everything().change
    assert not kept.folder.exists()
    shutil.rmtree(anew.folder)
    let_go()
    assert figures(client) == read_anew(client, monkeypatch)


def assert_as_in_the_table():
    found = completions.completion_arrays()
    rows = Completion.objects.known_now().order_by("pk")
    expected = [
        (r.pk, r.person_id, r.course_id, r.day.toordinal(), float(r.score) if r.score is not None else -1) for r in rows
    ]
    known = found.known
    names = ("key", "person", "course", "day")
    said = zip(*(known[name].tolist() for name in names), np.nan_to_num(known["score"], nan=-1).tolist(), strict=True)
    assert list(said) == expected
    taken = completion_days(found)
    completion_times._held.clear()
    CachedColumns.objects.filter(what="days taken").delete()
    np.testing.assert_array_equal(taken, completion_days(found))
    return taken


def test_completions_are_added_to_what_was_read_and_those_revoked_left_out(large, monkeypatch):
    course, crew = large
    assert len(assert_as_in_the_table()) == 3
    (folder,) = completions._completions._folder.iterdir()
    made = record_completion(
        person=crew[2], course=course, edition=course.editions.get(), day=f.d("2026-04-30"), by=f.BY
    )
    assert len(assert_as_in_the_table()) == 4
    revoke_completion(completion=made, because="Somebody else’s", by=f.BY)
    revoke_completion(completion=Completion.objects.order_by("pk").first(), because="Another day", by=f.BY)
    assert len(assert_as_in_the_table()) == 2
    let_go()
    # The next process maps what this one wrote.
    assert completions.completion_arrays().stored == 3
    assert len(assert_as_in_the_table()) == 2
    # What was written in a transaction that is rolled back never was.
    with transaction.atomic(), monkeypatch.context() as patch:
        between_acts(patch, within=True)
        record_completion(person=crew[2], course=course, edition=course.editions.get(), day=f.d("2026-05-02"), by=f.BY)
        assert len(completions.completion_arrays().known["key"]) == 3
        transaction.set_rollback(True)
    columns._cache.clear()
    assert len(assert_as_in_the_table()) == 2
    # Of another database, and damaged.
    third = completions.completion_arrays().arrays["key"][2]
    Completion.objects.filter(pk=third).update(public_id="another")
    let_go()
    assert completions.completion_arrays().stored == 4
    (folder,) = completions._completions._folder.iterdir()
    (folder / "day.npy").write_bytes(b"\0" * 9)
    let_go()
    assert len(assert_as_in_the_table()) == 2


def test_what_takes_long_is_worked_out_by_the_queue_and_the_page_follows(large, client, monkeypatch, queue):
    monkeypatch.setattr(working, "FEW_DAYS", 1)
    part = {"headers": {"HX-Request": "true", "HX-Target": "working"}}
    assert ">0</b> of 3 days are ready" in page_text(client.get(NEW, MONTHS))
    assert working.is_under_way()
    assert ">0</b> of 3 days are ready" in page_text(client.get(NEW, MONTHS, **part))
    working.work_out_day.call(day="2026-03-31")
    assert ">1</b> of 3 days are ready" in page_text(client.get(NEW, MONTHS, **part))
    # The rest was given up: it says so, and does not ask for ever.
    with monkeypatch.context() as patch:
        patch.setattr(pages, "is_under_way", lambda: False)
        stopped = client.get(NEW, MONTHS, **part)
    assert 'has stopped: <b class="fig">1</b> of 3' in page_text(stopped)
    assert b"hx-trigger" not in stopped.content
    for day in ("2026-04-30", "2026-05-14"):
        working.work_out_day.call(day=day)
    assert client.get(NEW, MONTHS, **part)["HX-Refresh"] == "true"
    assert len(client.get(NEW, MONTHS).context["lines"].rows) == 3
    # Whoever would rather wait.
    shutil.rmtree(standing_days.cached_arrays("standing").folder)
    let_go()
    assert len(client.get(NEW, {**MONTHS, "now": "1"}).context["lines"].rows) == 3


def test_days_as_known_once_are_worked_out_by_the_queue_too(large, client, monkeypatch, queue):
    monkeypatch.setattr(working, "FEW_DAYS", 1)
    known = {**MONTHS, "known": "10 Apr 2026"}
    assert ">0</b> of 3 days are ready" in page_text(client.get(NEW, known))
    for day in ("2026-03-31", "2026-04-30", "2026-05-14"):
        working.work_out_day.call(day=day, known="2026-04-10")
    assert [line["cells"][0]["text"] for line in client.get(NEW, known).context["lines"].rows] == ["0", "20", "20"]
    # What is known now is kept apart.
    assert ">0</b> of 3 days are ready" in page_text(client.get(NEW, MONTHS))


def test_at_night_two_years_of_months_are_made_ready(large):
    assert daily.tasks()["columns of reports"] is working.make_ready
    working.make_ready.call()
    assert len(list(standing_days.cached_arrays("standing").folder.glob("20*.npy"))) == 25
    assert standing_days.moments_missing([Moment(f.d("2024-05-31")), Moment(today())]) == []


def test_a_file_of_many_rows_is_made_by_the_queue(large, client, media, monkeypatch, queue):
    monkeypatch.setattr(files, "MOST_AT_ONCE", {"csv": 2, "xlsx": 2})
    monkeypatch.setattr(pages, "MOST_AT_ONCE", {"csv": 2, "xlsx": 2})
    monkeypatch.setattr(rows, "PIECE", 2)
    query = {"figure": "completions.completions", "first": "1 Mar 2026", "as": "csv"}
    asked = client.get(NEW, query)
    assert "3 rows as CSV" in page_text(asked)
    assert "A new report, as known on 10 May 2026" in page_text(client.get(NEW, {**query, "known": "10 May 2026"}))
    said = {"title": "A new report", "query": asked.context["query"], "form": "csv", "once": "one"}
    made_at = client.post(reverse("reports:ask_file"), said)["Location"]
    assert client.post(reverse("reports:ask_file"), said | {"once": "two"})["Location"] == made_at
    assert "made in the background" in page_text(client.get(made_at))
    made = ReportFile.objects.get()
    assert client.get(reverse("reports:fetch", args=[made.public_id])).status_code == 404
    file_making.make_report_file.call(key=made.pk)
    assert "3 rows" in page_text(client.get(made_at + "?part=1"))
    monkeypatch.undo()
    whole = b"".join(client.get(NEW, query).streaming_content)
    fetched = b"".join(client.get(reverse("reports:fetch", args=[made.public_id])).streaming_content)
    assert fetched == whole
    assert whole.count(b"\n") == 4
    client.force_login(f.an_account("administrator", name="Cleo Wick"))
    assert client.get(made_at).status_code == 404


@pytest.mark.parametrize(
    ("harm", "said"), [("full", "The disk is almost full"), ("no rows", "no rows of its own"), ("cut", "No space left")]
)
def test_a_file_that_cannot_be_made_says_why(large, media, monkeypatch, harm, said):
    query = "figure=completions.completions&by=&then=&first=1+Mar+2026"
    if harm == "no rows":
        query = "figure=completions.completions&by=unit&first=1+Mar+2026"
    made = ReportFile.objects.create(account=f.an_account("administrator"), title="Done", query=query, form="xlsx")

    def full(*_):
        raise OSError(28, "No space left on device")

    if harm == "full":
        monkeypatch.setattr(file_making.storage, "free_bytes", lambda: 0)
    if harm == "cut":
        monkeypatch.setattr(file_making, "as_xlsx", full)
    with transaction.atomic(), at_once():
        file_making.make_report_file.call(key=made.pk)
    made.refresh_from_db()
    assert made.state == "failed"
    assert said in made.trouble
    assert list(file_making.file_of(made).parent.iterdir()) == []
