import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from stepladder.library import storage
from tests import factories as f

VTT = "WEBVTT\n\n00:00.000 --> 00:02.000\nSmoke on the car deck.\n"


@pytest.fixture
def film(organisation, media, client):
    client.force_login(f.an_account("administrator"))
    return f.a_module("Film", kind="video")


def give(client, film, text):
    sent = SimpleUploadedFile("captions.vtt", text.encode())
    return client.post(
        reverse("library:captions", args=[film.public_id]), {"captions": sent}, follow=True
    ).content.decode()


def test_captions_are_kept_with_the_version_and_said(film, client):
    assert "No captions yet." in client.get(reverse("library:module", args=[film.public_id])).content.decode()
    page = give(client, film, "\ufeff" + VTT)
    assert "The captions are there." in page
    assert "✓ captions" in page
    assert (storage.derived_folder(film.versions.get()) / "captions.vtt").read_text() == VTT


@pytest.mark.parametrize(
    ("cues", "refusal"),
    [
        ("", "There is no cue in these captions"),
        (
            "00:00.000 --> 00:02.000\nSmoke.\n\n00:03,000 --> 00:05,000\nFire.\n",
            "line 6 cannot be read: “00:03,000 --&gt;",
        ),
        ("00:09.000 --> 00:02.000\nSmoke.\n", "at 0:00:09 ends before it begins"),
        ("00:09.000 --> 00:10.000\nSmoke.\n\n00:02.000 --> 00:03.000\nFire.\n", "one begins at 0:00:02, after one"),
    ],
)
def test_a_cue_that_no_player_would_show_is_named(film, client, cues, refusal):
    assert refusal in give(client, film, f"WEBVTT\n\n{cues}")
    assert not (storage.derived_folder(film.versions.get()) / "captions.vtt").exists()


def test_what_is_no_captions_is_refused(film, client):
    assert "These are no WebVTT captions" in give(client, film, "1\n00:00:01 - 00:00:02\nSmoke")
    assert (
        "Choose a file of captions"
        in client.post(reverse("library:captions", args=[film.public_id]), follow=True).content.decode()
    )


def test_captions_as_srt_are_made_webvtt_and_their_words_have_their_places(film, client):
    give(
        client,
        film,
        "1\r\n0:00:01,000 --> 00:00:02,500\r\nSmoke on\r\nthe deck\r\n\r\n2\r\n00:00:03,000 --> 00:00:05,000\r\nFire\r\n",
    )
    version = film.versions.get()
    kept = (storage.derived_folder(version) / "captions.vtt").read_text()
    assert kept.startswith("WEBVTT\n\n1\n00:00:01.000 --> 00:00:02.500\nSmoke on\nthe deck")
    assert [(p.place, p.text) for p in version.passages.all()] == [(1, "Smoke on the deck"), (3, "Fire")]
