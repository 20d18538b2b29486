"""A film from elsewhere with captions of our own: taken, shown, named before the release, and a link where it goes out."""

import io
import zipfile

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.urls import reverse

from stepladder.accounts.models import Organisation
from stepladder.accounts.organisation import forget
from stepladder.library import storage
from stepladder.library.models import TakenOut
from stepladder.queue.actions import at_once
from stepladder.writing.models import LessonFile
from tests import factories as f
from tests.writing.drafts import a_lesson, a_released, paragraph

pytestmark = pytest.mark.django_db
CUES = "1\n00:00:01,000 --> 00:00:03,500\nThe door is warm.\n"
FILM = "https://films.example/door.mp4"


@pytest.fixture
def admin(client, media):
    Organisation.objects.create(name="Ferries", page_hosts=["films.example"])
    forget()
    account = f.an_account("administrator")
    client.force_login(account)
    yield account
    forget()


def kept(client, lesson, body, name="door.srt"):
    sent = {"file": SimpleUploadedFile(name, body), "captions": "1"}
    return client.post(reverse("writing:keep_file", args=[lesson.module.public_id]), sent)


def film(**said):
    return {"type": "film", "attrs": {"url": FILM, **said}}


def test_captions_are_taken_shown_and_go_out_with_the_lesson(client, admin):
    said = kept(client, a_lesson("Another"), CUES.encode()).json()
    lesson = a_released("Doors", ("One", [paragraph("Look."), film(captions=said["captions"])]))
    page = client.get(reverse("playing:try_module", args=[lesson.module.public_id])).content.decode()
    address = page.split('<track kind="captions" src="')[1].split('"')[0]
    answer = client.get(address)
    body = b"".join(answer.streaming_content).decode()
    for close in answer._resource_closers:
        close()
    assert answer["Content-Type"] == "text/vtt"
    assert body.startswith("WEBVTT")
    assert "00:00:01.000 --> 00:00:03.500" in body
    client.force_login(f.an_account("learner", name="Somebody Else"))
    assert client.get(address).status_code == 403
    client.force_login(admin)
    # Away from here nobody knows whether that site may be played from: it is a link.
    with transaction.atomic(), at_once():
        client.post(reverse("library:export", args=[lesson.module.public_id, 1, "html"]))
    made = storage.outgoing(TakenOut.objects.latest("pk").public_id).read_bytes()
    index = zipfile.ZipFile(io.BytesIO(made)).read("index.html").decode()
    assert f'<a href="{FILM}"' in index
    assert "<video" not in index


def test_what_is_no_captions_is_refused_and_without_them_it_is_said_before_the_release(client, admin):
    lesson = a_lesson("Doors", ("One", [paragraph("Look."), film()]))
    for body, words in (
        (b"\xff\xfe\x00", "not in UTF-8"),
        (b"Just words.", "WEBVTT"),
        (b"x" * (2 * 1024**2 + 1), "2 MB at most"),
    ):
        answer = kept(client, lesson, body)
        assert (answer.status_code, words in answer.json()["says"]) == (422, True), answer.json()
    assert not LessonFile.objects.exists()
    page = client.get(reverse("writing:release", args=[lesson.module.public_id])).content.decode()
    assert "whether it has captions nobody here can see" in page
