"""What can be put into a path: courses and modules by themselves, by kind, topic, length and level."""

from __future__ import annotations

import pytest
from django.urls import reverse

from stepladder.core.admission import Admission
from stepladder.courses import paths
from stepladder.courses.offers import offer_alone, set_offer
from stepladder.courses.path_sheet import ChoiceFilters, choices
from stepladder.courses.topics import set_topics
from stepladder.library.models import Module
from stepladder.topics.actions import add_topic
from tests import factories as f
from tests.reading import page_text

pytestmark = pytest.mark.django_db


def test_the_picker_is_narrowed_by_kind_topic_length_and_level(organisation, client, on):
    on("2027-03-01")
    admin = f.an_account("administrator")
    short, long = f.a_course("Short"), f.a_course("Long", [f.a_module(f"Part {n}") for n in range(5)])
    alone = offer_alone(module=f.a_module("The film", kind="video"), by=f.BY)
    deck = add_topic(name="Deck", by=f.BY)
    knots = add_topic(name="Knots", parent=deck, by=f.BY)
    set_topics(of=long, topics=[knots.public_id], by=f.BY)
    set_offer(
        of=short,
        admission=Admission.OPEN,
        found_by=None,
        wish_days=None,
        level="expert",
        language="",
        contact=None,
        by=f.BY,
    )
    path = paths.create_path(title="First days", binder=f.a_binder(), by=f.BY)
    paths.change_stages(path=path, stages=[paths.StagePlan("One", "go on", None, [long.pk])], by=f.BY)

    def found(**asked):
        return [
            (row.course.title, row.kind, row.minutes, row.stage)
            for row in choices(admin, path, ChoiceFilters.of(asked))
        ]

    film = ("The film", "video", 10, None)
    assert found() == [("Long", "course", 50, 1), ("Short", "course", 10, None), film]
    assert found(kind="video") == [film]
    assert [row[0] for row in found(kind="course")] == ["Long", "Short"]
    assert [row[0] for row in found(topic=deck.public_id)] == ["Long"]
    assert [row[0] for row in found(length="60")] == ["Long"]
    assert [row[0] for row in found(level="expert")] == ["Short"]
    assert [row[0] for row in found(binder=short.binder.public_id)] == ["Long", "Short", "The film"]
    assert found(binder="no such binder") == []
    assert [row[0] for row in found(q="fil", length="no such length")] == ["The film"]
    # A module by itself is asked for like a course.
    paths.change_stages(path=path, stages=[paths.StagePlan("One", "go on", None, [long.pk, alone.pk])], by=f.BY)
    client.force_login(admin)
    page = client.get(reverse("courses:path", args=[path.public_id])).content.decode()
    assert "any topic" in page
    assert Module.objects.filter(alone=alone).exists()


def test_a_long_list_goes_on_as_one_comes_to_its_end(organisation, client, monkeypatch):
    monkeypatch.setattr("stepladder.courses.path_sheet.MOST_CHOICES", 2)
    monkeypatch.setattr("stepladder.courses.queries.MOST_CHOICES", 2)
    monkeypatch.setattr("stepladder.courses.picking.MOST_CHOICES", 2)
    client.force_login(f.an_account("administrator"))
    for title in ("Crowd", "Fire", "Lines"):
        f.a_course(title)
    path = paths.create_path(title="First days", binder=f.a_binder(), by=f.BY)
    page = reverse("courses:pick_course", args=[path.public_id])
    first, rest = page_text(client.get(page)), page_text(client.get(f"{page}?after=2"))
    assert ("Fire" in first, "Lines" in first, f"{page}?after=2" in first) == (True, False, True)
    assert ("Fire" in rest, "Lines" in rest, "after=" in rest) == (False, True, False)
    assert "No released course fits" not in page_text(client.get(f"{page}?after=4"))
    # Modules for a course, too.
    page = reverse("courses:pick", args=[f.a_draft("Doors").public_id])
    assert f"{page}?after=2" in page_text(client.get(page))
    assert "<li" in page_text(client.get(f"{page}?after=2"))
