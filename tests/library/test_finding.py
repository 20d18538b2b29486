"""Finding modules: by words anywhere inside, with the place; by a sentence of filters, asked within the search. Rule: 14."""

import random
from datetime import timedelta

import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.core.finding import score, words_of
from stepladder.library import editing
from stepladder.library.finding import Filters, FoundModules, find
from stepladder.library.models import KeptSearch, Module, ModuleMark, Passage, Tag
from stepladder.search import index
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def author(organisation, client):
    account = f.an_account("author")
    client.force_login(account)
    return account


def a_document(title, *pages, tags=(), description="", **more):
    module = f.a_module(title, **more)
    version = module.versions.get()
    for number, text in enumerate(pages, 1):
        Passage.objects.create(version=version, place=number, text=text)
    Module.objects.filter(pk=module.pk).update(description=description)
    module.tags.set([Tag.objects.get_or_create(name=name)[0] for name in tags])
    index.refresh("module", (module.pk,))
    return module


def found(account, text, **asked):
    rows = find(account, Filters(text=text, **asked))
    assert isinstance(rows, FoundModules)
    return [row.module.title for row in rows]


def test_the_strongest_field_ranks_first_and_the_place_inside_is_named_and_opened(author, client):
    a_document("Galley handbook", "Wash hands", "Close the vents before the fire spreads")
    a_document("Doors", tags=["vents"])
    a_document("Vents and fans")
    a_document("Drills", description="With vents.")
    assert found(author, "VENTS") == ["Vents and fans", "Doors", "Drills", "Galley handbook"]
    page = page_text(client.get(reverse("library:home"), {"q": "vents fire"}))
    assert "Galley handbook" in page
    assert "page 2</a> Close the vents before the fire spreads" in page
    opened = page.split('<span class="hit small"><a href="')[1].split('"')[0]
    assert client.get(opened).context["at"] == 2


def test_what_is_mistyped_is_found_by_near_words_and_said(author, client):
    a_document("Survival at sea")
    assert found(author, "survivla") == ["Survival at sea"]
    assert "Nothing has the word “survivla”; these have “survival”." in page_text(
        client.get(reverse("library:home"), {"q": "survivla"})
    )
    assert found(author, "survi") == ["Survival at sea"]
    assert found(author, "xylophone") == []


def test_a_word_that_only_others_may_find_finds_nothing_and_is_near_to_what_one_may(author):
    closed = f.a_binder("Yard", f.an_account("author"), is_shared=False)
    a_document("Secret", "vents", binder=closed)
    a_document("Open", "events")
    assert found(author, "vents") == ["Open"]


def test_the_search_ranks_as_the_core_says(author):
    """Of many things made by chance: the same things, with the same scores."""
    dice = random.Random(7)
    words = ["fire", "vents", "line", "muster", "alarm", "deck", "boat", "Öl"]
    some = lambda most: " ".join(dice.choices(words, k=dice.randint(0, most)))  # noqa: E731
    things = {}
    for number in range(40):
        fields = {"title": f"T{number} {some(2)}", "tags": some(2), "description": some(2), "text": some(6)}
        module = a_document(
            fields["title"], fields["text"], tags=set(fields["tags"].lower().split()), description=fields["description"]
        )
        things[module.pk] = fields
    for asked in ("fire", "fire vents", "ol line", "muster alarm deck"):
        expected = {key: s for key, fields in things.items() if (s := score(words_of(asked), fields)) is not None}
        ranking = index.rank("module", asked, Module.objects.all(), order=["title"], limit=100)
        assert {row.key: row.score for row in ranking.rows} == expected
        assert ranking.total == len(expected)
        assert [row.score for row in ranking.rows] == sorted(expected.values(), reverse=True)


def test_filters_are_asked_within_the_search(author, on):
    mine = f.a_binder("Deck", author)
    on("2026-01-10")
    old = a_document("Vents, old", binder=mine)
    on("2026-05-14")
    a_document("Vents, a film", binder=mine, kind="video")
    used = a_document("Vents, used", binder=mine)
    f.a_course("Fire", [used])
    theirs = a_document("Vents, of others", binder=f.a_binder("Galley", f.an_account("author")))
    Module.objects.filter(pk=theirs.pk).update(minutes=90)
    ModuleMark.objects.create(account=author, module=old, made_at=clock.now() - timedelta(days=40))
    assert found(author, "vents", kind="video") == ["Vents, a film"]
    assert found(author, "vents", length="240") == ["Vents, of others"]
    assert found(author, "vents", whose="others") == ["Vents, of others"]
    assert found(author, "vents", whose="unused") == ["Vents, a film", "Vents, of others", "Vents, old"]
    assert found(author, "vents", whose="marked") == ["Vents, old"]
    assert found(author, "vents", whose="marked", age="31") == []
    assert found(author, "vents", age="31") == ["Vents, a film", "Vents, of others", "Vents, used"]
    editing.edit_module(module=old, revision=None, title="Vents!", description="", minutes=3, tags=[], by=author)
    assert found(author, "vents", whose="touched", age="7") == ["Vents!"]


def test_pages_of_hits_cost_the_same_however_many_there_are(author, django_assert_max_num_queries):
    for number in range(60):
        a_document(f"Vents {number}", "vents")
    rows = find(author, Filters(text="vents"))
    with django_assert_max_num_queries(12):
        assert len(rows) == 60
        assert len(rows[:50]) == 50


def test_a_search_is_kept_in_the_index_of_who_keeps_it(author, client):
    f.a_module("Lines", binder=f.a_binder("Deck", author))
    address = reverse("library:home") + "?q=lines&kind=document&page=3"
    keep = {"name": " My  lines ", "query": "q=lines&kind=document&page=3", "back": address}
    assert client.post(reverse("library:change_kept"), keep).url == address
    page = page_text(client.get(reverse("library:home")))
    assert "?q=lines&amp;kind=document" in page
    assert "My lines" in page
    kept = KeptSearch.objects.get()
    other = f.an_account("author", name="Somebody Else")
    client.force_login(other)
    assert "My lines" not in page_text(client.get(reverse("library:home")))
    client.post(reverse("library:change_kept"), {"drop": kept.pk})
    assert KeptSearch.objects.exists()
    client.post(reverse("library:change_kept"), {"name": "Empty", "query": "page=2"})
    assert not KeptSearch.objects.filter(account=other).exists()
    client.force_login(author)
    client.post(reverse("library:change_kept"), {"drop": kept.pk})
    assert not KeptSearch.objects.exists()
