"""People named in a text that was pasted."""

from __future__ import annotations

import pytest
from django.urls import reverse

from stepladder.people.naming import MOST_NAMED, named_people
from tests import factories as f

pytestmark = pytest.mark.django_db


@pytest.fixture
def crew(organisation, on):
    on("2027-03-01")
    return [
        f.a_person("Jun Pellam", number="M1", email="jun@marram.example"),
        f.a_person("Ada de Venn", number="M2"),
        f.a_person("Kit Moss", number="M3"),
        f.a_person("Kit Moss", number="M4", unit="Catering"),
    ]


def test_numbers_addresses_and_whole_names_are_read_once_each_in_their_order(crew, django_assert_max_num_queries):
    jun, ada, kit, _ = crew
    with django_assert_max_num_queries(3):
        found = named_people("ada DE venn\nJUN@marram.example; m3,M1\n\tm3 , Venn, Nobody Here\nKit Moss")
    assert found.people == [ada, jun, kit]
    assert (found.unknown, found.several) == (["Venn", "Nobody Here"], ["Kit Moss"])
    assert named_people("de Venn Ada").people == [ada]
    assert named_people("\n".join(f"X{n}" for n in range(MOST_NAMED + 5))).left_out == 5


def test_a_manager_names_their_own_people_and_is_told_who_is_not(crew, client):
    lead = f.a_person("Una Finch", position="Master")
    f.a_lead("Master", powers=("assign",))
    client.force_login(f.an_account("learner", person=lead))
    answer = client.post(reverse("people:named"), {"who": "M1\nM4", "field": "named_in"}).content.decode()
    assert crew[0].public_id in answer
    assert crew[3].public_id not in answer
    assert "1 names nobody whom you may" in " ".join(answer.split())
