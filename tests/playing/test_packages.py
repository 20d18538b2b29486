"""Packages as their learners meet them: parts that open, results that fail, files as they are, places that are closed."""

from datetime import timedelta

import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.core.packages.runtime import DoneWhen
from stepladder.journal.models import Entry
from stepladder.learning.actions import close_enrolments
from stepladder.learning.models import Attempt, Completion, StepDone
from stepladder.library import actions as library
from stepladder.library.kinds.package import inside
from stepladder.playing.models import ScoState
from stepladder.playing.package_trouble import trouble_of
from tests import factories as f
from tests.core.test_packages import CHAPTERS
from tests.playing.packages import a_package, commit, launch, launch_values, place, step_url
from tests.reading import page_text

RAW, STATUS = "cmi.core.score.raw", "cmi.core.lesson_status"


def outcome(client, enrolment, module, part=0):
    return client.get(reverse("playing:outcome", args=[enrolment.public_id, module.public_id]), {"part": part})


def test_parts_open_when_what_they_build_on_is_done_and_their_marks_come_without_a_reload(jun, client, tmp_path):
    module = a_package(tmp_path, "Ship", **{"imsmanifest.xml": CHAPTERS})
    enrolment = place(jun, [module])
    answer = client.get(step_url(enrolment, module))
    assert [(p.title, p.is_open) for p in answer.context["parts"]] == [
        ("Lines", True),
        ("Lights", False),
        ("Exam", False),
    ]
    assert [chapter for p in answer.context["parts"] for chapter in p.chapters] == [(0, "Deck"), (1, "Night")]
    # Nor by its address.
    content, first = launch(client, enrolment, module)
    refused = content.get(first.replace("/0/", "/2/"))
    assert (refused.status_code, "opens when those it builds on are done" in page_text(refused)) == (403, True)
    assert client.get(step_url(enrolment, module), {"part": 2}).context["part"] == 0
    content.get(first)
    commit(content, first, 1, {STATUS: "completed"})
    news = page_text(outcome(client, enrolment, module))
    assert 'hx-swap-oob="true"' in news
    assert 'data-next="?part=1"' in news
    assert news.count("opens later") == 1
    assert client.get(step_url(enrolment, module)).context["part"] == 1


def test_who_failed_sees_what_was_needed_and_tries_again_from_the_beginning(jun, client, tmp_path):
    module = a_package(tmp_path)
    enrolment = place(jun, [module])
    content, path = launch(client, enrolment, module)
    content.get(path)
    commit(content, path, 1, {RAW: "60", "cmi.suspend_data": "page 9", "cmi.core.session_time": "00:02:00"}, fin=True)
    assert "60 %, 80 % needed." in page_text(outcome(client, enrolment, module))
    assert not StepDone.objects.exists()
    again = reverse("playing:try_again", args=[enrolment.public_id, module.public_id])
    assert client.post(again).url == step_url(enrolment, module)
    content, path = launch(client, enrolment, module)
    start = launch_values(content, path)
    assert (start["cmi.core.entry"], start["cmi.core.total_time"]) == ("ab-initio", "0000:02:00.00")
    assert "cmi.suspend_data" not in start
    assert Entry.objects.get(verb="try_again").object_id == jun.public_id
    commit(content, path, 1, {RAW: "85"}, fin=True)
    assert Completion.objects.get().person == jun
    assert "needed" not in page_text(outcome(client, enrolment, module))
    # What is passed is not begun anew.
    client.post(again)
    assert ScoState.objects.get().values[RAW] == "85"


@pytest.mark.parametrize(
    ("done_when", "raw", "is_done"),
    [("said", 60, False), ("passed", 60, False), ("passed", 80, True), ("through", 60, True)],
)
def test_when_a_package_is_done_can_be_chosen(jun, client, tmp_path, done_when, raw, is_done):
    module = a_package(tmp_path)
    library.set_done_when(version=module.versions.get(), done_when=DoneWhen(done_when), by=f.BY)
    enrolment = place(jun, [module])
    content, path = launch(client, enrolment, module)
    content.get(path)
    commit(content, path, 1, {RAW: str(raw)}, fin=True)
    assert StepDone.objects.exists() is is_done


def test_done_when_passed_is_not_done_by_completing(jun, client, tmp_path):
    module = a_package(tmp_path)
    library.set_done_when(version=module.versions.get(), done_when="passed", by=f.BY)
    enrolment = place(jun, [module])
    content, path = launch(client, enrolment, module)
    content.get(path)
    commit(content, path, 1, {STATUS: "completed"}, fin=True)
    assert not StepDone.objects.exists()


def test_a_closed_place_does_not_play_and_says_so(jun, client, tmp_path):
    module = a_package(tmp_path)
    enrolment = place(jun, [module])
    content, path = launch(client, enrolment, module)
    content.get(path)
    close_enrolments(enrolments=[enrolment], because="no assignment asks for it any more", by=f.BY)
    answer = commit(content, path, 1, {RAW: "90"}, fin=True)
    assert (answer.status_code, "was closed on 14 May 2026: no assignment" in answer.json()["says"]) == (409, True)
    assert content.get(path).status_code == 403
    page = page_text(client.get(step_url(enrolment, module), follow=True))
    assert page.count("was closed on 14 May 2026: no assignment asks for it any more") == 2
    assert " left</p>" not in page
    assert ">Go on</a>" not in page
    assert step_url(enrolment, module) not in page
    assert not StepDone.objects.exists()


@pytest.fixture
def files(jun, client, tmp_path):
    """A package with all kinds of files, and a function that gets one from its content host."""
    module = a_package(
        tmp_path,
        **{
            "old.html": "<p>Übung</p>".encode("cp1252"),
            "said.html": '<meta charset="iso-8859-2"><p>x</p>',
            "new.js": "// Übung",
            "Media/Übung 1.PDF": b"%PDF-1.4 " + b"x" * 990,
        },
    )
    enrolment = place(jun, [module])
    answer = client.get(step_url(enrolment, module))
    assert answer.headers["Cross-Origin-Opener-Policy"] == "same-origin-allow-popups"
    assert client.get(reverse("desk:up_next")).headers["Cross-Origin-Opener-Policy"] == "same-origin"
    content, path = launch(client, enrolment, module)
    base = path.rsplit("/", 2)[0] + "/files/"
    return lambda name, **headers: content.get(base + name, headers=headers)


@pytest.mark.parametrize(
    ("name", "kind"),
    [
        ("old.html", "text/html; charset=windows-1252"),
        ("said.html", "text/html"),
        ("new.js", "text/javascript; charset=utf-8"),
        ("index.html", "text/html; charset=utf-8"),
        ("INDEX.html", "text/html; charset=utf-8"),
    ],
)
def test_files_of_a_package_have_their_own_letters(files, name, kind):
    answer = files(name)
    assert (answer.status_code, answer.headers["Content-Type"]) == (200, kind)
    assert "immutable" in answer.headers["Cache-Control"]


def test_files_of_a_package_come_in_ranges_and_under_their_own_names(files):
    name = "Media/%C3%9Cbung%201.PDF"
    part = files(name, range="bytes=0-7")
    assert (part.status_code, b"".join(part.streaming_content)) == (206, b"%PDF-1.4")
    assert part.headers["Content-Range"] == "bytes 0-7/999"
    assert "filename*=utf-8''%C3%9Cbung%201.PDF" in part.headers["Content-Disposition"]
    assert files(name, **{"If-None-Match": part.headers["ETag"]}).status_code == 304
    # As a page it is drawn by one of ours; its own script asks for the bytes.
    page = files(name, **{"Sec-Fetch-Dest": "iframe"})
    assert "/run/lib/pdf.js" in page_text(page)
    assert files(name + "?bytes", **{"Sec-Fetch-Dest": "iframe"}).status_code == 200
    assert files("gone.html").status_code == 404


def test_the_sheet_says_what_is_inside_and_lets_one_choose_when_it_is_done(organisation, media, client, tmp_path, on):
    on("2026-05-14")
    account = f.an_account("author")
    binder = f.a_binder("Deck", account)
    module = a_package(
        tmp_path, **{"imsmanifest.xml": f.MANIFEST.format(title="Fire", href="index.html"), "__MACOSX/._a": "x"}
    )
    found = inside(module.versions.get().data)
    assert (found.standard, found.files, found.left_out, found.left_out_some) == ("SCORM 1.2", 3, 1, ["__MACOSX/._a"])
    assert [(p.title, p.launch, p.mastery) for p in found.parts] == [("One", "index.html", "80 %")]
    assert module.binder == binder
    ship = a_package(tmp_path, "Ship", **{"imsmanifest.xml": CHAPTERS}).versions.get()
    assert [(p.chapters, p.comes_after) for p in inside(ship.data).parts] == [
        ("Deck", ""),
        ("Deck › Night", "“Lines”"),
        ("", "“Lines” and “Lights”"),
    ]
    client.force_login(account)
    address = reverse("library:module", args=[module.public_id])
    page = page_text(client.get(address))
    assert "SCORM 1.2, 3 files; 1 left out that belongs to no package (__MACOSX/._a)" in page
    client.post(reverse("library:done_when", args=[module.public_id]), {"done_when": "passed"})
    assert module.versions.get().data["done_when"] == "passed"
    assert "done when it is passed, not when the package says so" in page_text(client.get(address))
    client.post(reverse("library:done_when", args=[module.public_id]), {"done_when": "never"})
    assert module.versions.get().data["done_when"] == "passed"


def test_what_goes_wrong_with_a_package_is_told_in_words_on_its_sheet(jun, client, tmp_path):
    module = a_package(tmp_path)
    enrolment = place(jun, [module])
    version = module.versions.get()
    assert trouble_of(version) == []
    content, path = launch(client, enrolment, module)
    content.get(path)
    # Opened, and nothing heard of it.
    assert ["said nothing at all" in one.what for one in trouble_of(version)] == [True]
    commit(content, path, 1, {STATUS: "incomplete"})
    assert trouble_of(version) == []
    for _ in range(2):
        commit(content, path, 2, {STATUS: ["x"]})
    assert [(one.count, "neither text nor number" in one.what) for one in trouble_of(version)] == [(2, True)]
    Attempt.objects.update(last_at=clock.now() - timedelta(days=15))
    said = [one.what for one in trouble_of(version)]
    assert sum("without an end being saved" in what for what in said) == 1
    assert sum("have not finished for two weeks" in what for what in said) == 1
    client.force_login(f.an_account("administrator"))
    page = page_text(client.get(reverse("library:module", args=[module.public_id])))
    assert "have it save at every page" in page
    # Another version has its own.
    assert "Nobody has opened version 1 yet" not in page
    ScoState.objects.all().delete()
    assert "Nobody has opened version 1 yet" in page_text(
        client.get(reverse("library:module", args=[module.public_id]))
    )
