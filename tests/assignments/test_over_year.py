"""What an assignment did within a year, and what it would have done."""

import pytest
from django.urls import reverse

from stepladder.assignments.over_year import over_year, would_have
from stepladder.assignments.queries import rule_of
from stepladder.people import actions as people
from tests import factories as f
from tests.reading import page_text

pytestmark = pytest.mark.django_db


@pytest.fixture
def asked(organisation, media, on):
    """Everybody on the Dunlin is asked for Fire since March: Jun was there, Ada is hired in April, Mo leaves in May, and Bo was there
    until January."""
    on("2026-12-01")
    _, mo, bo = (f.a_person(name, hired="2025-02-03") for name in ("Jun Pellam", "Mo Reed", "Bo Tarn"))
    people.leave_organisation(person=bo, left_on=f.d("2027-01-15"), by=f.BY)
    on("2027-03-01")
    dunlin = {"kind": "unit", "unit": f.a_unit("Dunlin").pk}
    assignment = f.an_assignment(f.a_course("Fire"), {"in": dunlin, "named_in": [], "named_out": []})
    on("2027-04-12")
    f.a_person("Ada Venn", hired="2027-04-12")
    on("2027-05-20")
    people.leave_organisation(person=mo, left_on=f.d("2027-05-20"), by=f.BY)
    on("2027-06-10")
    return assignment


def counts(year):
    return {f"{month.first:%b}": (month.came, month.left) for month in year.months if month.came or month.left}


def test_it_tells_who_came_in_when_and_who_is_asked_no_more(asked):
    did = over_year(asked, f.d("2027-06-10"))
    assert counts(did) == {"Mar": (2, 0), "Apr": (1, 0), "May": (0, 1)}
    assert (did.people, did.came, did.left) == (3, 3, 1)
    # Made a year ago it would have asked Bo as well, until he left.
    would = would_have(rule_of(asked), f.d("2027-06-10"))
    assert counts(would) == {"Jul": (3, 0), "Jan": (0, 1), "Apr": (1, 0), "May": (0, 1)}
    assert f"{would.months[0].first}" == "2026-07-01"


def test_its_page_says_why_each_was_asked_and_shows_nobody_outside_ones_part(asked, client):
    client.force_login(f.an_account("administrator"))
    page = page_text(client.get(reverse("assignments:year", args=[asked.public_id])))
    assert "3</b> people were asked" in page
    assert "Ada Venn</a>" in page
    assert "were hired" in page
    assert "were there when it began" in page
    own = f.an_account("unit administrator", parts=(f.a_unit("Knot"),))
    client.force_login(own)
    assert client.get(reverse("assignments:year", args=[asked.public_id])).status_code == 404
