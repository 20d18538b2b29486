"""What is offered by reach: buttons and lists agree on it."""

import pytest

from stepladder.accounts import policy
from stepladder.library.models import Binder
from stepladder.reaches.offering import offered_by
from tests import factories as f


@pytest.fixture
def offered(organisation, monkeypatch):
    """Three binders: one for everybody, one for the Dunlin, one for bosuns. What one may see by it."""
    everybodys, dunlins, bosuns = f.a_binder("Everybody"), f.a_binder("Dunlin"), f.a_binder("Bosuns")
    reaches = {
        everybodys.pk: None,
        dunlins.pk: f.in_units(f.a_unit("Dunlin")),
        bosuns.pk: {"in": {"kind": "position", "position": f.a_position("Bosun").pk}},
    }
    monkeypatch.setitem(policy.VERBS, "take up", dict.fromkeys(policy.Role, policy.OFFERED))
    monkeypatch.setitem(policy._relations, (Binder, policy.OFFERED), None)
    offered_by(Binder, lambda: list(reaches.items()), refusal="This is not offered to you.")
    return {b.name: b for b in (everybodys, dunlins, bosuns)}


def an_account_of(name, unit, position):
    return f.an_account("learner", name=name, person=f.a_person(name, unit=unit, position=position))


@pytest.mark.parametrize(
    ("unit", "position", "expected"),
    [
        ("Dunlin", "Deckhand", {"Everybody", "Dunlin"}),
        ("Shore", "Bosun", {"Everybody", "Bosuns"}),
        ("Dunlin", "Bosun", {"Everybody", "Dunlin", "Bosuns"}),
        ("Shore", "Clerk", {"Everybody"}),
    ],
)
def test_one_is_offered_what_one_is_in_the_reach_of(offered, unit, position, expected, django_assert_max_num_queries):
    account = an_account_of("Ada Venn", unit, position)
    with django_assert_max_num_queries(16):
        shown = set(policy.visible(account, "take up", Binder.objects.all()).values_list("name", flat=True))
    assert shown == expected
    for name, binder in offered.items():
        answer = policy.may(account, "take up", binder)
        assert bool(answer) is (name in expected)
        assert answer or answer.reason == "This is not offered to you."


def test_who_is_no_person_is_offered_only_what_is_for_everybody(offered):
    account = f.an_account("author")
    assert [b.name for b in policy.visible(account, "take up", Binder.objects.all())] == ["Everybody"]
