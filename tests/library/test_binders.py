"""Binders: made, shared, edited by two at once; and the modules in them."""

import pytest
from django.core.exceptions import PermissionDenied
from django.urls import reverse

from stepladder.courses.queries import pickable
from stepladder.journal.models import Entry
from stepladder.journal.undoing import obstacles
from stepladder.library import copying, sorting
from stepladder.library.finding import Filters, modules_of
from stepladder.library.models import Binder, Module
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def author(organisation, media, client, on):
    on("2026-05-14")
    account = f.an_account("author", name="Ola Brandt")
    client.force_login(account)
    return account


def titles(client, **query):
    page = client.get(reverse("library:home"), query)
    return [row.module.title for row in page.context["rows"]]


def test_who_makes_a_binder_owns_it_and_it_needs_a_name(author, client):
    url = reverse("library:new_binder")
    answer = client.post(url, {"name": " ", "is_shared": "on"})
    assert answer.status_code == 422
    assert "This field is required." in answer.content.decode()
    answer = client.post(url, {"name": "Deck", "is_shared": "on"})
    binder = Binder.objects.get()
    assert answer.url == reverse("library:binder", args=[binder.public_id])
    assert (binder.owner, binder.is_shared) == (author, True)
    page = client.get(answer.url).content.decode()
    assert "Drop files or whole folders here" in page
    assert "made the binder" in page


def test_two_people_who_save_one_binder_see_both_versions_side_by_side(author, client):
    binder = f.a_binder("Deck", author)
    url = reverse("library:edit_binder", args=[binder.public_id])
    opened = {"revision": binder.revision, "is_shared": "on"}
    assert client.post(url, opened | {"name": "Deck and lines"}).status_code == 200
    answer = client.post(url, opened | {"name": "Deck work"})
    page = page_text(answer)
    assert answer.status_code == 409
    assert "<b>Not saved.</b> Ola Brandt changed this sheet in the meantime." in page
    assert "<td>Deck and lines</td><td>Deck work</td>" in page
    assert Binder.objects.get().name == "Deck and lines"
    # Knowing both, one may save one's own over it.
    assert client.post(url, opened | {"name": "Deck work", "overwrite": "1"}).status_code == 200
    assert Binder.objects.get().name == "Deck work"


def test_a_module_saved_by_two_names_only_the_fields_that_differ(author, client):
    module = f.a_module("Lines", binder=f.a_binder("Deck", author))
    url = reverse("library:edit_module", args=[module.public_id])
    opened = {"revision": module.revision, "title": "Lines", "description": "", "minutes": "10", "tags": "deck"}
    client.post(url, opened)
    page = client.post(url, opened | {"minutes": "25", "tags": "deck, winter"}).content.decode()
    assert "<td>10</td><td>25</td>" in page
    assert "<td>deck</td><td>deck, winter</td>" in page
    assert page.count("<tr>") == 3


def test_who_only_uses_a_binder_sees_its_modules_and_changes_nothing(author, client):
    binder = f.a_binder("Deck", f.an_account("author"))
    module = f.a_module("Lines", binder=binder)
    page = client.get(reverse("library:binder", args=[binder.public_id])).content.decode()
    assert "Lines" in page
    assert "Drop files or whole folders here" not in page
    page = client.get(reverse("library:module", args=[module.public_id])).content.decode()
    assert "Withdraw" not in page
    for name, public_id in (
        ("edit_binder", binder.public_id),
        ("edit_module", module.public_id),
        ("withdraw_module", module.public_id),
        ("captions", module.public_id),
    ):
        data = {"name": "Mine", "title": "Mine", "minutes": "1", "revision": "0"}
        answer = client.post(reverse(f"library:{name}", args=[public_id]), data)
        assert answer.status_code in (302, 403), name
    assert (Binder.objects.get().name, Module.objects.get().title) == ("Deck", "Lines")
    assert Module.objects.get().state == "released"
    assert not Entry.objects.filter(verb__in=["edit_binder", "edit_module", "withdraw_module"]).exists()


def test_a_binder_that_is_not_shared_is_there_for_its_editors_only(author, client):
    owner = f.an_account("author")
    closed = f.a_binder("Closed", owner, is_shared=False)
    f.a_module("Secret", binder=closed)
    url = reverse("library:binder", args=[closed.public_id])
    assert client.get(url).status_code == 404
    assert titles(client) == []
    closed.co_editors.add(author)
    assert client.get(url).status_code == 200
    assert titles(client) == ["Secret"]


def test_modules_are_found_by_words_tags_kind_and_state(author, client):
    deck, galley = f.a_binder("Deck", author), f.a_binder("Galley", author)
    lines = f.a_module("Lines under load", binder=deck)
    film = f.a_module("The first two minutes", kind="video", binder=deck)
    clean = f.a_module("Clean hands", binder=galley)
    url = reverse("library:edit_module", args=[film.public_id])
    client.post(
        url, {"revision": film.revision, "title": film.title, "minutes": 1, "description": "Alarm", "tags": "fire"}
    )
    assert titles(client) == ["Clean hands", "Lines under load", "The first two minutes"]
    assert titles(client, q="lines LOAD") == ["Lines under load"]
    assert titles(client, q="fire") == ["The first two minutes"]
    assert titles(client, q="alarm") == ["The first two minutes"]
    assert titles(client, tag="fire", kind="video") == ["The first two minutes"]
    assert titles(client, kind="package") == []
    assert set(modules_of(author, Filters(binder=galley))) == {clean}
    client.post(reverse("library:withdraw_module", args=[lines.public_id]))
    assert "Lines under load" not in titles(client)
    assert titles(client, state="withdrawn") == ["Lines under load"]
    client.post(reverse("library:release_module", args=[lines.public_id]))
    assert "Lines under load" in titles(client, sort="-changed")


def test_the_file_as_it_came_is_handed_back_under_its_name_and_never_shown_here(author, client, tmp_path):
    from stepladder.library import storage

    module = f.a_module("Lines", binder=f.a_binder("Deck", author))
    path = tmp_path / "lines.pdf"
    path.write_bytes(b"%PDF-1.7 made up")
    version = module.versions.get()
    version.original, version.file_name = storage.keep(path, "application/pdf"), "Lines – a “draft”.pdf"
    version.save()
    answer = client.get(reverse("library:original", args=[module.public_id, 1]))
    assert b"".join(answer.streaming_content) == b"%PDF-1.7 made up"
    assert answer.headers["Content-Disposition"].startswith("attachment;")
    for close in answer._resource_closers:
        close()
    assert client.get(reverse("library:original", args=[module.public_id, 2])).status_code == 404
    assert client.get(reverse("library:still", args=[module.public_id])).status_code == 404


def test_the_list_asks_as_much_for_many_modules_as_for_few(author, client, django_assert_max_num_queries):
    binder = f.a_binder("Deck", author)
    for n in range(4):
        f.a_module(f"Module {n}", binder=binder)
    with django_assert_max_num_queries(30) as few:
        titles(client)
    for n in range(40):
        f.a_module(f"Another {n}", binder=binder)
    with django_assert_max_num_queries(len(few.captured_queries)):
        assert len(titles(client)) == 44


def ticked(client, *modules, **asked):
    return client.post(reverse("library:many"), {"chosen": [m.public_id for m in modules], **asked}, follow=True)


def test_many_modules_are_moved_tagged_and_withdrawn_at_once_and_taken_back(author, client):
    deck, bridge = f.a_binder("Deck", author), f.a_binder("Bridge", author)
    lines, knots = f.a_module("Lines", binder=deck), f.a_module("Knots", binder=deck)
    page = ticked(client, lines, knots, do="move", to=bridge.public_id, back=f"/library/binders/{deck.public_id}/")
    assert page.redirect_chain[0][0] == f"/library/binders/{deck.public_id}/"
    assert "2 modules are moved to “Bridge”." in page_text(page)
    assert {m.binder for m in Module.objects.all()} == {bridge}
    ticked(client, lines, knots, do="tag", tag=" Mooring ")
    assert titles(client, tag="mooring") == ["Knots", "Lines"]
    ticked(client, knots, do="untag", tag="mooring")
    assert titles(client, tag="mooring") == ["Lines"]
    # One that a released course has as a step is passed over, and said; the other goes.
    f.a_course("Mooring lines", [lines])
    page = page_text(ticked(client, lines, knots, do="withdraw"))
    assert "1 module is withdrawn. “Lines” is a step of “Mooring lines”." in page
    assert titles(client) == ["Lines"]
    acts = list(Entry.objects.filter(verb="sort_modules").order_by("number"))
    assert obstacles(acts[0]) == ["“Knots” was changed since.", "“Lines” was changed since."]
    for act in reversed(acts):
        client.post(reverse("records:take_back", args=[act.number]))
    assert {(m.title, m.binder.name, m.state, m.tags.count()) for m in Module.objects.all()} == {
        ("Lines", "Deck", "released", 0),
        ("Knots", "Deck", "released", 0),
    }


def test_what_is_not_ones_own_is_neither_ticked_nor_changed(author, client):
    theirs = f.a_module("Radar", binder=f.a_binder("Bridge", f.an_account("administrator")))
    mine = f.a_binder("Deck", author)
    page = client.get(reverse("library:home"))
    assert page.context["editable"] == [mine]
    assert "Choose Radar" not in page_text(page)
    assert "Nothing was done" in page_text(ticked(client, theirs, do="move", to=mine.public_id))
    with pytest.raises(PermissionDenied):
        sorting.tag_modules(modules=[theirs], name="deck", by=author)
    assert Module.objects.get().binder.name == "Bridge"
    assert "Write the tag first." in page_text(ticked(client, f.a_module("Lines", binder=mine), do="tag"))


def test_a_binder_is_used_by_whom_its_access_says_and_changed_by_its_co_editors(author, client):
    binder = f.a_binder("Deck", author)
    module = f.a_module("Lines", binder=binder)
    aboard, ashore = (
        f.an_account("author", name=name, person=f.a_person(name, unit=unit))
        for name, unit in (("Ada Venn", "Dunlin"), ("Bo Lund", "Shore"))
    )
    page = reverse("library:access", args=[binder.public_id])
    reach = {"who": "reach", "g0-unit": f.a_unit("Dunlin").pk, "g0-mode": "all", "g0-below": "1", "parts": "1"}
    assert client.post(page, reach).status_code == 302

    def uses(account):
        client.force_login(account)
        seen = client.get(reverse("library:module", args=[module.public_id])).status_code == 200
        assert (client.get(reverse("library:home")).context["page"].total == 1) == seen
        return seen

    assert [uses(aboard), uses(ashore)] == [True, False]
    client.force_login(author)
    assert "for some authors to use" in page_text(client.get(reverse("library:binder", args=[binder.public_id])))
    assert client.post(page, {"who": "none", "co_editors": [ashore.pk]}).status_code == 302
    assert [uses(aboard), uses(ashore)] == [False, True]
    edit = reverse("library:edit_module", args=[module.public_id])
    form = {"revision": module.revision, "title": "Ropes", "description": "", "minutes": "1", "tags": ""}
    assert client.post(edit, form).status_code == 200
    client.force_login(aboard)
    assert client.get(page).status_code == 404
    client.force_login(author)
    refused = client.post(page, {"who": "reach", "parts": "1", "g0-mode": "all"})
    assert refused.status_code == 422


def test_who_sees_a_binder_finds_and_reads_its_modules_and_uses_none(author, client):
    """In no course, not played, not kept: what is refused is refused on the server, and the sheet says whom to ask."""
    binder = f.a_binder("Deck", author, is_shared=False)
    module = f.a_module("Lines", binder=binder)
    other = f.an_account("author", name="Ada Venn", person=f.a_person("Ada Venn", unit="Dunlin"))
    page = reverse("library:seen_by", args=[binder.public_id])
    reach = {"who": "reach", "g0-unit": f.a_unit("Dunlin").pk, "g0-mode": "all", "g0-below": "1", "parts": "1"}
    assert client.post(page, reach).status_code == 302
    assert "some others see it" in page_text(client.get(reverse("library:binder", args=[binder.public_id])))
    client.force_login(other)
    assert titles(client) == ["Lines"]
    assert client.get(reverse("library:home"), {"whose": "others"}).context["page"].total == 0
    sheet = reverse("library:module", args=[module.public_id])
    said = page_text(client.get(sheet))
    assert f"You see this module and do not use it: {author.name}" in said
    assert "Try it" not in said
    # One's own mark, to find it again, is no use of it.
    client.post(reverse("library:mark", args=[module.public_id]), {"do": "mark"})
    assert titles(client, whose="marked") == ["Lines"]
    client.post(reverse("library:mark", args=[module.public_id]), {"do": "unmark"})
    assert titles(client, whose="marked") == []
    assert client.get(reverse("playing:try_module", args=[module.public_id])).url == sheet
    assert client.get(reverse("library:original", args=[module.public_id, 1])).status_code == 404
    assert pickable(other, f.a_draft("Ropes", [], binder=f.a_binder("Mine", other)), text="Lines", kind="") == []
    with pytest.raises(PermissionDenied):
        copying.copy_modules(modules=[module], to=f.a_binder("Mine", other), by=other)
    client.force_login(author)
    assert client.post(page, {"who": "none"}).status_code == 302
    client.force_login(other)
    assert client.get(sheet).status_code == 404
