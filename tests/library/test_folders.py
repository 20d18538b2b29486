"""Folders of a binder; copies; what is deleted rests and is fetched back."""

import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.learning.actions import begin_step
from stepladder.library import copying, folders, sorting, storage, tidying
from stepladder.library.errors import LibraryError
from stepladder.library.models import Folder, Module, ModuleVersion, Passage, StoredFile
from stepladder.refusals import NameThere
from stepladder.search import index
from tests import factories as f
from tests.playing.packages import a_package, place
from tests.reading import page_text


@pytest.fixture
def deck(organisation, client):
    """A binder of an author who is signed in."""
    author = f.an_account("author")
    client.force_login(author)
    return f.a_binder("Deck", author)


def ticked(client, *modules, **more):
    return client.post(reverse("library:many"), {"chosen": [m.public_id for m in modules], **more}, follow=True)


def new_folder(client, binder, name, inside=None):
    data = {"name": name, "in": inside.public_id if inside else ""}
    client.post(reverse("library:new_folder", args=[binder.public_id]), data)
    return Folder.objects.filter(name=name).last()


def test_modules_lie_in_folders_and_what_is_asked_is_looked_for_in_all_of_the_binder(deck, client):
    mooring = new_folder(client, deck, "Mooring")
    lines = new_folder(client, deck, "Lines", mooring)
    knots, drill = f.a_module("Knots", binder=deck), f.a_module("Drill", binder=deck)
    said = ticked(client, knots, do="move", to=f"{deck.public_id}/{lines.public_id}")
    assert "1 module is moved to “Deck › Mooring › Lines”." in page_text(said)
    top = reverse("library:binder", args=[deck.public_id])
    page = client.get(top)
    assert [row.module for row in page.context["rows"]] == [drill]
    assert [node.folder.name for node in page.context["inner"]] == ["Mooring"]
    inner = client.get(reverse("library:folder", args=[deck.public_id, lines.public_id]))
    assert [row.module for row in inner.context["rows"]] == [knots]
    assert [one.name for one in inner.context["trail"]] == ["Mooring", "Lines"]
    assert [row.module for row in client.get(top, {"q": "knots"}).context["rows"]] == [knots]


def test_names_beside_each_other_differ_and_nothing_goes_into_itself(deck, client):
    mooring = new_folder(client, deck, "Mooring")
    lines = new_folder(client, deck, "Lines", mooring)
    with pytest.raises(NameThere, match="There is “Mooring” already"):
        folders.make_folder(binder=deck, parent=None, name=" Mooring ", by=f.BY)
    with pytest.raises(LibraryError, match="“Mooring” cannot be moved into itself"):
        folders.move_folder(folder=mooring, binder=deck, parent=lines, by=f.BY)
    with pytest.raises(LibraryError, match="Folders go 12 deep at most"):
        folders.make_folder(
            binder=deck,
            parent=folders.folder_at(binder=deck, parent=None, names=["a"] * 20, by=f.BY),
            name="b",
            by=f.BY,
        )
    with pytest.raises(LibraryError, match="“Mooring” still holds a folder"):
        folders.remove_folder(folder=mooring, by=f.BY)
    folders.remove_folder(folder=lines, by=f.BY)
    folders.remove_folder(folder=mooring, by=f.BY)
    assert not Folder.objects.filter(name="Mooring").exists()


def test_a_folder_moves_to_another_binder_with_all_that_is_in_it(deck, client):
    galley = f.a_binder("Galley", deck.owner)
    mooring = new_folder(client, deck, "Mooring")
    lines = new_folder(client, deck, "Lines", mooring)
    knots = f.a_module("Knots", binder=deck)
    Module.objects.filter(pk=knots.pk).update(folder=lines)
    change = reverse("library:change_folder", args=[deck.public_id, mooring.public_id])
    client.post(change, {"do": "move", "to": galley.public_id})
    knots.refresh_from_db()
    lines.refresh_from_db()
    assert (knots.binder, knots.folder, lines.binder, lines.parent) == (galley, lines, galley, mooring)
    # Somebody else's binder is no place to move to.
    other = f.a_binder("Yard", f.an_account("author"))
    change = reverse("library:change_folder", args=[galley.public_id, mooring.public_id])
    assert "Choose where it goes first." in page_text(
        client.post(change, {"do": "move", "to": other.public_id}, follow=True)
    )


def test_a_move_into_a_folder_is_taken_back(deck, client):
    mooring = new_folder(client, deck, "Mooring")
    knots = f.a_module("Knots", binder=deck)
    sorting.move_modules(modules=[knots], to=deck, folder=mooring, by=deck.owner)
    undoing.take_back(Entry.objects.get(verb="sort_modules"), by=deck.owner)
    knots.refresh_from_db()
    assert knots.folder is None


def test_what_is_deleted_rests_is_not_found_and_comes_back(deck, client):
    knots = f.a_module("Knots", binder=deck)
    used = f.a_module("Drill", binder=deck)
    f.a_draft("Fire", [used])
    said = page_text(ticked(client, knots, used, do="delete"))
    assert "1 module is deleted." in said
    assert "“Drill” is a step of “a draft”." in said
    assert index.find(deck.owner, "knots") == []
    top = reverse("library:binder", args=[deck.public_id])
    assert [row.module for row in client.get(top).context["rows"]] == [used]
    assert [row.module for row in client.get(top, {"state": "deleted"}).context["rows"]] == [knots]
    ticked(client, knots, do="fetch")
    knots.refresh_from_db()
    assert (knots.state, knots.deleted_at) == ("released", None)
    assert len(index.find(deck.owner, "knots")) == 1


def test_after_thirty_days_it_is_gone_with_its_files_and_what_was_learnt_from_it_stays(
    deck, media, tmp_path, on, django_capture_on_commit_callbacks
):
    on("2026-05-14")
    package = a_package(tmp_path, "Old")
    version = package.versions.get()
    Passage.objects.create(version=version, place=1, text="x")
    learnt = f.a_module("Learnt", binder=deck)
    sorting.delete_modules(modules=[package], by=f.BY)
    kept = f.a_module("Kept", binder=deck)
    ModuleVersion.objects.filter(module=kept).update(original=version.original)
    begin_step(enrolment=place(f.a_person("Jun Pellam"), [learnt]), step=learnt.steps.get(), by=f.BY)
    Module.objects.filter(pk=learnt.pk).update(state="deleted", deleted_at=clock.now())
    on("2026-06-13")
    tidying.empty_rest.call()
    assert Module.objects.filter(pk=package.pk).exists()
    on("2026-06-14")
    with django_capture_on_commit_callbacks(execute=True):
        tidying.empty_rest.call()
    assert [m.title for m in Module.objects.order_by("title")] == ["Kept", "Learnt"]
    learnt.refresh_from_db()
    assert learnt.state == "withdrawn"
    assert not (storage._root() / "packages" / version.public_id).exists()
    # Its original is another version's too.
    assert storage.file_of(StoredFile.objects.get()).exists()
    sorting.delete_modules(modules=[kept], by=f.BY)
    on("2026-07-20")
    tidying.empty_rest.call()
    assert not StoredFile.objects.exists()


def test_a_copy_has_all_that_its_module_has_and_goes_its_own_way(deck, client, media, tmp_path):
    package = a_package(tmp_path, "Fire")
    galley = f.a_binder("Galley", deck.owner)
    copying.copy_modules(modules=[package], to=galley, by=deck.owner)
    copy = Module.objects.get(binder=galley)
    files = {p.path for p in copy.versions.get().package_files.all()}
    assert (copy.title, files) == ("Fire", {p.path for p in package.versions.get().package_files.all()})
    assert sorted(p.name for p in storage.package_folder(copy.versions.get()).iterdir()) == sorted(
        p.name for p in storage.package_folder(package.versions.get()).iterdir()
    )
    copying.copy_modules(modules=[copy], to=galley, by=deck.owner)
    assert Module.objects.filter(title="Fire (copy)", binder=galley).exists()
    undoing.take_back(Entry.objects.filter(verb="copy_modules").latest("number"), by=deck.owner)
    assert Module.objects.get(title="Fire (copy)").state == "deleted"


def test_marks_are_ones_own(deck, client):
    knots = f.a_module("Knots", binder=deck)
    assert "1 module is marked." in page_text(ticked(client, knots, do="mark"))
    home = reverse("library:home")
    assert [row.module for row in client.get(home, {"whose": "marked"}).context["rows"]] == [knots]
    other = f.an_account("author")
    client.force_login(other)
    assert not client.get(home, {"whose": "marked"}).context["rows"]


def test_a_version_says_what_is_new_and_an_earlier_one_is_made_the_newest_again(deck, client, media, tmp_path):
    package = a_package(tmp_path, "Fire")
    version = package.versions.get()
    f.a_version(package, 2, {"scos": [], "standard": "scorm12"})
    change = reverse("library:change_version", args=[package.public_id, 1])
    said = page_text(client.post(change, {"do": "note", "note": "The first one"}, follow=True))
    assert 'value="The first one"' in said
    said = page_text(client.post(change, {"do": "restore"}, follow=True))
    assert "Version 3 is version 1 again. Released editions keep theirs." in said
    newest = package.versions.get(number=3)
    assert (newest.data, newest.note) == (version.data, "Version 1 again")
    assert newest.package_files.count() == version.package_files.count() > 0
    again = reverse("library:change_version", args=[package.public_id, 3])
    assert "Version 3 is the newest already." in page_text(client.post(again, {"do": "restore"}, follow=True))
