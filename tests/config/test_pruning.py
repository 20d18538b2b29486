"""What is over goes by itself; what is under way, or may still be looked at, stays."""

from datetime import timedelta

from django.contrib.sessions.models import Session
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from stepladder import clock
from stepladder.accounts.models import Visit
from stepladder.config.tasks import prune
from stepladder.queue.models import Work
from stepladder.web.models import SentForm
from tests import factories as f


def a_result(status, days):
    return DBTaskResult.objects.create(
        task_path="x.y",
        status=status,
        args_kwargs={"args": [], "kwargs": {}},
        queue_name="bulk",
        backend_name="default",
        run_after=timezone.now(),
        finished_at=timezone.now() - timedelta(days=days),
        exception_class_path="",
        traceback="",
    )


def test_old_sessions_forms_and_results_go(organisation, client):
    client.force_login(f.an_account("learner"))
    mine = Visit.objects.get()
    Visit.objects.create(account=mine.account, begun_at=clock.wall() - timedelta(days=3))
    Session.objects.create(session_key="old", session_data="", expire_date=timezone.now() - timedelta(hours=1))
    kept = {a_result("SUCCESSFUL", 13).pk, a_result("FAILED", 60).pk}
    a_result("SUCCESSFUL", 15)
    for days, token in ((1, "new"), (8, "old")):
        SentForm.objects.create(token=token, answer="/")
        SentForm.objects.filter(token=token).update(at=timezone.now() - timedelta(days=days))
    ended = {"kind": "x", "at": clock.wall(), "actor_name": "Test"}
    Work.objects.create(**ended, ended_at=clock.wall() - timedelta(days=20))
    under_way = Work.objects.create(**ended)
    prune.call()
    assert Visit.objects.get() == mine
    assert Session.objects.exclude(session_key="old").count() == Session.objects.count() == 1
    assert set(DBTaskResult.objects.values_list("pk", flat=True)) == kept
    assert SentForm.objects.get().token == "new"
    assert Work.objects.get() == under_way
