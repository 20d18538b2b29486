"""What failed in the background stands on the Desk and in the health of the installation, and can be run again."""

from datetime import timedelta

import pytest
from django.urls import reverse
from django.utils import timezone
from django_tasks.base import TaskResultStatus
from django_tasks_db.models import DBTaskResult

from stepladder.journal.models import Entry
from stepladder.library.models import Upload
from stepladder.library.tasks import work_out_upload
from stepladder.notices.tasks import send_notices
from tests import factories as f


def a_failed(task, error, **said):
    return DBTaskResult.objects.create(
        task_path=task.module_path,
        args_kwargs={"args": [], "kwargs": said},
        status=TaskResultStatus.FAILED,
        worker_ids=["w"] * 3,
        backend_name="default",
        queue_name="bulk",
        run_after=timezone.now(),
        finished_at=timezone.now(),
        exception_class_path=error,
        traceback=f"Traceback …\n  File …\n{error}: the disk is full\n",
        priority=0,
    )


@pytest.fixture
def failed(organisation, media, client):
    ines = f.an_account("administrator")
    client.force_login(ines)
    binder = f.a_binder(owner=ines)
    upload = Upload.objects.create(binder=binder, account=ines, file_name="fire.zip", size=9, state="working")
    return a_failed(work_out_upload, "OSError", upload_id=upload.pk)


def test_a_task_that_failed_stands_on_the_desk_with_its_thing_and_its_reason(failed, client):
    assert "task of the background failed" in client.get(reverse("desk:desk")).content.decode()
    page = client.get(reverse("desk:queue")).content.decode()
    assert "working out the file “fire.zip”" in page
    assert "OSError: the disk is full" in page
    health = client.get(reverse("health")).json()
    assert (health["queue"]["failed"], health["ok"]) == (1, True)


def test_it_is_run_again_once_and_the_journal_says_so(failed, client):
    again = reverse("desk:run_again", args=[failed.pk])
    assert "It is run again." in client.post(again, follow=True).content.decode()
    failed.refresh_from_db()
    assert (failed.status, failed.worker_ids) == (TaskResultStatus.READY, [])
    assert "somebody saw to it" in client.post(again, follow=True).content.decode()
    entry = Entry.objects.latest("number")
    assert (entry.verb, entry.object_name) == ("run_again", "working out the file “fire.zip”")


def test_or_it_is_put_away(failed, client):
    assert "It is put away." in client.post(reverse("desk:put_away", args=[failed.pk]), follow=True).content.decode()
    assert not DBTaskResult.objects.exists()
    assert "Nothing failed" in client.get(reverse("desk:queue")).content.decode()


def test_what_has_a_page_of_its_own_is_not_told_twice(failed, client):
    a_failed(send_notices, "stepladder.notices.tasks.NotAllSent", keys=[1])
    assert client.get(reverse("desk:queue")).context["page"].total == 1


def test_a_file_whose_worker_stopped_telling_is_named(failed, client):
    Upload.objects.update(beat_at=timezone.now() - timedelta(minutes=11))
    assert "upload has come to a halt" in client.get(reverse("desk:desk")).content.decode()
    assert client.get(reverse("health")).json()["queue"]["uploads_halted"] == 1
