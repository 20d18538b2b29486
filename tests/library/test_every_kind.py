"""Every form of file becomes a module that is used in the page; a bad one ends as a sentence on it, in bounded time."""

import os
import time

import pytest
from django.urls import reverse
from PIL import Image

from stepladder.accounts.models import Organisation
from stepladder.accounts.organisation import forget
from stepladder.journal.models import Entry
from stepladder.library import derived_room, deriving, storage, tasks
from stepladder.library.errors import Unusable
from stepladder.library.kinds import kind_named
from stepladder.library.models import ModuleVersion
from stepladder.library.parsing import bounded, office
from stepladder.library.parsing.copies import clean, read_copy
from stepladder.library.parsing.material import Material, Worked
from stepladder.search import index
from tests import factories as f
from tests.library import files, parsers
from tests.reading import page_text


@pytest.fixture
def work_out(media, tmp_path):
    """What becomes of a file of that name with these bytes: its kind's name and what was worked out."""

    def made(name, body):
        path = tmp_path / "given"
        path.write_bytes(body if isinstance(body, bytes) else body.encode())
        kind, _, worked = deriving.work_out(path, name)
        return kind.name, worked

    return made


WORDS = "Stand clear of the line. " * 40
FORMS = [
    ("notes.md", f"# Lines\n\n{WORDS}\n\n## Snap-back\n\n{WORDS}", "Lines", {"format": "markdown", "pages": 2}),
    ("radio words.txt", "Over.\n\nOut.", "Radio words", {"format": "text", "pages": 1}),
    ("rates.csv", "Vessel;Cars\nDunlin;40\n", "Rates", {"format": "table", "page_word": "sheet"}),
    ("muster.docx", files.a_docx(WORDS), "Muster", {"format": "words", "is_copy": True}),
    ("lines.pptx", files.a_pptx(), "Lines", {"format": "slides", "pages": 2, "page_word": "slide"}),
    ("rates.xlsx", files.an_xlsx(), "Rates", {"format": "sheets", "pages": 1}),
    ("deck.png", files.a_picture(), "Deck", {"format": "picture", "pages": 1, "sizes": [[80, 60]]}),
    ("deck.tiff", files.a_picture("TIFF"), "Deck", {"format": "picture"}),
    ("deck.heic", files.a_picture("HEIF"), "Deck", {"format": "picture"}),
    ("deck.svg", '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><text>Deck 3</text></svg>', "Deck", {}),
    (
        "site.zip",
        files.zipped({"a/index.html": "<a href='two.html'>on</a>", "a/two.html": "Two", "a/lost.html": "Lost"}),
        "Site",
        {"format": "web pages", "pages": 2, "folder": "a/", "page_files": ["index.html", "two.html"]},
    ),
]


@pytest.mark.parametrize(("name", "body", "title", "data"), FORMS, ids=[form[0] for form in FORMS])
def test_every_form_becomes_a_document(organisation, work_out, name, body, title, data):
    kind, worked = work_out(name, body)
    assert (kind, worked.title) == ("document", title)
    assert data.items() <= worked.data.items()
    assert worked.minutes >= 1


def test_the_title_in_the_file_counts_where_it_is_worth_the_word(organisation, work_out):
    assert work_out("x.docx", files.a_docx("Go.", title="Muster list"))[1].title == "Muster list"
    assert work_out("muster.docx", files.a_docx("Go.", title="Document1"))[1].title == "Muster"
    # What stands above the text says more than its card, which nobody sees.
    assert work_out("x.docx", files.a_docx("Go.", title="Old list", above="Muster list"))[1].title == "Muster list"


def test_words_have_their_places_and_what_is_hidden_stays_hidden(organisation, work_out):
    _, slides = work_out("lines.pptx", files.a_pptx())
    assert [(p.place, p.title) for p in slides.passages] == [(1, "Snap-back")]
    assert "Never stand in the bight" in slides.passages[0].text
    assert "Tell them about the Knot." in slides.passages[0].text
    _, sheets = work_out("rates.xlsx", files.an_xlsx())
    assert "Vessel 2 2" in sheets.passages[0].text
    assert "salaries" not in str(sheets.passages)
    _, package = work_out("fire.zip", f.a_zip({"page two.html": "<p>Close the vents</p><script>no()</script>"}))
    assert "Close the vents" in [p.text for p in package.passages]


def test_a_reading_copy_keeps_text_and_its_pictures_and_nothing_that_runs_or_reaches_out():
    kept = clean(
        '<p onclick="x()">Go<script>x()</script><img src="http://elsewhere.example/a.png"><img src="picture-1.webp">'
        '<a href="javascript:x()">here</a><a href="https://a.example/">there</a></p>'
    )
    assert kept == (
        '<p>Go<img src="picture-1.webp"><a target="_blank" rel="noopener noreferrer">here</a>'
        '<a href="https://a.example/" target="_blank" rel="noopener noreferrer">there</a></p>'
    )


def test_slides_are_pages_with_their_pictures_beside(organisation, work_out):
    _, worked = work_out("lines.pptx", files.a_pptx())
    pages = read_copy(worked.folder)
    assert "<li>Watch the line</li>" in pages[0].html
    assert 'src="picture-1.webp"' in pages[1].html
    with Image.open(worked.folder / "picture-1.webp") as picture:
        assert picture.size == (80, 60)


def test_a_picture_is_made_anew_upright_and_without_the_place_it_was_taken(organisation, work_out):
    exif = Image.Exif()
    exif[0x0112] = 6
    exif[0x010E] = "Taken at home"
    _, worked = work_out("deck.jpg", files.a_picture("JPEG", exif=exif))
    with Image.open(worked.folder / "page-1.webp") as page:
        assert (page.size, dict(page.getexif())) == ((60, 80), {})


def test_a_drawing_keeps_what_draws_and_nothing_that_runs_or_reaches_out(organisation, work_out):
    svg = (
        '<svg xmlns="http://www.w3.org/2000/svg" xmlns:x="http://www.w3.org/1999/xlink" width="9px" height="9" onload="x()">'
        '<script>x()</script><foreignObject><b>x</b></foreignObject><image x:href="http://elsewhere.example/a.png"/>'
        '<style>@import url(http://elsewhere.example/a.css)</style><use x:href="http://elsewhere.example/a.svg#b"/>'
        '<rect id="b" width="3" height="3" fill="url(#g)"/><use x:href="#b"/><circle r="1" fill="url(http://elsewhere.example)"/></svg>'
    )
    _, worked = work_out("deck.svg", svg)
    drawn = (worked.folder / "page-1.svg").read_text()
    assert 'viewBox="0 0 9 9"' in drawn
    assert '<rect id="b" width="3" height="3" fill="url(#g)"/>' in drawn
    assert 'href="#b"' in drawn
    for bad in ("script", "onload", "elsewhere", "foreignObject", "style", "image"):
        assert bad not in drawn
    assert worked.data["left_out"] == 8


def a_bomb():
    """A document whose text unpacks to a thousand times its size."""
    return files.a_docx("A" * 40_000_000)


TROUBLES = [
    ("bomb.docx", a_bomb, "unpacks to far more than it holds"),
    ("cut.docx", lambda: files.a_docx("Go.")[:600], "is cut off or damaged"),
    (
        "cut.pptx",
        lambda: files.zipped({"[Content_Types].xml": "x", "ppt/presentation.xml": "<a"}),
        "is damaged or cut off",
    ),
    ("huge.png", lambda: _with_size(files.a_picture(), 50_000, 50_000), "50000 × 50000 pixels, too many"),
    ("cut.jpg", lambda: files.a_picture("JPEG", (900, 900))[:800], "damaged or cut off"),
    ("odd.svg", lambda: b"<svg xmlns='http://www.w3.org/2000/svg'><g>", "cannot be read"),
    ("empty.md", lambda: b"\n\n", "nothing to read in"),
    ("page.html", lambda: b"<!doctype html><p>Hello", "is a single web page. Zip it together"),
    ("film.avi", lambda: b"RIFF\x00\x00\x00\x00AVI LIST" + b"\x00" * 300, "an AVI film, which browsers do not play"),
    ("two.zip", lambda: files.zipped({"a.html": "x", "b.html": "y"}), "Nothing tells which of its pages is the first"),
    ("words.docx", lambda: files.an_xlsx(), "is named like a text (.docx) but holds a workbook"),
]


def _with_size(png, width, height):
    """A picture that says it is of another size than it is."""
    import struct
    import zlib

    head = b"IHDR" + struct.pack(">II", width, height) + png[24:29]
    return png[:12] + head + struct.pack(">I", zlib.crc32(head)) + png[33:]


@pytest.mark.parametrize(("name", "body", "message"), TROUBLES, ids=[trouble[0] for trouble in TROUBLES])
def test_what_cannot_be_used_says_why_and_what_to_do(organisation, work_out, name, body, message):
    with pytest.raises(Unusable, match=message.replace("(", r"\(").replace(")", r"\)")):
        work_out(name, body())
    assert [path.name for path in (storage._root() / "incoming").glob("work-*")] == []


def test_a_film_in_letters_that_browsers_lack_says_what_to_export_it_as(organisation, work_out, tmp_path):
    with pytest.raises(Unusable, match="is written in MPEG-4 Part 2, which not every browser plays"):
        work_out("film.mp4", _film(tmp_path / "x.mp4", "mpeg4"))


def test_a_film_without_an_index_is_given_one(organisation, work_out, tmp_path):
    """As a program writes it that records live: it does not say how long it is."""
    _, worked = work_out("film.webm", _film(tmp_path / "x.webm", "libvpx", live="1"))
    assert worked.data["seconds"] == pytest.approx(2, abs=0.2)
    assert (worked.folder / worked.data["indexed"]).exists()
    assert worked.still.startswith(b"\xff\xd8")


def _film(path, codec, **options):
    import av
    import numpy as np

    with av.open(str(path), "w", options=options) as film:
        stream = film.add_stream(codec, rate=10)
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        for n in range(20):
            frame = av.VideoFrame.from_ndarray(np.full((48, 64, 3), n * 10, np.uint8), format="rgb24")
            film.mux(stream.encode(frame))
        film.mux(stream.encode(None))
    return path.read_bytes()


# --- whatever a file does to its parser


@pytest.mark.parametrize(
    ("parser", "error", "message"),
    [
        (parsers.sleeps, Unusable, "took longer than 4 seconds and was stopped"),
        (parsers.eats, Unusable, "takes more memory to open than there is for a file"),
        (parsers.dies, Unusable, "it stopped the program that reads such files"),
        (parsers.breaks, bounded.Unforeseen, "KeyError: 'odd'"),
    ],
)
def test_a_file_that_stops_its_parser_ends_as_a_sentence_in_bounded_time(tmp_path, parser, error, message):
    (tmp_path / "given").write_bytes(b"x")
    out = tmp_path / "out"
    out.mkdir()
    began = time.monotonic()
    with pytest.raises(error, match=message):
        bounded.work_out_bounded(parser, Material(tmp_path / "given", "odd.pdf", "application/pdf"), out, seconds=4)
    assert time.monotonic() - began < 30
    assert list(out.iterdir()) == []


def test_where_a_converter_is_installed_slides_are_shown_as_they_look(organisation, media, tmp_path, monkeypatch):
    """The converter is one of our own that draws any file as the same two pages."""
    program = tmp_path / "bin" / "soffice"
    program.parent.mkdir()
    drawn = tmp_path / "drawn.pdf"
    with Image.new("RGB", (90, 60), "teal") as page:
        page.save(drawn, "PDF", save_all=True, append_images=[page])
    program.write_text(f'#!/bin/sh\nfor last; do :; done\ncp {drawn} "${{last%.*}}.pdf"\n')
    program.chmod(0o755)
    monkeypatch.setenv("PATH", f"{program.parent}:{os.environ['PATH']}")
    (tmp_path / "lines.pptx").write_bytes(files.a_pptx())
    out = tmp_path / "out"
    out.mkdir()
    material = Material(tmp_path / "lines.pptx", "lines.pptx", "x")
    worked = office.work_out_slides(material, out)
    assert (worked.data["pages"], worked.data["is_converted"], worked.title) == (2, True, "Lines")
    assert (out / office.CONVERTED).read_bytes() == drawn.read_bytes()
    # One that cannot draw it leaves the reading copy.
    program.write_text("#!/bin/sh\nexit 1\n")
    assert office.work_out_slides(material, out).data["is_copy"]


def slides(tmp_path):
    """The version of a module of slides, of whose original nothing was derived yet; and what was worked out of it."""
    path = tmp_path / "lines.pptx"
    path.write_bytes(files.a_pptx())
    _, material, worked = deriving.work_out(path, "lines.pptx")
    version = f.a_module("Lines", kind="document", data=dict(worked.data)).versions.get()
    ModuleVersion.objects.update(original=storage.keep(path, material.content_type), file_name="lines.pptx")
    version.refresh_from_db()
    return version, worked


def test_what_is_derived_can_be_made_anew(organisation, work_out, tmp_path):
    version, worked = slides(tmp_path)
    assert not version.passages.exists()
    deriving.derive_anew(version)
    assert version.passages.get().title == "Snap-back"
    assert (storage.derived_folder(version) / "picture-1.webp").exists()
    assert kind_named("document").describe(version.data) == "2 slides, a reading copy"
    assert isinstance(worked, Worked)


def test_the_daily_run_derives_anew_what_older_parsers_derived(organisation, media, client, tmp_path):
    """A film with captions from before its words were kept: they are found by now."""
    path = tmp_path / "x.mp4"
    _film(path, "libx264")
    kind, material, worked = deriving.work_out(path, "film.mp4")
    module = f.a_module("Film", kind=kind.name, data=dict(worked.data))
    version = module.versions.get()
    ModuleVersion.objects.update(original=storage.keep(path, material.content_type), file_name="film.mp4", derived_by=0)
    captions = "WEBVTT\n\n00:01.000 --> 00:02.000\nShut the vents\n"
    (storage.derived_folder(version) / "captions.vtt").write_text(captions)
    tasks.derive_outdated.call()
    version.refresh_from_db()
    assert (version.derived_by, version.passages.get().text) == (deriving.PARSERS, "Shut the vents")
    assert [hit.title for hit in index.find(f.an_account("administrator"), "vents")] == ["Film"]


def test_what_nobody_opened_for_longest_is_dropped_beyond_the_quota_and_made_anew_when_opened(
    organisation, media, client, tmp_path, on
):
    """The picture it is recognised by stays; a file that can no longer be read is said in the stead of its pages."""
    on("2026-05-14")
    version, worked = slides(tmp_path)
    deriving.keep_derived(version, worked)
    folder = storage.derived_folder(version)
    there = {one.name for one in folder.iterdir()}
    assert {"picture-1.webp", "reading.json"} <= there
    Organisation.objects.update(derived_quota_mb=0)
    forget()
    derived_room.keep_within_quota.call()
    on("2026-05-15")
    derived_room.keep_within_quota.call()
    assert {one.name for one in folder.iterdir()} == there, "what was opened the day before stays"
    on("2026-05-16")
    derived_room.keep_within_quota.call()
    assert {one.name for one in folder.iterdir()} == there & deriving.STAYS
    assert Entry.objects.get(verb="drop_derived").data["count"] == 1
    client.force_login(f.an_account("administrator"))
    page = reverse("playing:try_module", args=[version.module.public_id])
    assert "made anew from the file" in page_text(client.get(page))
    derived_room.make_anew.call(version_id=version.pk)
    assert "A reading copy" in page_text(client.get(page))
    on("2026-05-18")
    derived_room.keep_within_quota.call()
    assert version.original is not None
    storage.file_of(version.original).write_bytes(b"PK\x03\x04 broken")
    derived_room.make_anew.call(version_id=version.pk)
    assert "could not be made anew from its file" in page_text(client.get(page))
