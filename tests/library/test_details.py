"""Details of modules: read from texts, set for many at once, in tables; topics; titles that are unlike."""

import json

import pytest
from django.urls import reverse

from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.library import actions, bringing, details, editing, grid, sorting
from stepladder.library.errors import TitleTaken
from stepladder.library.kinds import kind_named
from stepladder.library.models import DetailTable, Module
from stepladder.search import index
from stepladder.topics import actions as topics
from stepladder.topics.errors import TopicError
from stepladder.topics.models import Topic
from stepladder.topics.naming import topic_names
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def author(organisation, client):
    author = f.an_account("author")
    client.force_login(author)
    return author


@pytest.fixture
def deck(author):
    return f.a_binder("Deck", author)


@pytest.fixture
def fire(organisation):
    safety = topics.add_topic(name="Safety", by=f.BY)
    topics.add_topic(name="Mooring", by=f.BY)
    return topics.add_topic(name="Fire", parent=safety, by=f.BY)


@pytest.mark.parametrize(
    ("name", "text", "value"),
    [
        ("title", "  Lines\n under load ", "Lines under load"),
        ("minutes", "12 min", 12),
        ("minutes", "", 0),
        ("language", "german", "de"),
        ("language", "EN", "en"),
        ("rights", "Editors only", "editors"),
        ("rights", "", "keep"),
        ("tags", "Fire; deck , fire", ["deck", "fire"]),
    ],
)
def test_a_detail_is_read_as_people_write_it(organisation, name, text, value):
    assert details.DETAILS[name].read(text, topic_names()) == value


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("title", " ", "A module has a title"),
        ("title", "x" * 201, "This has 201 letters; 200 is the most"),
        ("minutes", "an hour", "“an hour” is no number of minutes"),
        ("minutes", "9" * 400, "is no number of minutes"),
        ("language", "Englisch", "Did you mean “English”?"),
        ("rights", "mine", "is no right. Write one of “play and keep”"),
        ("tags", "x" * 41, "too long for a tag"),
        ("topics", "Fires", "There is no topic “Fires”. Did you mean “Safety › Fire”?"),
    ],
)
def test_what_is_no_detail_is_refused_with_what_can_be_written(fire, name, text, said):
    with pytest.raises(details.DetailUnread, match=said.replace("?", r"\?")):
        details.DETAILS[name].read(text, topic_names())


def test_topics_have_two_levels_and_what_carries_one_that_goes_carries_another(fire, deck):
    safety, mooring = fire.parent, Topic.objects.get(name="Mooring")
    assert list(topic_names().words.values()) == ["Mooring", "Safety", "Safety › Fire"]
    for act, said in (
        (lambda: topics.add_topic(name="Small fires", parent=fire, by=f.BY), "two levels"),
        (lambda: topics.move_topic(topic=safety, parent=mooring, by=f.BY), "below “Safety”"),
        (lambda: topics.add_topic(name="fire", parent=safety, by=f.BY), "there already"),
        (lambda: topics.add_topic(name="Fire/flood", by=f.BY), "none of"),
        (lambda: topics.remove_topic(topic=safety, by=f.BY), "below “Safety”"),
    ):
        with pytest.raises(TopicError, match=said):
            act()
    lines, knots = f.a_module("Lines", binder=deck), f.a_module("Knots", binder=deck)
    editing.edit_module(module=lines, revision=None, topics=[fire.public_id], by=f.BY)
    editing.edit_module(module=knots, revision=None, topics=[fire.public_id, mooring.public_id], by=f.BY)
    with pytest.raises(TopicError, match="2 things carry “Fire”"):
        topics.remove_topic(topic=fire, by=f.BY)
    topics.remove_topic(topic=fire, instead=mooring, by=f.BY)
    assert [module.topics.get() for module in (lines, knots)] == [mooring, mooring]


def test_modules_are_found_by_topic_language_and_right(fire, deck, client):
    lines, knots = f.a_module("Lines", binder=deck), f.a_module("Knots", binder=deck)
    editing.edit_module(module=lines, revision=None, topics=[fire.public_id], language="de", rights="play", by=f.BY)
    shown = {
        "topic": fire.parent.public_id,
        "language": "de",
        "rights": "play",
        "q": "safety",
    }
    for name, value in shown.items():
        assert [r.module for r in client.get(reverse("library:home"), {name: value}).context["rows"]] == [lines], name
    assert client.get(reverse("library:home"), {"rights": "keep"}).context["rows"][0].module == knots
    topics.rename_topic(topic=fire, name="Flames", by=f.BY)
    assert index.rank("module", "flames", Module.objects.all(), order=["title"]).total == 1


def test_what_only_editors_may_use_no_other_author_sees(deck, client):
    lines = f.a_module("Lines", binder=deck)
    editing.edit_module(module=lines, revision=None, rights="editors", by=f.BY)
    assert client.get(reverse("library:module", args=[lines.public_id])).status_code == 200
    client.force_login(f.an_account("author", name="Somebody Else"))
    assert client.get(reverse("library:module", args=[lines.public_id])).status_code == 404
    assert client.get(reverse("library:home")).context["page"].total == 0


def test_titles_in_a_binder_are_unlike_whatever_makes_them(deck, client):
    lines, knots = f.a_module("Lines", binder=deck), f.a_module("Knots", binder=deck)
    form = {"revision": knots.revision, "title": "LÍNES", "description": "", "minutes": "1", "tags": ""}
    answer = client.post(reverse("library:edit_module", args=[knots.public_id]), form)
    assert answer.status_code == 422
    said = json.loads(answer.headers["HX-Trigger"])["sheet:errors"]["title"]
    assert "There is a module “LÍNES” in the binder “Deck” already" in said
    with pytest.raises(TitleTaken):
        editing.edit_modules(changes=[(lines, {"title": "One"}), (knots, {"title": "one"})], by=f.BY)
    # Two may change places.
    editing.edit_modules(changes=[(lines, {"title": "Knots"}), (knots, {"title": "Lines"})], by=f.BY)
    other = f.a_module("Knots", binder=f.a_binder("Galley", deck.owner))
    assert sorting.move_modules(modules=[other], to=deck, by=f.BY).passed_over
    assert actions.create_draft(binder=deck, kind=kind_named("session"), title="Knots", by=f.BY).title == "Knots (2)"


def test_one_detail_of_many_is_set_and_titles_follow_a_pattern_and_both_are_taken_back(deck, client):
    some = [f.a_module(title, binder=deck) for title in ("Knots", "Lines {n}")]
    form = {"chosen": [m.public_id for m in some], "do": "set"}
    client.post(reverse("library:many"), form | {"detail": "minutes", "value": "7"})
    said = page_text(
        client.post(reverse("library:many"), form | {"detail": "title", "value": "{n} {title}"}, follow=True)
    )
    assert "2 modules are given other title: {n} {title}." in said
    assert sorted(Module.objects.values_list("title", "minutes")) == [("1 Knots", 7), ("2 Lines {n}", 7)]
    refused = page_text(client.post(reverse("library:many"), form | {"detail": "title", "value": "Same"}, follow=True))
    assert "Titles in a binder are unlike" in refused
    for entry in Entry.objects.filter(verb="edit_modules").order_by("-number"):
        undoing.take_back(entry, by=f.BY)
    assert sorted(Module.objects.values_list("title", "minutes", "edited")) == [
        ("Knots", 10, []),
        ("Lines {n}", 10, []),
    ]


def test_cells_are_saved_apart_and_a_newer_change_is_not_written_over_unseen(deck, author):
    lines, knots = f.a_module("Lines", binder=deck), f.a_module("Knots", binder=deck)
    editing.edit_module(module=knots, revision=None, minutes=25, by=f.BY)
    saved = grid.save_cells(
        [
            grid.Cell(lines.public_id, "minutes", "12", "10"),
            grid.Cell(lines.public_id, "title", "Knots", "Lines"),
            grid.Cell(knots.public_id, "minutes", "30", "10"),
            grid.Cell("gone", "title", "x", ""),
        ],
        by=author,
    )
    assert [(cell.detail, cell.text) for cell in saved.kept] == [("minutes", "12")]
    assert {(w.module, w.detail): w.kept for w in saved.wrong} == {
        ("gone", "title"): "",
        (knots.public_id, "minutes"): "25",
        (lines.public_id, "title"): "Lines",
    }
    # Seen, and wanted all the same.
    assert grid.save_cells([grid.Cell(knots.public_id, "minutes", "30", "25")], by=author).kept
    other = f.an_account("author", name="Somebody Else")
    assert not grid.save_cells([grid.Cell(knots.public_id, "minutes", "1", "30")], by=other).kept


def a_table(author, text):
    table = bringing.keep_table(file_name="edited.csv", body=text.encode(), by=author)
    bringing.look_through(table)
    return table


def test_a_table_says_what_it_would_change_and_what_in_it_is_wrong(deck, author):
    lines, knots = f.a_module("Lines", binder=deck), f.a_module("Knots", binder=deck)
    f.a_module("Elsewhere", binder=f.a_binder("Galley", f.an_account("author", name="Other")))
    table = a_table(
        author,
        "Name,Mins,Mood,Id\n"
        f"Ropes,5,calm,{lines.public_id}\nRopes,8,calm,{knots.public_id}\nKnots,9,,{lines.public_id}\nElsewhere,3,,\nLines,,,\n,4,,\n",
    )
    assert [(c["title"], c["values"]) for c in table.changes] == [
        ("Lines", {"title": "Ropes", "minutes": 5}),
        ("Knots", {"minutes": 8}),
    ]
    said = dict(table.problems)
    assert "there is a module “Ropes”" in said[3]
    assert "as row 2 is" in said[4]
    assert "no module “Elsewhere” that you can change" in said[5]
    assert "names no module" in said[7]
    assert [head for head, meaning in table.columns if not meaning] == ["Mood"]
    editing.edit_module(module=knots, revision=None, minutes=1, by=f.BY)
    bringing.set_changing(table=table, by=author)
    bringing.change_piece(table)
    lines.refresh_from_db()
    assert (lines.title, table.state) == ("Ropes", DetailTable.State.DONE)
    assert "“Knots” was changed by somebody since" in table.problems[-1][1]
    bringing.set_returning(table=table, by=author)
    bringing.return_piece(table)
    lines.refresh_from_db()
    assert (lines.title, lines.minutes, table.state) == ("Lines", 10, DetailTable.State.RETURNED)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("Mood,Minutes\ncalm,5\n", "No column says which module"),
        ("", "The file is empty"),
        ("a\x00b", "neither CSV nor XLSX"),
    ],
)
def test_what_is_no_table_of_modules_is_refused_in_words(author, text, said):
    table = a_table(author, text)
    assert (table.state, said in table.trouble) == (DetailTable.State.REFUSED, True)
