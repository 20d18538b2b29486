"""No upload hangs: what nobody thought of ends as a sentence on the file, is put away or tried again, and leaves nothing."""

import errno
from datetime import timedelta

import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.journal.models import Entry
from stepladder.library import archives, deriving, storage, tasks
from stepladder.library.models import Module, ModuleVersion, PackageFile, Upload
from tests import factories as f


@pytest.fixture
def upload(organisation, media, client):
    """A package that has arrived whole, of an author who is signed in."""
    author = f.an_account("author")
    client.force_login(author)
    binder = f.a_binder(owner=author)
    found = Upload.objects.create(
        binder=binder, account=author, file_name="fire.zip", size=9, state=Upload.State.WAITING
    )
    storage.incoming(found).write_bytes(f.a_zip({f"pages/{n}.html": "x" for n in range(250)}))
    return found


def breaks(error):
    def broken(*_args, **_more):
        raise error

    return broken


ERRORS = [
    RecursionError("too deep"),
    UnicodeDecodeError("utf-8", b"\xff", 0, 1, "odd"),
    KeyError("href"),
    MemoryError("too much"),
]


@pytest.mark.parametrize("error", ERRORS, ids=lambda error: type(error).__name__)
def test_an_unexpected_error_is_said_on_the_file_and_it_can_be_tried_again(upload, client, monkeypatch, error):
    with monkeypatch.context() as patch:
        patch.setattr(deriving, "work_out_bounded", breaks(error))
        tasks.work_out_upload.call(upload_id=upload.pk)
    upload.refresh_from_db()
    assert upload.state == Upload.State.REFUSED
    assert f"“fire.zip” could not be used: something in it is not as expected ({type(error).__name__}" in upload.message
    assert not Module.objects.exists()
    page = client.get(reverse("library:binder", args=[upload.binder.public_id])).content.decode()
    assert "try again" in page
    client.post(reverse("library:try_again", args=[upload.public_id]))
    tasks.work_out_upload.call(upload_id=upload.pk)
    upload.refresh_from_db()
    assert (upload.state, upload.module.title) == (Upload.State.DONE, "Fire")
    assert not storage.incoming(upload).exists()


def test_what_had_been_begun_of_it_is_not_left_behind(upload, monkeypatch, django_capture_on_commit_callbacks):
    """It broke at the third hundred of its files."""
    real, count = archives._extract, []

    def extract(archive, info, *more):
        count.append(info)
        if len(count) > 210:
            raise ValueError("odd")
        return real(archive, info, *more)

    monkeypatch.setattr(archives, "_extract", extract)
    with django_capture_on_commit_callbacks(execute=True):
        tasks.work_out_upload.call(upload_id=upload.pk)
    upload.refresh_from_db()
    assert (upload.state, upload.module) == (Upload.State.REFUSED, None)
    assert (Module.objects.count(), ModuleVersion.objects.count(), PackageFile.objects.count()) == (0, 0, 0)
    packages = storage._root() / "packages"
    assert list(packages.iterdir()) == []
    assert Entry.objects.latest("number").verb == "discard_version"


def test_what_is_wrong_with_the_machine_is_left_to_the_queue(upload, monkeypatch):
    monkeypatch.setattr(deriving, "work_out_bounded", breaks(OSError(errno.ENOSPC, "No space left on device")))
    with pytest.raises(OSError, match="No space left"):
        tasks.work_out_upload.call(upload_id=upload.pk)
    upload.refresh_from_db()
    assert upload.state == Upload.State.WORKING


def test_one_that_came_to_a_halt_is_tried_again_and_one_under_way_is_not(upload, client):
    again = reverse("library:try_again", args=[upload.public_id])
    assert "is being worked out" in client.post(again).headers["HX-Trigger-After-Swap"]
    Upload.objects.update(state=Upload.State.WORKING, beat_at=clock.now() - timedelta(minutes=11))
    page = client.get(reverse("library:binder", args=[upload.binder.public_id])).content.decode()
    assert "has come to a halt" in page
    client.post(again)
    assert Upload.objects.get().state == Upload.State.WAITING


def test_put_away_it_is_gone_from_the_disk_too(upload, client, monkeypatch):
    monkeypatch.setattr(deriving, "work_out_bounded", breaks(KeyError("x")))
    tasks.work_out_upload.call(upload_id=upload.pk)
    assert storage.incoming(upload).exists()
    client.post(reverse("library:dismiss", args=[upload.public_id]))
    assert not storage.incoming(upload).exists()
