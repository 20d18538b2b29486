"""What an act hands over is written with it, done in pieces, and done once; what failed can be run again."""

from datetime import timedelta

import pytest
from django.core.management import call_command
from django.db import connection, transaction
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone
from django_tasks.base import TaskResultStatus
from django_tasks_db.management.commands.db_worker import Worker
from django_tasks_db.models import DBTaskResult

from stepladder import clock
from stepladder.assignments import actions as assigning
from stepladder.assignments.checking import differences
from stepladder.assignments.models import Reason
from stepladder.core.days import FOREVER
from stepladder.courses import paths
from stepladder.events import Act
from stepladder.journal.actions import Named
from stepladder.journal.models import Entry
from stepladder.journal.undoing import take_back
from stepladder.learning.actions import record_completion
from stepladder.learning.models import Enrolment
from stepladder.notices.models import Notice
from stepladder.notices.tasks import send_notices
from stepladder.people.actions.changes import Changes
from stepladder.people.models import Person
from stepladder.queue import queries
from stepladder.queue.actions import Queue, in_pieces, later, put_away, run_again, run_piece
from stepladder.queue.kinds import Kind, add_kind
from stepladder.queue.models import Piece, Work
from tests import factories as f
from tests.assignments.test_paths import a_path, draw

ACT = Act(f.d("2026-05-14"), f.BY)


@pytest.fixture
def queue(settings):
    """The queue as it is kept: rows, which a worker comes to later."""
    settings.TASKS = {
        "default": {"BACKEND": "django_tasks_db.DatabaseBackend", "QUEUES": ["default", "now", "bulk", "mail"]}
    }


def work(most=None, *names):
    """Do what the worker does for some queues (none: for all), until nothing is ready or *most* tasks were run."""
    worker = Worker(
        queue_names=[],
        interval=0,
        batch=True,
        backend_name="default",
        startup_delay=False,
        max_tasks=None,
        worker_id="test",
        excluded_queue_names=[],
    )
    while most is None or most > 0:
        rows = DBTaskResult.objects.ready().filter(queue_name__in=names or ["now", "bulk", "mail"])
        if not rows:
            return
        task = rows[0]
        task.claim("test")
        worker.run_task(task)
        most = None if most is None else most - 1


def crew(count, unit="Dunlin"):
    """So many people of a unit, past the acts that hire one."""
    where, since = f.a_unit(unit), f.d("2024-01-08")
    first = Person.objects.count()
    made = Person.objects.bulk_create(
        Person(employee_number=f"C{n:05d}", given_name="Fay", family_name=f"Number{n}")
        for n in range(first, first + count)
    )
    with transaction.atomic():
        changes = Changes()
        for person in made:
            changes.employ(person.pk, since, None)
            changes.place(person.pk, where.pk, None, since, None)
        changes.write()
    return made


def test_what_is_handed_over_is_written_with_the_act_and_goes_with_it(db, queue):
    with transaction.atomic():
        later(send_notices, queue=Queue.MAIL, keys=[1])
        assert DBTaskResult.objects.get().queue_name == "mail"
        transaction.set_rollback(True)
    assert not DBTaskResult.objects.exists()


@pytest.mark.django_db(transaction=True)
def test_outside_a_transaction_nothing_is_handed_over():
    with pytest.raises(RuntimeError, match="handed over within the transaction of its act"):
        later(send_notices, keys=[1])


def test_a_queue_that_is_full_keeps_no_other_waiting(db, queue):
    with transaction.atomic():
        for _ in range(5):
            later(send_notices, queue=Queue.BULK, keys=[])
        later(send_notices, queue=Queue.NOW, keys=[])
    work(None, "now")
    assert set(DBTaskResult.objects.ready().values_list("queue_name", flat=True)) == {"bulk"}


def test_pieces_are_done_once_and_read_n_of_n(db, queue, on):
    on("2026-05-14")
    done = []
    add_kind(Kind("counting", "counting", lambda ids, act, **said: done.append((list(ids), act.day, said)), piece=40))
    with transaction.atomic():
        in_pieces("counting", ids=range(100), act=ACT, about=Named("group", "all", "All"), factor=3)
    on("2026-05-16")
    work(2)
    assert (queries.under_way("group", "all").done, queries.under_way("group", "all").total) == (40, 100)
    # The worker was killed after a piece was done and before that was written down: it is run again.
    DBTaskResult.objects.filter(status=TaskResultStatus.SUCCESSFUL).update(status=TaskResultStatus.READY)
    work()
    assert [len(ids) for ids, _, _ in done] == [40, 40, 20]
    assert {(day, said["factor"]) for _, day, said in done} == {(f.d("2026-05-14"), 3)}
    assert queries.under_way("group", "all") is None
    assert Work.objects.get().ended_at is not None


def test_a_piece_that_fails_is_undone_whole_and_can_be_run_again(db, queue):
    trouble = [True]

    def run(ids, act):
        f.a_unit(f"Crew {ids[0]}")
        if trouble[0]:
            raise ValueError("The disk is full")

    add_kind(Kind("failing", "deriving what is asked", run))
    with transaction.atomic():
        in_pieces("failing", ids=[7, 8], act=ACT)
    work(1)
    for _ in range(3):
        DBTaskResult.objects.filter(status=TaskResultStatus.READY).update(run_after=timezone.now())
        work(1)
    assert queries.failed_count() == 1
    failed = queries.failed()[0]
    assert failed.what == "deriving what is asked, for 2 people"
    assert failed.why == "ValueError: The disk is full"
    assert Piece.objects.get().done_at is None
    trouble[0] = False
    assert run_again(key=failed.key)
    work()
    assert queries.failed_count() == 0
    assert Piece.objects.get().done_at is not None


def test_work_that_is_put_away_before_it_was_cut_is_waited_for_no_longer(db, queue):
    def lost(**said):
        raise LookupError("The charts cannot be read")

    add_kind(Kind("lost", "who needs what", lambda ids, act: None, find=lost))
    with transaction.atomic():
        in_pieces("lost", act=ACT, estimate=300, about=Named("group", "all", "All"))
    for _ in range(3):
        DBTaskResult.objects.filter(status=TaskResultStatus.READY).update(run_after=timezone.now())
        work(1)
    assert queries.under_way("group", "all").total == 300
    assert put_away(key=queries.failed()[0].key)
    assert queries.under_way("group", "all") is None


# ---- acts on many


@pytest.fixture
def fire(organisation, media, on):
    on("2026-05-14")
    return f.a_course("Fire")


def test_an_assignment_to_many_is_one_entry_at_once_and_its_rows_bear_its_day(fire, queue, on):
    crew(120)
    assignment = f.an_assignment(fire)
    assert not Reason.objects.exists()
    assert (queries.under_way("assignment", assignment.public_id).done, Entry.objects.latest("number").verb) == (
        0,
        "assign",
    )
    on("2026-05-16")
    work(2, "bulk")
    assert Enrolment.objects.count() == 120
    assert set(Enrolment.objects.values_list("opened_on", flat=True)) == {f.d("2026-05-14")}
    assert set(Reason.objects.values_list("known_from", "due")) == {(f.d("2026-05-14"), f.d("2026-06-13"))}
    assert {clock.today() - timedelta(days=2)} == {n.made_at.date() for n in Notice.objects.all()}
    work()
    assert queries.under_way("assignment", assignment.public_id) is None
    assert list(differences()) == []


def test_its_progress_replaces_itself_also_within_a_form_that_saves_elsewhere(fire, queue, client):
    crew(120)
    assignment = f.an_assignment(fire)
    client.force_login(f.an_account("administrator"))
    part = client.get(reverse("queue:under_way", args=["assignment", assignment.public_id])).content.decode()
    assert 'hx-target="this" hx-swap="outerHTML"' in part


def test_of_few_it_is_there_at_once(fire, queue):
    crew(12)
    assignment = f.an_assignment(fire)
    assert Enrolment.objects.count() == 12
    assert queries.under_way("assignment", assignment.public_id) is None


def test_who_comes_in_meanwhile_is_not_missed(fire, queue):
    crew(60)
    f.an_assignment(fire)
    crew(1)
    work()
    assert Enrolment.objects.count() == 61


def test_an_assignment_under_way_is_taken_back_whole(fire, queue):
    crew(300)
    f.an_assignment(fire)
    work(2, "bulk")
    assert Enrolment.objects.count() == 250
    take_back(Entry.objects.filter(verb="assign").get(), by=f.BY)
    work()
    assert not Reason.objects.filter(known_to__gt=clock.today()).exists()
    assert not Enrolment.objects.filter(closed_on=None).exists()
    assert list(differences()) == []


def queries_of(act):
    with CaptureQueriesContext(connection) as captured:
        act()
    return len(captured)


@pytest.mark.parametrize("asks", ["unit", "completion"])
def test_the_number_of_queries_does_not_grow_with_people(fire, queue, asks):
    other = f.a_course("Crowd", months=12)
    counts = []
    for number, size in enumerate((60, 120)):
        unit = f"Crew {number}"
        people = crew(size, unit)
        for person in people:
            record_completion(person=person, course=other, edition=other.editions.get(), day=f.d("2026-05-01"), by=f.BY)
        parts = [{"kind": "unit", "unit": f.a_unit(unit).pk, "below": True}]
        parts += [{"kind": "holds", "course": other.pk}] if asks == "completion" else []
        act = queries_of(lambda parts=parts: f.an_assignment(fire, {"in": {"kind": "all", "parts": parts}}))
        work(1, "bulk")
        piece = Piece.objects.latest("pk")
        follow = queries_of(lambda piece=piece: run_piece.call(piece=piece.pk))
        assert Enrolment.objects.filter(person__in=people, course=fire).count() == size
        work()
        counts.append((act, follow))
    # Inserts go in batches, so twice the people may cost a few more.
    assert counts[1][0] <= counts[0][0] + 2
    assert counts[1][1] <= counts[0][1] + 6


def test_verify_names_what_waits_instead_of_false_differences(organisation, capsys):
    assert queries.waiting() == []
    DBTaskResult.objects.create(
        task_path=run_piece.module_path,
        status="FAILED",
        args_kwargs={"args": [], "kwargs": {"piece": 0}},
        queue_name="bulk",
        backend_name="default",
        run_after=clock.now(),
        exception_class_path="builtins.ValueError",
        traceback="ValueError: no",
    )
    call_command("verify")
    said = capsys.readouterr().out
    assert "failed, and waits to be run again (Desk, Tasks that failed)." in said
    assert "were not compared" in said
    assert "what they come to" not in said


def test_a_path_says_on_its_page_how_far_its_release_is(fire, queue, client):
    crew(120)
    path = a_path("New on deck", ("Safe", 30, [fire]))
    rule = f.a_rule(f.in_units(f.a_unit()), due_days=90)
    assigning.assign(course=path, name="All new on deck", message="", rule=rule, by=f.BY)
    work()
    draw(path, ("Safe", 20, [fire]))
    paths.release_path(path=path, by=f.BY)
    assert queries.under_way("path", path.public_id).total == 120
    client.force_login(f.an_account("administrator"))
    page = client.get(reverse("courses:path", args=[path.public_id])).content.decode()
    assert '<b class="fig">120</b> people' in page
    work()
    assert queries.under_way("path", path.public_id) is None
    assert set(Reason.objects.filter(known_to=FOREVER).values_list("due", flat=True)) == {f.d("2026-06-03")}
    assert list(differences()) == []
