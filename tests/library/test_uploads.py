import base64
import fcntl
import io
import zipfile
from datetime import timedelta
from pathlib import Path

import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.config import demo
from stepladder.library import actions, archives, models, storage, tasks, tidying, uploads
from stepladder.library.checking import media_problems
from stepladder.library.errors import InUse, LibraryError
from stepladder.library.folders import trail_of
from stepladder.library.kinds import Material
from stepladder.library.models import Folder, Module, PackageFile, Upload
from stepladder.search import index
from tests import factories as f
from tests.reading import page_text

FILES = Path(demo.__file__).parent / "files"
UPLOADS = reverse("library:uploads")
PARTS = {"content_type": "application/offset+octet-stream"}


@pytest.fixture
def author(organisation, media, client):
    account = f.an_account("author")
    client.force_login(account)
    return account


@pytest.fixture
def binder(author):
    return f.a_binder("Deck", author)


def announce(client, binder, name, size, **more):
    said = {"filename": name, "binder": binder.public_id, **more}
    header = ",".join(f"{k} {base64.b64encode(v.encode()).decode()}" for k, v in said.items())
    return client.post(UPLOADS, headers={"Upload-Length": str(size), "Upload-Metadata": header})


def send(client, address, body, offset):
    return client.patch(address, body, headers={"Upload-Offset": str(offset)}, **PARTS)


def bring(client, binder, name, body):
    """Announce and send a file whole; its upload."""
    answer = announce(client, binder, name, len(body))
    if body:
        assert send(client, answer.headers["Location"], body, 0).status_code == 204
    return Upload.objects.latest("pk")


def test_a_package_a_film_and_a_pdf_become_modules_that_are_found_at_once(
    client, binder, author, django_capture_on_commit_callbacks
):
    with django_capture_on_commit_callbacks(execute=True):
        for name in ("guiding-a-crowd.zip", "the-first-two-minutes.mp4", "muster-list.pdf"):
            bring(client, binder, name, (FILES / name).read_bytes())
    assert {u.state for u in Upload.objects.all()} == {"done"}
    made = {m.kind: m for m in Module.objects.all()}
    assert (made["package"].title, made["package"].minutes) == ("Guiding a crowd", 20)
    assert made["package"].versions.get().data["standard"] == "scorm2004"
    assert made["video"].versions.get().data["seconds"] == pytest.approx(48, abs=0.2)
    assert made["document"].versions.get().data["pages"] == 8
    assert (storage.derived_folder(made["video"].versions.get()) / "still.jpg").stat().st_size > 1000
    assert [found.title for found in index.find(author, "muster lis")] == ["Muster list of your vessel"]
    assert "Guiding a crowd" in client.get(reverse("library:binder", args=[binder.public_id])).content.decode()


def test_an_upload_that_broke_off_goes_on_where_it_stopped(client, binder, django_capture_on_commit_callbacks):
    body = (FILES / "muster-list.pdf").read_bytes()
    address = announce(client, binder, "muster-list.pdf", len(body)).headers["Location"]
    assert send(client, address, body[:3000], 0).headers["Upload-Offset"] == "3000"
    # The server died after writing more to disk than it could tell.
    with storage.incoming(Upload.objects.get()).open("ab") as file:
        file.write(body[3000:3500])
    assert client.head(address).headers["Upload-Offset"] == "3500"
    assert send(client, address, body[3000:], 3000).status_code == 409
    with django_capture_on_commit_callbacks(execute=True):
        assert send(client, address, body[3500:], 3500).status_code == 204
    assert Upload.objects.get().state == "done"
    assert send(client, address, b"more", len(body)).status_code == 409


def pdf():
    return (FILES / "muster-list.pdf").read_bytes()


def encrypted_zip():
    body = bytearray(f.a_zip())
    for mark, at in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        place = -1
        while (place := body.find(mark, place + 1)) >= 0:
            body[place + at] |= 1
    return bytes(body)


def bomb():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("imsmanifest.xml", f.MANIFEST.format(title="T", href="index.html"))
        archive.writestr("index.html", b"\0" * (40 * 1024**2))
    return out.getvalue()


def damaged_inside():
    body = bytearray(f.a_zip({"picture.svg": "<svg/>" * 200}))
    place = body.find(b"picture.svg") + 30
    body[place] ^= 0xFF
    return bytes(body)


@pytest.mark.parametrize(
    ("name", "body", "message"),
    [
        ("cut.zip", lambda: f.a_zip()[:-60], "is cut off or damaged"),
        ("locked.zip", encrypted_zip, "asks for a password"),
        ("out.zip", lambda: f.a_zip({"../evil.html": "x"}), "leads out of the package"),
        ("absolute.zip", lambda: f.a_zip({"/etc/evil": "x"}), "is an absolute path"),
        ("bomb.zip", bomb, "unpacks to far more than it holds"),
        ("damaged.zip", damaged_inside, "damaged"),
        ("photos.zip", lambda: f.a_zip({"imsmanifest.xml": ""}), "is broken at line 1"),
        (
            "entities.zip",
            lambda: f.a_zip(
                {"imsmanifest.xml": '<!DOCTYPE m [<!ENTITY x SYSTEM "file:///x">]><manifest>&x;</manifest>'}
            ),
            "entities outside itself",
        ),
        ("gone.zip", lambda: f.a_zip(href="start.html"), "“start.html”, is not in the archive"),
        ("empty.pdf", lambda: b"", "is empty (0 bytes)"),
        ("film.mp4", pdf, "is named like a film (.mp4) but holds a PDF"),
        ("cut.pdf", lambda: pdf()[:900], "is damaged or cut off"),
        ("cut.mp4", lambda: (FILES / "the-first-two-minutes.mp4").read_bytes()[:2000], "damaged or cut off"),
        ("notes.bin", lambda: bytes(range(256)), "nothing that can be taught with here"),
    ],
)
def test_what_cannot_be_used_is_refused_with_a_sentence(
    client, binder, name, body, message, django_capture_on_commit_callbacks
):
    with django_capture_on_commit_callbacks(execute=True):
        upload = bring(client, binder, name, body())
    upload.refresh_from_db()
    assert (upload.state, Module.objects.count()) == ("refused", 0)
    assert message in upload.message
    assert name in upload.message
    assert upload.message.rstrip().endswith(".")
    page = client.get(reverse("library:progress", args=[binder.public_id])).content.decode()
    assert "refused" in page
    client.post(reverse("library:dismiss", args=[upload.public_id]))
    assert name not in client.get(reverse("library:progress", args=[binder.public_id])).content.decode()


def test_a_link_in_an_archive_is_refused(client, binder, django_capture_on_commit_callbacks):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("imsmanifest.xml", f.MANIFEST.format(title="T", href="index.html"))
        info = zipfile.ZipInfo("index.html")
        info.external_attr = 0o120777 << 16
        archive.writestr(info, "/etc/passwd")
    with django_capture_on_commit_callbacks(execute=True):
        upload = bring(client, binder, "link.zip", out.getvalue())
    upload.refresh_from_db()
    assert "is a link to another file" in upload.message


def test_a_manifest_in_a_sub_folder_is_found(client, binder, django_capture_on_commit_callbacks):
    inner = {"imsmanifest.xml": f.MANIFEST.format(title="Deep", href="index.html"), "index.html": "x"}
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, body in inner.items():
            archive.writestr(f"my course/{name}", body)
    with django_capture_on_commit_callbacks(execute=True):
        bring(client, binder, "deep.zip", out.getvalue())
    assert Module.objects.get().title == "Deep"
    assert set(PackageFile.objects.values_list("path", flat=True)) == {"imsmanifest.xml", "index.html"}


def test_too_large_a_file_is_refused_before_anything_is_sent(client, binder, settings):
    settings.UPLOAD_LIMIT_BYTES = 5 * 1024**2
    answer = announce(client, binder, "huge.mp4", 6 * 1024**2)
    assert answer.status_code == 413
    assert "“huge.mp4” is larger than 5 MB" in answer.content.decode()
    assert Upload.objects.count() == 0


@pytest.mark.parametrize(
    "name", ["a" * 296 + ".pdf", "Ünï cödé – “quotes” 100 % 🚢.pdf", "..\\..\\evil.pdf", "<script>.pdf"]
)
def test_long_and_odd_file_names_are_taken_as_they_are(client, binder, name, django_capture_on_commit_callbacks):
    with django_capture_on_commit_callbacks(execute=True):
        upload = bring(client, binder, name, pdf())
    upload.refresh_from_db()
    assert upload.state == "done"
    assert upload.file_name == name.rsplit("\\", 1)[-1]
    page = client.get(reverse("library:module", args=[upload.module.public_id])).content.decode()
    assert "<script>.pdf" not in page


def test_the_worker_goes_on_where_it_was_stopped(client, binder, monkeypatch, django_capture_on_commit_callbacks):
    monkeypatch.setattr(archives, "FILES_A_PIECE", 2)
    body = f.a_zip({f"page{n}.html": f"<p>{n}</p>" for n in range(7)})
    upload = bring(client, binder, "course.zip", body)
    extracted = []
    real = archives._extract

    def extract(archive, info, *rest):
        if len(extracted) == 5:
            raise KeyboardInterrupt
        extracted.append(info.filename)
        return real(archive, info, *rest)

    monkeypatch.setattr(archives, "_extract", extract)
    with pytest.raises(KeyboardInterrupt):
        tasks.work_out_upload.func(upload.pk)
    upload.refresh_from_db()
    assert (upload.state, upload.done, upload.total, Module.objects.count()) == ("working", 4, 9, 1)
    monkeypatch.setattr(archives, "_extract", real)
    tasks.work_out_upload.func(upload.pk)
    tasks.work_out_upload.func(upload.pk)
    upload.refresh_from_db()
    assert (upload.state, upload.done, Module.objects.count(), PackageFile.objects.count()) == ("done", 9, 1, 9)


def test_two_parts_of_one_file_never_interleave(client, binder):
    address = announce(client, binder, "a.pdf", 10).headers["Location"]
    upload = Upload.objects.get()
    with storage.incoming(upload).open("ab") as other:
        fcntl.flock(other, fcntl.LOCK_EX)
        answer = send(client, address, b"12345", 0)
        assert (answer.status_code, answer.content) == (
            423,
            b"Another part of this file is just arriving. Try again in a moment.",
        )
    assert send(client, address, b"12345", 0).status_code == 204
    assert storage.incoming(upload).read_bytes() == b"12345"


def test_a_part_that_is_not_one_or_is_longer_than_announced_is_refused(client, binder):
    address = announce(client, binder, "a.pdf", 10).headers["Location"]
    assert client.patch(address, b"123", headers={"Upload-Offset": "0"}, content_type="text/plain").status_code == 415
    assert client.patch(address, b"123", **PARTS).status_code == 415
    answer = send(client, address, b"x" * 11, 0)
    # By its length, before any of it is read.
    assert (answer.status_code, "More was sent than was announced" in answer.content.decode()) == (413, True)
    assert storage.incoming(Upload.objects.get()).stat().st_size == 0
    answer = client.post(UPLOADS, headers={"Upload-Metadata": f"binder {base64.b64encode(b'x').decode()}"})
    assert answer.status_code == 404
    answer = announce(client, binder, "a.pdf", "many")
    assert (answer.status_code, answer.content) == (400, b"The length of the file was not announced.")


def test_an_upload_that_is_stopped_leaves_nothing_behind(client, binder):
    address = announce(client, binder, "a.pdf", 10).headers["Location"]
    send(client, address, b"12345", 0)
    path = storage.incoming(Upload.objects.get())
    assert path.exists()
    assert client.delete(address).status_code == 204
    assert not path.exists()
    assert client.head(address).status_code == 404


def test_nobody_else_can_send_to_or_stop_an_upload(client, binder):
    address = announce(client, binder, "a.pdf", 100).headers["Location"]
    client.force_login(f.an_account("author"))
    assert send(client, address, b"x", 0).status_code == 404
    assert client.delete(address).status_code == 404
    assert announce(client, binder, "b.pdf", 10).status_code == 404


def test_a_newer_version_must_be_of_the_same_kind(client, binder, author, django_capture_on_commit_callbacks):
    with django_capture_on_commit_callbacks(execute=True):
        bring(client, binder, "muster-list.pdf", pdf())
    module = Module.objects.get()
    with django_capture_on_commit_callbacks(execute=True):
        for name in ("ticket-data.pdf", "guiding-a-crowd.zip"):
            body = (FILES / name).read_bytes()
            address = announce(client, binder, name, len(body), module=module.public_id).headers["Location"]
            send(client, address, body, 0)
    assert [v.number for v in module.versions.all()] == [2, 1]
    assert "A new version must be of the same kind" in Upload.objects.get(state="refused").message


def test_a_module_that_a_released_course_uses_cannot_be_withdrawn(organisation, client):
    client.force_login(f.an_account("administrator"))
    module = f.a_module("Lines under load")
    f.a_course("Mooring lines", [module])
    with pytest.raises(InUse, match=r"is a step of “Mooring lines”\. Take it out there first"):
        actions.withdraw_module(module=module, by=f.BY)
    page = client.post(reverse("library:withdraw_module", args=[module.public_id]), follow=True).content.decode()
    assert "Take it out there first, by a new edition" in page
    loose = f.a_module("Loose")
    assert actions.withdraw_module(module=loose, by=f.BY).state == "withdrawn"
    assert "Loose" not in client.get(reverse("library:home")).content.decode()


def test_a_full_disk_is_said(client, binder, monkeypatch):
    monkeypatch.setattr(storage, "free_bytes", lambda: 10)
    answer = announce(client, binder, "a.pdf", 100)
    assert "The disk is almost full" in answer.content.decode()
    with pytest.raises(LibraryError):
        uploads.begin_upload(binder=binder, name="a", size=1, by=binder.owner)


def test_fields_are_edited_in_place_and_an_error_stands_at_its_field(client, binder):
    module = f.a_module("Lines", binder=binder)
    url = reverse("library:edit_module", args=[module.public_id])
    data = {
        "title": "Lines under load",
        "description": "",
        "minutes": "8",
        "tags": "Mooring,  deck work",
        "revision": module.revision,
    }
    answer = client.post(url, data)
    assert "saved" in answer.content.decode()
    module.refresh_from_db()
    assert (module.title, sorted(t.name for t in module.tags.all())) == ("Lines under load", ["deck work", "mooring"])
    answer = client.post(url, data | {"minutes": "-3"})
    assert answer.status_code == 422
    assert "greater than or equal to 0" in answer.headers["HX-Trigger"]


def test_announced_uploads_count_against_what_is_free(author, binder, client, monkeypatch):
    monkeypatch.setattr(storage, "free_bytes", lambda: uploads.KEPT_FREE + 1000)
    assert announce(client, binder, "first.mp4", 700).status_code == 201
    refused = announce(client, binder, "second.mp4", 400)
    assert refused.status_code == 413
    assert "almost full" in refused.content.decode()
    assert announce(client, binder, "third.mp4", 300).status_code == 201


def test_a_file_that_is_whole_though_nobody_was_told_is_finished(author, binder, client, on):
    body = next(FILES.glob("*.pdf")).read_bytes()
    addresses = [announce(client, binder, f"{n}.pdf", len(body)).headers["Location"] for n in (1, 2)]
    for upload in Upload.objects.all():
        storage.incoming(upload).write_bytes(body)
    client.head(addresses[0])
    tidying.tidy_uploads.call()
    assert {upload.state for upload in Upload.objects.all()} == {Upload.State.WAITING}


def test_parts_that_nobody_goes_on_with_go_after_a_week(author, binder, client, on):
    on("2026-05-14")
    announce(client, binder, "film.mp4", 1000)
    path = storage.incoming(Upload.objects.get())
    Upload.objects.update(beat_at=clock.now())
    on("2026-05-20")
    tidying.tidy_uploads.call()
    assert path.exists()
    on("2026-05-22")
    tidying.tidy_uploads.call()
    assert not path.exists()
    assert not Upload.objects.exists()


def test_files_on_disk_are_held_against_their_digests(client, binder):
    upload = bring(client, binder, "fire.zip", f.a_zip())
    tasks.work_out_upload.call(upload_id=upload.pk)
    upload.refresh_from_db()
    version = upload.module.versions.get()
    page = version.package_files.get(path="index.html")
    assert list(media_problems()) == []
    path = storage.package_folder(version) / page.stored
    path.write_text("<h1>Water</h1>")
    assert list(media_problems()) == ["“index.html” of “fire.zip” was changed."]
    path.unlink()
    assert list(media_problems()) == ["“index.html” of “fire.zip” is gone."]
    storage.file_of(version.original).write_bytes(b"other")
    assert list(media_problems()) == [f"The file {version.original.path} was changed."]
    storage.file_of(version.original).unlink()
    assert list(media_problems()) == [f"The file {version.original.path} is gone."]


def test_the_same_file_twice_is_said_and_what_is_done_goes_out_of_sight(
    client, binder, on, django_capture_on_commit_callbacks
):
    on("2026-05-14")
    body = (FILES / "muster-list.pdf").read_bytes()
    with django_capture_on_commit_callbacks(execute=True):
        first = bring(client, binder, "muster-list.pdf", body)
        second = bring(client, binder, "Muster list (2).pdf", body)
    first.refresh_from_db()
    second.refresh_from_db()
    assert first.message == ""
    assert second.message == (
        f"The very same file is “{first.module.title}” in the binder “Deck” already. Is one of them enough?"
    )
    shown = reverse("library:progress", args=[binder.public_id])
    page = page_text(client.get(shown))
    assert f"{first.module.title}</a> has arrived and can be used." in page
    assert "Muster list (2).pdf, " in page
    for age, left in ((models.DONE_SHOWN, [second]), (models.SAID_SHOWN, [])):
        Upload.objects.update(beat_at=clock.now() - age - timedelta(seconds=1))
        context = client.get(shown).context
        assert [*context["arrived"], *context["uploads"]] == left


@pytest.mark.parametrize(
    ("own", "name", "title"),
    [
        ("Muster list", "x.pdf", "Muster list"),
        ("Untitled", "muster-list.pdf", "Muster list"),
        ("untitled-1.pdf", "muster_list.pdf", "Muster list"),
        ("Document1", "muster list.pdf", "Muster list"),
        ("Project management", "x.zip", "Project management"),
        ("Microsoft Word - Muster list.docx", "x.pdf", "Muster list.docx"),
        ("PowerPoint Presentation", "muster list.pptx", "Muster list"),
    ],
)
def test_a_title_is_never_what_a_program_writes_where_there_is_none(own, name, title):
    assert Material(Path("x"), name, "application/pdf").title_or(own) == title


def announce_into(client, binder, name, size, **more):
    said = {"filename": name, "binder": binder.public_id, **more}
    header = ",".join(f"{key} {base64.b64encode(value.encode()).decode()}" for key, value in said.items())
    return client.post(UPLOADS, headers={"Upload-Length": str(size), "Upload-Metadata": header})


def test_the_tree_of_a_dropped_folder_becomes_folders(client, binder, django_capture_on_commit_callbacks):
    for name, path in (("a.pdf", "Deck papers/Mooring"), ("b.pdf", "Deck papers"), ("c.pdf", "../..//Deck papers")):
        with django_capture_on_commit_callbacks(execute=True):
            answer = announce_into(client, binder, name, len(pdf()), path=path)
            send(client, answer.headers["Location"], pdf(), 0)
    places = {m.versions.get().file_name: [one.name for one in trail_of(m.folder)] for m in Module.objects.all()}
    assert places == {"a.pdf": ["Deck papers", "Mooring"], "b.pdf": ["Deck papers"], "c.pdf": ["Deck papers"]}
    assert Folder.objects.count() == 2


def test_a_binders_room_is_said_before_anything_is_sent(client, binder, django_capture_on_commit_callbacks):
    bring_whole(client, binder, django_capture_on_commit_callbacks, "a.pdf")
    binder.quota_mb = 1
    binder.save()
    room = reverse("library:room", args=[binder.public_id])
    assert client.post(room, {"bytes": 900_000}).json() == {"says": ""}
    said = client.post(room, {"bytes": 5 * 1024**2}).json()["says"]
    assert "has room for 1 MB of files, and 0 MB are left; these are 5 MB." in said
    refused = announce_into(client, binder, "big.pdf", 5 * 1024**2)
    assert (refused.status_code, refused.content.decode()) == (413, said)


def bring_whole(client, binder, captured, name, body=None):
    with captured(execute=True):
        upload = bring(client, binder, name, body or pdf())
    upload.refresh_from_db()
    return upload


def settle(client, upload, choice):
    return client.post(reverse("library:settle", args=[upload.public_id]), {"choice": choice})


def test_of_the_very_same_file_only_one_is_kept_if_one_says_so(client, binder, django_capture_on_commit_callbacks):
    bring_whole(client, binder, django_capture_on_commit_callbacks, "Lines.pdf")
    again = bring_whole(client, binder, django_capture_on_commit_callbacks, "Other name.pdf")
    assert (again.likeness, again.twin.versions.get().file_name) == ("same", "Lines.pdf")
    settle(client, again, "other")
    assert [m.state for m in Module.objects.order_by("pk")] == ["released", "deleted"]
    assert "This is settled already." in settle(client, again, "both").headers["HX-Trigger-After-Swap"]


def test_a_file_of_the_same_name_becomes_a_newer_version_if_one_says_so(
    client, binder, django_capture_on_commit_callbacks
):
    first = bring_whole(client, binder, django_capture_on_commit_callbacks, "Lines.pdf")
    newer = bring_whole(client, binder, django_capture_on_commit_callbacks, "Lines.pdf", pdf() + b"\n% newer\n")
    assert newer.likeness == "name"
    assert "was made of a file of the same name. Is this a newer version of it?" in newer.message
    settle(client, newer, "version")
    module = Module.objects.get()
    assert (module, [v.number for v in module.versions.all()]) == (first.module, [2, 1])
    # In a course by now it stays what it is.
    third = bring_whole(client, binder, django_capture_on_commit_callbacks, "Lines.pdf", pdf() + b"\n% newest\n")
    f.a_draft("Fire", [third.module])
    assert "is a step of a course by now" in settle(client, third, "version").headers["HX-Trigger-After-Swap"]
    settle(client, third, "both")
    assert Module.objects.count() == 2


def test_two_newer_versions_of_one_module_at_once_are_two_versions(binder, author, media):
    module = f.a_module("Lines", binder=binder)
    made = []
    for text in ("# Lines\n\nStand clear.", "# Lines\n\nStand well clear."):
        upload = uploads.begin_upload(binder=binder, name="lines.md", size=len(text), by=author, replaces=module)
        uploads.receive_part(upload=upload, offset=0, part=io.BytesIO(text.encode()), by=author)
        made.append(upload)
    for upload in reversed(made):
        tasks.work_out_upload.func(upload.pk)
    versions = list(module.versions.order_by("number").values_list("number", "passages__text"))
    assert [number for number, _ in versions] == [1, 2, 3]
    assert ["well" in (text or "") for _, text in versions] == [False, True, False]
    assert [str(upload.message) for upload in Upload.objects.all()] == ["", ""]
