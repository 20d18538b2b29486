"""Conditions of a reach narrow, unless one says otherwise; and the reach is read back."""

import pytest
from django.http import QueryDict
from django.urls import reverse

from stepladder.reaches.actions import create_group
from stepladder.reaches.models import Group
from stepladder.reaches.queries import members_of
from stepladder.reaches.reach_forms import form_expresses, form_of, sentence_of, stored_reach
from tests import factories as f


@pytest.fixture
def crew(organisation, on):
    """On two vessels, deckhands and bosuns, of whom two deckhands are new."""
    on("2026-05-14")
    people = {
        name: f.a_person(name, unit=unit, position=position, hired=hired)
        for name, unit, position, hired in [
            ("Ada New", "Dunlin", "Deckhand", "2026-04-01"),
            ("Bo New", "Knot", "Deckhand", "2026-05-01"),
            ("Cy Old", "Dunlin", "Deckhand", "2020-01-01"),
            ("Di Newbosun", "Dunlin", "Bosun", "2026-05-01"),
            ("Ed Ashore", "Shore", "Deckhand", "2026-05-01"),
        ]
    }
    return people


def sent(**more):
    data = QueryDict(mutable=True)
    data["parts"] = "1"
    for name, value in more.items():
        data.setlist(f"g0-{name}", [str(one) for one in (value if isinstance(value, list) else [value])])
    return data


def meant(data):
    group = create_group(name=f"Group {Group.objects.count()}", note="", reach=stored_reach(data), by=f.BY)
    return sorted(person.name for person in members_of(group, f.d("2026-05-14")))


def test_what_is_ticked_and_what_is_filled_in_narrow_each_other(crew):
    vessels = [f.a_unit("Dunlin").pk, f.a_unit("Knot").pk]
    deckhand = f.a_position("Deckhand").pk
    data = sent(unit=vessels, position=deckhand, hired=90)
    assert meant(data) == ["Ada New", "Bo New"]
    assert sentence_of(stored_reach(data)) == "Whoever is (in Dunlin or in Knot); Deckhand; hired within 90 days."
    assert stored_reach(form_of(stored_reach(data))) == stored_reach(data)


def test_any_and_none_are_said(crew):
    deckhand = f.a_position("Deckhand").pk
    widened = sent(mode="any", position=deckhand, hired=90)
    assert meant(widened) == ["Ada New", "Bo New", "Cy Old", "Di Newbosun", "Ed Ashore"]
    assert sentence_of(stored_reach(widened)) == "Whoever is Deckhand or hired within 90 days."
    assert stored_reach(form_of(stored_reach(widened))) == stored_reach(widened)
    assert meant(sent(mode="none", position=deckhand)) == ["Di Newbosun"]


def test_the_sentence_is_read_back_as_the_form_stands(crew, client):
    client.force_login(f.an_account("administrator"))
    ada = crew["Ada New"]
    form = {"parts": "1", "g0-hired": "90", "named_out": ada.public_id}
    said = client.post(reverse("reaches:sentence"), form).content.decode()
    assert said == "Whoever is hired within 90 days; never Ada New."
    assert client.post(reverse("reaches:sentence"), {"everyone": "1"}).content.decode() == "Everyone."
    assert client.post(reverse("reaches:sentence"), {}).content.decode() == "Nobody yet."


def test_what_the_form_cannot_show_it_does_not_lose(crew):
    knot = {"kind": "unit", "unit": f.a_unit("Knot").pk, "below": True}
    alone = {"in": knot, "named_in": [], "named_out": []}
    assert form_expresses(alone)
    held = {"kind": "all", "parts": [knot, {"kind": "holds", "course": 1}]}
    deep = {"kind": "any", "parts": [{"kind": "all", "parts": [{"kind": "none", "parts": [knot]}, knot]}]}
    assert not form_expresses({**alone, "in": {"kind": "all", "parts": [deep]}})
    assert not form_expresses({**alone, "in": held})
