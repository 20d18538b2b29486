"""Watched folders and lists of links: what appears, moves, goes and comes back; what is said beside the files; trouble."""

import os
import shutil
import time
from datetime import timedelta

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from stepladder import clock, daily
from stepladder.library import editing
from stepladder.library.actions import set_access, set_picture, set_seen_by
from stepladder.library.models import Module, Upload
from stepladder.library.tasks import work_out_upload
from stepladder.sources import actions, looking, tasks, walking
from stepladder.sources.errors import SourceTrouble
from stepladder.sources.looking import look, settle
from stepladder.sources.models import Source
from stepladder.topics.actions import add_topic
from tests import factories as f
from tests.library import files
from tests.reading import page_text


@pytest.fixture
def share(organisation, media, tmp_path, settings):
    """A folder that may be read, as a share is mounted."""
    settings.SOURCE_ROOTS = [tmp_path / "shares"]
    (tmp_path / "shares" / "papers").mkdir(parents=True)
    return tmp_path / "shares" / "papers"


@pytest.fixture
def keeper(organisation):
    return f.an_account("administrator")


@pytest.fixture
def source(share, keeper):
    return actions.create_source(
        name="Papers",
        kind="folder",
        place="papers",
        binder=f.a_binder("Deck", keeper),
        by=keeper,
        sheet="about.csv",
        language="en",
    )


def put(folder, path, text, *, ago=60):
    """A file that was written some seconds ago."""
    file = folder / path
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_bytes(text if isinstance(text, bytes) else text.encode())
    os.utime(file, (time.time() - ago, time.time() - ago))
    return file


def looked(source, *, after=0):
    """Look, and work out what came of it; the source as it is then."""
    with clock.pinned(clock.now() + timedelta(seconds=after)):
        source.refresh_from_db()
        look(source)
        for upload in Upload.objects.filter(state=Upload.State.WAITING):
            work_out_upload.func(upload.pk)
        settle(source)
    source.refresh_from_db()
    return source


def items(source):
    return {item.path: item for item in source.items.select_related("module")}


def test_files_become_modules_in_folders_and_are_as_the_sheet_says(source, share):
    add_topic(name="Mooring", by=f.BY)
    put(share, "mooring/lines.md", "# Lines\n\nStand clear.")
    put(share, "deck.png", files.a_picture())
    put(share, ".hidden.md", "x")
    put(
        share,
        "about.csv",
        "File;Title;Minutes;Topics;Rights;Weather\nlines.md;Lines under load;9;Mooring;play only;fair\n"
        "lost.md;Lost;;;;\nmooring/lines.md;Twice;;;;\ndeck.png;;soon;;;\n",
    )
    # Before they are worked out there is no module that the sheet could speak of.
    looked(source)
    found = items(looked(source))
    lines, deck = found["mooring/lines.md"].module, found["deck.png"].module
    assert set(found) == {"mooring/lines.md", "deck.png"}
    assert (lines.title, lines.minutes, lines.rights, lines.language) == ("Lines under load", 9, "play", "en")
    assert (lines.folder.name, [t.name for t in lines.topics.all()]) == ("mooring", ["Mooring"])
    assert (deck.title, deck.language, deck.rights) == ("Deck", "en", "keep")
    said = "\n".join(source.problems)
    for words in (
        "“Weather”",
        "no file “lost.md”",
        "is no number of minutes",
        "row 4: another row is for “mooring/lines.md”",
    ):
        assert words in said


def test_a_picture_that_the_sheet_names_is_the_modules_and_no_module_itself(source, share):
    put(share, "lines.md", "# Lines\n\nStand clear.")
    put(share, "pictures/lines.png", files.a_picture())
    put(share, "about.csv", "File,Picture\nlines.md,lines.png\n")
    for _ in range(3):
        looked(source)
    item = items(source)["lines.md"]
    assert set(items(source)) == {"lines.md"}
    assert item.module.picture
    assert item.module.edited == []
    put(share, "pictures/lines.png", files.a_picture(colour="navy"), ago=20)
    looked(source)
    other = Module.objects.get().picture
    assert other != item.module.picture
    # One that was given here stays; one that cannot be read is said on its file.
    set_picture(module=item.module, digest="", by=f.BY)
    put(share, "pictures/lines.png", b"no picture at all", ago=10)
    looked(source)
    assert (Module.objects.get().picture, items(source)["lines.md"].trouble) == ("", "")
    actions.give_back_detail(module=Module.objects.get(), name="picture", by=f.BY)
    looked(source)
    assert "is no picture" in items(source)["lines.md"].trouble


def test_what_was_edited_here_stays_until_it_is_given_back(source, share):
    put(share, "lines.md", "# Lines\n\nStand clear.")
    put(share, "about.csv", "File,Title\nlines.md,Lines under load\n")
    module = items(looked(looked(source)))["lines.md"].module
    editing.edit_module(module=module, revision=None, title="Ropes", by=f.BY)
    put(share, "about.csv", "File,Title,Minutes\nlines.md,Lines of the sheet,12\n", ago=40)
    looked(source)
    module.refresh_from_db()
    assert (module.title, module.minutes) == ("Ropes", 12)
    actions.give_back_detail(module=module, name="title", by=f.BY)
    module.refresh_from_db()
    assert (module.title, module.edited) == ("Lines of the sheet", [])


def test_a_file_that_changes_is_a_newer_version_one_that_moves_takes_its_module_along(source, share):
    put(share, "lines.md", "# Lines\n\nStand clear.")
    module = items(looked(source))["lines.md"].module
    put(share, "lines.md", "# Lines\n\nStand well clear.", ago=30)
    looked(source)
    assert module.versions.count() == 2
    (share / "mooring").mkdir()
    shutil.move(share / "lines.md", share / "mooring" / "ropes.md")
    assert items(looked(source))["mooring/ropes.md"].module == module
    module.refresh_from_db()
    assert (module.folder.name, module.versions.count(), Module.objects.count()) == ("mooring", 2, 1)
    # A copy beside it is a module of its own.
    shutil.copy2(share / "mooring" / "ropes.md", share / "copy.md")
    assert items(looked(source))["copy.md"].module != module


def test_what_is_gone_for_a_minute_is_missing_and_nothing_is_deleted(source, share):
    put(share, "lines.md", "# Lines\n\nStand clear.")
    put(share, "knots.md", "# Knots\n\nTwo of them.")
    module = items(looked(source))["lines.md"].module
    away = shutil.move(share / "lines.md", share.parent / "kept")
    assert not items(looked(source))["lines.md"].is_missing
    assert items(looked(source, after=61))["lines.md"].is_missing
    assert Module.objects.get(pk=module.pk).state == "released"
    shutil.move(away, share / "lines.md")
    back = items(looked(source, after=130))["lines.md"]
    assert (back.is_missing, back.module) == (False, module)


def test_a_share_that_vanishes_says_so_and_nothing_is_missing(source, share):
    put(share, "lines.md", "# Lines\n\nStand clear.")
    looked(source)
    hidden = share.rename(share.parent / "elsewhere")
    for after, words in ((0, "Is the share mounted?"), (300, "Is the share mounted?")):
        assert words in looked(source, after=after).trouble
    # Mounted, and empty: the mount point of a share that is not there.
    share.mkdir()
    assert "There is nothing in it any more" in looked(source, after=600).trouble
    assert [item.gone_since for item in source.items.all()] == [None]
    share.rmdir()
    hidden.rename(share)
    assert looked(source, after=900).trouble == ""


def test_what_leads_out_of_it_or_is_still_being_written_is_not_taken(source, share, tmp_path, settings):
    secret = put(tmp_path, "secret/keys.md", "# Keys")
    (share / "keys.md").symlink_to(secret)
    (share / "all").symlink_to(secret.parent)
    put(share, "half.md", "# Half", ago=0)
    found = looked(source)
    assert items(found) == {}
    assert sum("leads elsewhere" in problem for problem in found.problems) == 2
    put(share, "half.md", "# Half, and whole now")
    assert items(looked(source))["half.md"].module.title == "Half, and whole now"
    (tmp_path / "shares" / "out").symlink_to(secret.parent)
    for place in ("../secret", "out", "papers/../../secret", str(secret.parent)):
        with pytest.raises(SourceTrouble, match="There is no"):
            walking.place_of(place)


def test_a_file_that_changes_while_it_is_read_is_left_for_the_next_look(share):
    file = put(share, "film.md", "# One")
    there = walking.walk(share).files["film.md"]
    put(share, "film.md", "# One, and more", ago=50)
    assert walking.digest_of(file, there) is None
    assert walking.digest_of(file, walking.walk(share).files["film.md"])


def test_one_bad_file_is_a_sentence_on_it_and_a_folder_that_is_closed_loses_nothing(source, share, client, keeper):
    put(share, "lines.md", "# Lines\n\nStand clear.")
    put(share, "broken.pdf", b"%PDF-1.7 broken")
    found = items(looked(source))
    assert found["lines.md"].module
    assert found["broken.pdf"].trouble
    client.force_login(keeper)
    page = page_text(client.get(reverse("sources:source", args=[source.public_id]), {"show": "trouble"}))
    assert "broken.pdf" in page
    assert "lines.md" not in page
    # A better one at its place is tried.
    put(share, "broken.pdf", "# Not a PDF at all", ago=20)
    assert "is named like a PDF" in items(looked(source))["broken.pdf"].trouble


def test_a_source_that_is_on_is_looked_at_twice_a_minute_and_only_once_at_a_time(source, share, monkeypatch):
    asked = []
    monkeypatch.setattr(tasks, "later", lambda what, **said: asked.append(said["source_id"]))
    daily.enqueue_frequent()
    daily.enqueue_frequent()
    assert asked == [source.pk]
    looked(source)
    actions.switch_source(source=source, is_on=False, by=f.BY)
    daily.enqueue_frequent()
    assert asked == [source.pk]


LISTS = {
    "links.csv": b"Link,Title,Minutes\nhttps://tides.example/,Tides,4\nhttps://tides.example/,Again,\nnowhere,No,\n",
    "links.opml": b"<opml><body><outline text='Tides' url='https://tides.example/'/><outline text='Group'/></body></opml>",
    "links.xml": b"<rss><channel><link>https://x.example/</link><item><title>Tides</title><link>https://tides.example/</link>"
    b"<description>&lt;b&gt;High&lt;/b&gt; at noon.</description></item></channel></rss>",
    "atom.xml": b"<feed xmlns='http://www.w3.org/2005/Atom'><entry><title>Tides</title>"
    b"<link rel='self' href='https://x.example/'/><link href='https://tides.example/'/></entry></feed>",
}


@pytest.mark.parametrize("name", LISTS)
def test_a_list_of_links_is_a_source_whatever_form_it_has(share, keeper, name):
    put(share, name, LISTS[name])
    binder = f.a_binder("Web", keeper)
    source = actions.create_source(
        name="Links", kind="links", place=f"papers/{name}", binder=binder, by=keeper, rights="play"
    )
    module = items(looked(source))["https://tides.example/"].module
    assert (module.kind, module.title, module.rights) == ("link", "Tides", "play")
    assert Module.objects.count() == 1
    if name == "links.csv":
        assert ["twice" in p or "is no web address" in p for p in source.problems] == [True, True]
    put(share, name, LISTS[name].replace(b"Tides", b"Tides today"))
    looked(source)
    module.refresh_from_db()
    assert module.title == "Tides today"


@pytest.mark.parametrize(
    ("name", "body", "said"),
    [
        (
            "bomb.xml",
            b'<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><rss>&b;</rss>',
            "neither an outline nor a feed",
        ),
        ("none.csv", b"Title,Minutes\nTides,4\n", "No column has the addresses"),
        ("empty.opml", b"<opml/>", "has no links in it"),
    ],
)
def test_what_is_no_list_of_links_says_so(share, keeper, name, body, said):
    put(share, name, body)
    source = actions.create_source(name="Links", kind="links", place=f"papers/{name}", binder=f.a_binder(), by=keeper)
    assert said in looked(source).trouble


def test_an_address_is_asked_only_where_the_settings_allow_it(share, keeper):
    source = actions.create_source(
        name="Feed", kind="links", place="https://tides.example/", binder=f.a_binder(), by=keeper
    )
    assert "do not let this server ask the web" in looked(source).trouble


def test_the_form_of_a_source_says_what_is_wrong_with_its_place(share, keeper, client):
    client.force_login(keeper)
    put(share, "links.csv", LISTS["links.csv"])
    form = {
        "name": "Papers",
        "kind": "folder",
        "binder": str(f.a_binder("Deck", keeper).pk),
        "rights": "keep",
        "sheet": "a/b.csv",
    }
    for place, said in (
        ("gone", "There is no “gone”"),
        ("papers/links.csv", "That is a file"),
        ("../..", "There is no"),
    ):
        page = client.post(reverse("sources:new"), form | {"place": place})
        assert page.status_code == 422
        assert said in page.content.decode()
        assert "give its name alone" in page.content.decode()
    client.post(reverse("sources:new"), form | {"place": "papers", "sheet": "about.csv"})
    source = Source.objects.get()
    url = reverse("sources:edit", args=[source.public_id])
    sent = form | {"place": "papers", "sheet": "", "tags": "deck, Fire", "revision": source.revision}
    assert client.post(url, sent).status_code == 200
    assert Source.objects.get().tags == "deck, fire"
    assert client.post(url, sent).status_code == 409
    client.force_login(f.an_account("author", name="Somebody"))
    assert client.get(reverse("sources:sources")).status_code == 403


def test_a_source_says_who_uses_what_comes_and_has_a_picture_of_its_own_and_the_grid_its_name(
    source, share, client, keeper
):
    put(share, "fog.md", "# In fog\n\nSlow down.")
    looked(source)
    client.force_login(keeper)
    set_access(binder=source.binder, co_editors=[], is_shared=False, used_by=None, by=keeper)
    set_seen_by(binder=source.binder, is_open=True, seen_by=None, by=keeper)
    sent = {"picture": SimpleUploadedFile("own.png", files.a_picture())}
    assert client.post(reverse("sources:picture", args=[source.public_id]), sent).status_code == 302
    page = client.get(reverse("sources:source", args=[source.public_id]))
    assert f"Kept by {keeper.name}, for its editors alone to use; every author sees it" in page_text(page)
    source.refresh_from_db()
    assert reverse("library:own_picture", args=[source.picture]) in page.content.decode()
    grid = client.get(reverse("library:grid_file")).getvalue().decode("utf-8-sig").splitlines()
    assert [line.rsplit(",", 1)[1] for line in grid] == ["Source", "Papers"]


def test_a_folder_of_many_files_is_taken_in_as_many_looks_each_file_read_once_and_what_moved_first(
    source, share, monkeypatch
):
    put(share, "zebra.md", "# Zebra\n\nThe last by name, and of a length that no other has.")
    looked(source)
    module = Module.objects.get()
    (share / "zebra.md").rename(share / "zoo.md")
    for n in range(5):
        put(share, f"paper {n}.md", f"# Paper {n}")
    read = []
    whole = walking.digest_of
    monkeypatch.setattr(walking, "digest_of", lambda path, *more: read.append(path.name) or whole(path, *more))
    monkeypatch.setattr(looking, "MOST_AT_ONCE", 2)
    source.refresh_from_db()
    looks = 1
    while look(source):
        looks += 1
    settle(source)
    assert (looks, len(read), read[0]) == (3, 6, "zoo.md")
    assert source.items.get(path="zoo.md").module == module
    assert source.items.filter(is_missing=False).count() == 6
