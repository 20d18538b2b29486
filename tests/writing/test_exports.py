"""A lesson taken elsewhere in every form, and brought in again."""

import io
import json
import re
import zipfile
from datetime import timedelta
from pathlib import Path

import pypdfium2 as pdfium
import pytest
from django.db import transaction
from django.urls import reverse
from lxml import etree, html

from stepladder import clock
from stepladder.core.lessons import text_of
from stepladder.core.packages.manifest import read_manifest
from stepladder.library import own_pictures, storage
from stepladder.library.models import Module, Rights, StoredFile, TakenOut
from stepladder.library.taking_out import KEPT, drop_old, form_of, make_taken_out, take_out
from stepladder.queue.actions import at_once
from stepladder.writing.bringing import read_file
from tests import factories as f
from tests.library.files import a_picture
from tests.writing.drafts import a_released, check, paragraph, text

pytestmark = pytest.mark.django_db
SCHEMAS = Path(__file__).parent / "schemas"


def item(*inside):
    return {"type": "item", "content": list(inside)}


def exported(client, version, form="markdown"):
    """What was made, and the page that tells of it."""
    client.force_login(f.an_account("administrator"))
    with transaction.atomic(), at_once():
        asked = client.post(reverse("library:export", args=[version.module.public_id, version.number, form]))
    made = TakenOut.objects.latest("pk")
    assert asked["Location"] == reverse("library:taken_out", args=[made.public_id])
    answer = client.get(reverse("library:fetch", args=[made.public_id]))
    body = b"".join(answer.streaming_content)
    # Closing the answer itself would close the database as well.
    for close in answer._resource_closers:
        close()
    return body


def opened(body):
    return zipfile.ZipFile(io.BytesIO(body))


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
    archive = opened(exported(client, a_released("How a fire grows", ("Doors & why", blocks))))
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
    said = opened(exported(client, version)).read("lesson.md")
    brought = read_file(io.BytesIO(said), "lesson.md", len(said))
    words = " ".join(f"{title} {text_of(tree)}" for title, tree in brought.sections)
    assert long in words
    assert "It sinks." in words
    assert "Second" in [title for title, _ in brought.sections]


def test_twice_the_same_lesson_is_the_same_file(client, media):
    version = a_released("Smoke", ("First", [paragraph("Words.")]))
    for form in ("markdown", "scorm-1.2", "scorm-2004", "html", "pdf"):
        assert exported(client, version, form) == exported(client, version, form), form


ASKED = [
    check("one", "one", "Which?", choices=[{"text": "this", "right": True}, {"text": "that", "feedback": "No."}]),
    check("several", "several", "Which ones?", choices=[{"text": t, "right": t != "c"} for t in "abc"]),
    check("order", "order", "In order?", choices=[{"text": text} for text in ("first", "second", "third")]),
    check("match", "match", "What to what?", pairs=[{"left": t, "right": t.upper()} for t in "xyz"]),
    check("true", "true_false", "Is it?", is_true=True, when_right="So it is."),
    check("number", "number", "How many?", number="1.5", tolerance="0.1"),
    check("text", "text", "What is it called?", accepted=["Überschlag"]),
]


def every_block(digest, width, height):
    picture = {"file": digest, "width": width, "height": height, "shows": "A dot", "caption": "It is small"}
    spot = {"x": 0.5, "y": 0.5, "title": "Here", "text": "Look."}
    sides = {
        f"{side}_{name}": picture[name] for side in ("before", "after") for name in ("file", "width", "height", "shows")
    }
    return [
        {"type": "heading", "attrs": {"level": 1}, "content": [text("A head <b>")]},
        paragraph("Plain, ", text("strong", {"type": "strong"}), text(" и кириллица "), "</script>"),
        {"type": "numbers", "attrs": {"start": 3}, "content": [item(paragraph("three"))]},
        {"type": "quote", "attrs": {"source": "Somebody"}, "content": [paragraph("Said.")]},
        {"type": "note", "attrs": {"tone": "mind"}, "content": [paragraph("Mind.")]},
        {"type": "listing", "content": [text("a = 1")]},
        {"type": "formula", "attrs": {"source": "x^2", "words": "x squared"}},
        {"type": "picture", "attrs": picture},
        {"type": "spots", "attrs": {**picture, "spots": [spot]}},
        {"type": "compare", "attrs": {**sides, "before_word": "then", "after_word": "now"}},
        {"type": "page", "attrs": {"url": "https://tides.example/today", "title": "Tides"}},
        {"type": "fold_out", "attrs": {"title": "More"}, "content": [paragraph("Inside.")]},
        {"type": "line"},
    ]


@pytest.fixture
def whole(media):
    """A version with every block that needs no other module, and every kind of check."""
    kept = own_pictures.keep_whole(io.BytesIO(a_picture()), "dot.png", 400)
    return a_released("Smoke & doors", ("Blocks", every_block(*kept)), ("Checks", ASKED))


@pytest.mark.parametrize(
    ("form", "schema", "standard"), [("scorm-1.2", "1_2", "scorm12"), ("scorm-2004", "2004", "scorm2004")]
)
def test_a_package_passes_a_strict_check_and_comes_in_again(client, whole, form, schema, standard):
    archive = opened(exported(client, whole, form))
    document = etree.fromstring(archive.read("imsmanifest.xml"))
    checked = etree.XMLSchema(etree.parse(SCHEMAS / f"imscp_{schema}.xsd"))
    assert checked.validate(document), checked.error_log
    # What it names is in it, and what is in it is named.
    named = {one.get("href") for one in document.iter("{*}file")}
    assert named == set(archive.namelist()) - {"imsmanifest.xml"}
    read = read_manifest(archive.read("imsmanifest.xml"), frozenset(archive.namelist()))
    assert (read.standard, read.title, [sco.href for sco in read.scos]) == (
        standard.lower().replace(" ", "-"),
        "Smoke & doors",
        ["index.html"],
    )


def test_pages_that_stand_alone_need_nothing_from_elsewhere_and_keep_their_words_whole(client, whole):
    archive = opened(exported(client, whole, "html"))
    assert "imsmanifest.xml" not in archive.namelist()
    page = archive.read("index.html").decode()
    root = html.document_fromstring(page)
    for element in root.iter():
        for name in ("src", "href", "poster"):
            address = element.get(name) if isinstance(element.tag, str) else None
            if address and not address.startswith(("#", "data:")) and element.tag != "a":
                assert address in archive.namelist(), address
    # The script that holds the answers is not ended by what somebody wrote, and the page of elsewhere is linked, not framed.
    said = json.loads(root.get_element_by_id("lesson-data").text)
    assert set(said["checks"]) == {one["attrs"]["id"] for one in ASKED}
    assert not root.xpath("//iframe")
    assert root.xpath("//a[@href='https://tides.example/today']")
    assert "</script>" in root.text_content()
    style = archive.read("lesson/style.css").decode()
    assert set(re.findall(r"url\(\"([^\"]+)\"\)", style)) <= {
        name.removeprefix("lesson/") for name in archive.namelist()
    }


def test_what_may_not_be_given_away_stays_here_and_is_named_also_beside_a_check(client, media):
    client.force_login(f.an_account("administrator"))
    film = f.a_module("The first two minutes", kind="video", data={"seconds": 5})
    version = film.versions.get()
    version.original = StoredFile.objects.create(sha256="1" * 64, size=4, content_type="video/mp4")
    version.save()
    path = storage.file_of(version.original)
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(b"film")
    # A film without captions is not released.
    (storage.derived_folder(version) / "captions.vtt").write_text("WEBVTT\n")
    block = {"type": "film", "attrs": {"version": version.public_id, "url": "", "caption": ""}}
    digest, _, _ = own_pictures.keep_whole(io.BytesIO(a_picture()), "dot.png", 400)
    seen = {"text": "", "right": True, "picture": {"file": digest, "shows": "A red dot"}}
    asked = check("k", "one", "What burns?", media=version.public_id, choices=[seen, {"text": "The film"}])
    lesson = a_released("Smoke", ("First", [paragraph("Words."), block, asked]))
    drawn = client.get(reverse("playing:try_module", args=[lesson.module.public_id])).content.decode()
    assert drawn.count('aria-label="The first two minutes"') == 2
    assert 'alt="A red dot"' in drawn
    Module.objects.filter(pk=film.pk).update(rights=Rights.PLAY)
    assert not [name for name in opened(exported(client, lesson, "html")).namelist() if name.endswith(".mp4")]
    made = TakenOut.objects.latest("pk")
    page = client.get(reverse("library:taken_out", args=[made.public_id])).content.decode()
    assert "“The first two minutes” may be played here and not be given away" in page
    Module.objects.filter(pk=film.pk).update(rights=Rights.KEEP)
    version.file_name = "minutes.mp4"
    version.save()
    archive = opened(exported(client, lesson, "html"))
    assert archive.read(f"files/{version.public_id}.mp4") == b"film"
    page = archive.read("index.html").decode()
    assert page.count(f'src="files/{version.public_id}.mp4"') == 2
    assert f'src="files/{digest[:16]}.webp"' in page
    written = opened(exported(client, lesson)).read("lesson.md").decode()
    assert "*film: The first two minutes*" in written.split("**What burns?**")[1]
    assert f"pictures/{digest[:16]}.webp" in written
    exported(client, lesson, "pdf")
    assert any("stands on paper by its name alone" in one for one in TakenOut.objects.latest("pk").left_out)


def test_a_pdf_has_all_words_and_the_answers_on_a_page_of_their_own(client, whole):
    pages = [page.get_textpage().get_text_range() for page in pdfium.PdfDocument(exported(client, whole, "pdf"))]
    text_of_all = " ".join(" ".join(pages).split())
    for words in (
        "Smoke & doors",
        "A head <b>",
        "strong",
        "кириллица",
        "x squared",
        "It is small",
        "Look.",
        "Inside.",
        "Which ones?",
    ):
        assert words in text_of_all, words
    assert "What is right" in pages[-1]
    assert all("So it is" not in page for page in pages)
    # In the lesson they stand in the right order; on paper they must not.
    before = " ".join(" ".join(pages[:-1]).split())
    assert "– first – second – third" in before
    assert "1. this" in pages[-1]


def test_a_worker_that_is_killed_while_it_makes_one_makes_it_whole_the_next_time(client, whole, monkeypatch):
    client.force_login(f.an_account("administrator"))
    real = zipfile.ZipFile.writestr

    def killed(archive, name, content, *more):
        if getattr(name, "filename", name).endswith("player.js"):
            raise SystemExit
        real(archive, name, content, *more)

    monkeypatch.setattr(zipfile.ZipFile, "writestr", killed)
    form = form_of("lesson", "scorm-1.2")
    made = take_out(version=whole, form=form, by=f.an_account("administrator"))
    with pytest.raises(SystemExit):
        make_taken_out.call(key=made.pk)
    made.refresh_from_db()
    assert (made.state, made.done > 0, storage.outgoing(made.public_id).exists()) == ("working", True, False)
    monkeypatch.undo()
    make_taken_out.call(key=made.pk)
    made.refresh_from_db()
    assert (made.state, made.done, opened(storage.outgoing(made.public_id).read_bytes()).testzip()) == (
        "done",
        made.total,
        None,
    )
    # And once more it is as once.
    before = storage.outgoing(made.public_id).stat().st_mtime_ns
    make_taken_out.call(key=made.pk)
    assert storage.outgoing(made.public_id).stat().st_mtime_ns == before


def test_what_goes_wrong_is_a_sentence_and_may_be_tried_again(client, whole, monkeypatch):
    by = f.an_account("administrator")
    client.force_login(by)
    made = take_out(version=whole, form=form_of("lesson", "pdf"), by=by)
    assert take_out(version=whole, form=form_of("lesson", "pdf"), by=by) == made
    monkeypatch.setattr("stepladder.writing.away.paper.SimpleDocTemplate.build", lambda *a, **k: 1 / 0)
    make_taken_out.call(key=made.pk)
    page = client.get(reverse("library:taken_out", args=[made.public_id])).content.decode()
    assert "It could not be made: ZeroDivisionError" in page
    assert "Try again" in page
    assert client.get(reverse("library:fetch", args=[made.public_id])).status_code == 404
    for account in (f.an_account("administrator"), f.an_account("author")):
        client.force_login(account)
        assert client.get(reverse("library:taken_out", args=[made.public_id])).status_code == 404


def test_files_that_nobody_needs_any_more_go(client, whole):
    exported(client, whole, "markdown")
    old = TakenOut.objects.latest("pk")
    TakenOut.objects.update(created_at=clock.now() - KEPT - timedelta(hours=1))
    exported(client, whole, "markdown")
    drop_old.call()
    assert not storage.outgoing(old.public_id).exists()
    assert storage.outgoing(TakenOut.objects.get().public_id).exists()
