"""A lesson taken elsewhere as Markdown, and brought in again."""

import io
import zipfile

import pytest
from django.urls import reverse

from stepladder.core.lessons import text_of
from stepladder.library import own_pictures
from stepladder.writing.bringing import read_file
from tests import factories as f
from tests.library.files import a_picture
from tests.writing.drafts import a_released, check, paragraph, text

pytestmark = pytest.mark.django_db


def item(*inside):
    return {"type": "item", "content": list(inside)}


def exported(client, version):
    client.force_login(f.an_account("administrator"))
    answer = client.get(reverse("library:export", args=[version.module.public_id, version.number, "markdown"]))
    return zipfile.ZipFile(io.BytesIO(answer.content))


def test_words_marks_lists_tables_and_pictures_are_in_the_file(client, media):
    digest, width, height = own_pictures.keep_whole(io.BytesIO(a_picture()), "dot.png", 400)
    link = {"type": "link", "attrs": {"href": "https://a.example/b"}}
    cell = {"type": "cell", "content": [paragraph("heat | air")]}
    blocks = [
        paragraph("Never ", text("open", {"type": "strong"}), " a *warm* ", text("door", link), "."),
        {
            "type": "bullets",
            "content": [item(paragraph("one"), {"type": "bullets", "content": [item(paragraph("deep"))]})],
        },
        {"type": "note", "attrs": {"tone": "danger"}, "content": [paragraph("Smoke.")]},
        {"type": "table", "content": [{"type": "row", "content": [cell]}]},
        {
            "type": "picture",
            "attrs": {"file": digest, "width": width, "height": height, "shows": "A dot", "caption": ""},
        },
        check("k", "one", "Which?", choices=[{"text": "this", "right": True}, {"text": "that"}]),
    ]
    archive = exported(client, a_released("How a fire grows", ("Doors & why", blocks)))
    said = archive.read("lesson.md").decode()
    for line in (
        "# How a fire grows",
        "## Doors & why",
        "Never **open** a \\*warm\\* [door](https://a.example/b).",
        "- one\n\n  - deep",
        "> **danger:** Smoke.",
        "| heat \\| air |",
        "Right: this",
        "The right answers of its checks are in this file",
    ):
        assert line in said, line
    picture = f"pictures/{digest[:16]}.webp"
    assert f"![A dot]({picture})" in said
    assert archive.read(picture) == own_pictures.path_of(digest).read_bytes()


def test_what_went_out_comes_in_again_with_its_words(client, media):
    long = " ".join(["Smoke rises, cools and sinks."] * 12)
    version = a_released(
        "Smoke", ("First", [paragraph(long)]), ("Second", [paragraph("It ", text("sinks", {"type": "em"}), ".")])
    )
    said = exported(client, version).read("lesson.md")
    brought = read_file(io.BytesIO(said), "lesson.md", len(said))
    words = " ".join(f"{title} {text_of(tree)}" for title, tree in brought.sections)
    assert long in words
    assert "It sinks." in words
    assert "Second" in [title for title, _ in brought.sections]


def test_twice_the_same_lesson_is_the_same_file(client, media):
    version = a_released("Smoke", ("First", [paragraph("Words.")]))
    assert exported(client, version).fp.getvalue() == exported(client, version).fp.getvalue()
