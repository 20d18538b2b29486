"""Paths that somebody builds for their own people, and no further."""

import pytest
from django.core.exceptions import PermissionDenied
from django.urls import reverse

from stepladder.accounts.models import Organisation
from stepladder.accounts.organisation import forget
from stepladder.assignments import actions as assigning
from stepladder.assignments.errors import AssignmentError
from stepladder.assignments.models import Assignment
from stepladder.catalogue.permissions import found_paths, may_find
from stepladder.core.admission import Admission
from stepladder.courses import keeping, paths
from stepladder.courses.errors import CourseError
from stepladder.courses.models import Path
from stepladder.courses.offers import set_offer
from stepladder.leads.actions import end_lead
from stepladder.timetable.actions import book_seat
from tests import factories as f
from tests.reading import page_text

pytestmark = pytest.mark.django_db


@pytest.fixture
def crew(organisation, media, on):
    """Una leads Dunlin, where Jun is; Ada is in the yard. Leads and unit administrators may build paths, in a binder of their own."""
    on("2027-03-01")
    una, jun, ada = f.a_person("Una Finch"), f.a_person("Jun Pellam"), f.a_person("Ada Venn", unit="Yard")
    for person in (una, jun, ada):
        f.an_account("learner", name=str(person), person=person)
    f.a_lead(person=una, powers=("see records", "assign"))
    binder = f.a_binder("From their leads", is_shared=True)
    keeping.allow_builders(roles=["manager", "unit administrator"], binder=binder, by=f.BY)
    return {"una": una, "jun": jun, "ada": ada, "binder": binder, "fire": f.a_course("Fire")}


def built(by, crew, title="Before the summer"):
    """A released path of one stage without days."""
    path = paths.create_path(title=title, binder=crew["binder"], by=by, pattern="worth")
    path = paths.edit_path(
        path=path, revision=path.revision, title=title, summary="Worth knowing.", is_in_order=False, by=by
    )
    paths.change_stages(path=path, stages=[paths.StagePlan("Worth knowing", courses=[crew["fire"].pk])], by=by)
    paths.release_path(path=path, by=by)
    return path


def test_a_lead_builds_one_by_the_pages_and_only_their_people_find_it(crew, client):
    client.force_login(crew["una"].account)
    home = page_text(client.get(reverse("courses:paths")))
    assert "New path…" in home
    assert "Who may build" not in home
    new = reverse("courses:new_path")
    assert "is for your own people: nobody else finds it." in page_text(client.get(new))
    elsewhere = {"title": "In the deck’s", "binder": f.a_binder("Deck").pk, "pattern": "worth"}
    assert client.post(new, {**elsewhere, "once": "a"}).status_code == 422
    client.post(new, {"title": "Before the summer", "binder": crew["binder"].pk, "pattern": "worth", "once": "b"})
    path = Path.objects.get()
    assert path.kept_by == crew["una"].account
    pick = page_text(client.get(reverse("courses:pick_course", args=[path.public_id])))
    assert "Fire" in pick
    client.post(
        reverse("courses:stages", args=[path.public_id]),
        {"act": "put", "into": path.stages[0]["key"], "course": crew["fire"].public_id},
    )
    sheet = page_text(client.get(reverse("courses:path", args=[path.public_id])))
    assert "for the people of Una Finch" in sheet
    assert "The people of Una Finch." in sheet
    assert 'href="/courses/' + crew["fire"].public_id not in sheet
    client.post(
        reverse("courses:edit_path", args=[path.public_id]),
        {"title": path.title, "summary": "Worth knowing.", "is_in_order": "", "revision": str(path.revision)},
    )
    client.post(reverse("courses:release_path", args=[path.public_id]))
    path.refresh_from_db()
    assert path.state == "released"

    assert may_find([crew["jun"], crew["ada"], crew["una"]], path) == [crew["jun"]]
    page = reverse("catalogue:thing", args=[path.public_id])
    for who, status in (("jun", 200), ("ada", 404)):
        client.force_login(crew[who].account)
        assert client.get(page).status_code == status
        shown = page_text(client.get(reverse("catalogue:catalogue") + "?q=summer"))
        assert ("Before the summer" in shown) == (status == 200)
    # No courses of theirs, and no other path.
    client.force_login(crew["una"].account)
    assert client.get(reverse("courses:list")).status_code == 403
    other = paths.create_path(title="On deck", binder=f.a_binder("Deck"), by=f.BY)
    assert client.get(reverse("courses:path", args=[other.public_id])).status_code == 404
    # And nobody else changes hers, though its binder is shared with authors.
    client.force_login(f.an_account("author"))
    assert client.get(reverse("courses:path", args=[path.public_id])).status_code == 404


def test_who_finds_it_follows_who_leads_whom_on_the_day(crew, on):
    path = built(crew["una"].account, crew)
    assert found_paths(crew["jun"].account).get() == path
    offer = {"wish_days": None, "level": "", "language": "", "contact": None, "by": crew["una"].account}
    # Its builder may say who of them; a reach that means others adds nobody.
    yard = {"in": {"kind": "unit", "unit": crew["ada"].placements.get().unit_id, "below": True}}
    set_offer(of=path, admission=Admission.OPEN, found_by=yard, **offer)
    assert may_find([crew["jun"], crew["ada"]], path) == []
    set_offer(of=path, admission=Admission.OPEN, found_by=None, **offer)
    end_lead(lead=crew["una"].leads_held.get(), to_day=f.d("2027-03-10"), by=f.BY)
    on("2027-03-11")
    assert may_find([crew["jun"]], path) == []


def test_for_a_part_and_for_whom_one_teaches(crew):
    part = f.an_account("unit administrator", parts=(crew["ada"].placements.get().unit,))
    path = built(part, crew, "In the yard")
    assert may_find([crew["jun"], crew["ada"]], path) == [crew["ada"]]
    teacher = f.a_person("Ruth Alder", unit="Office")
    account = f.an_account("learner", person=teacher)
    with pytest.raises(PermissionDenied):
        built(account, crew, "After the drill")
    session = f.a_session("2027-04-01", instructors=[teacher])
    keeping.allow_builders(roles=["instructor"], binder=crew["binder"], by=f.BY)
    account = type(account).objects.get(pk=account.pk)
    # What an instructor neither teaches with nor finds is not theirs to put in.
    assert not keeping.choosable(account).exists()
    set_offer(
        of=crew["fire"], admission=Admission.OPEN, found_by=None, wish_days=None, level="", language="", contact=None,
        by=f.BY,
    )  # fmt: skip
    assert keeping.choosable(account).get() == crew["fire"]
    path = built(account, crew, "After the drill")
    assert may_find([crew["jun"]], path) == []
    book_seat(session=session, person=crew["jun"], by=f.BY)
    assert may_find([crew["jun"], crew["ada"]], path) == [crew["jun"]]


def test_it_is_assigned_by_its_builder_to_their_people_alone(crew, client):
    path = built(crew["una"].account, crew)
    rule = f.a_rule({"in": None, "named_in": [crew["jun"].pk], "named_out": []})
    other = f.a_person("Mads Holt", unit="Yard")
    lead = f.an_account("learner", person=other)
    f.a_lead(person=other, powers=("assign",))
    with pytest.raises(AssignmentError, match="is for the people of who built it"):
        assigning.assign(course=path, name="Summer", message="", rule=rule, by=lead)
    client.force_login(lead)
    assert "Before the summer" not in page_text(client.get(reverse("assignments:new")))
    client.force_login(crew["una"].account)
    assert "Before the summer" in page_text(client.get(reverse("assignments:new")))
    assigning.assign(course=path, name="Summer", message="", rule=rule, by=crew["una"].account)
    assert Assignment.objects.get().path == path
    rule = f.a_rule({"in": None, "named_in": [crew["ada"].pk], "named_out": []})
    with pytest.raises(AssignmentError, match="You cannot assign to Ada Venn"):
        assigning.assign(course=path, name="Summer", message="", rule=rule, by=crew["una"].account)


def test_the_administrator_says_who_may(crew, client):
    client.force_login(f.an_account("administrator"))
    page = reverse("courses:path_builders")
    assert "Say in which binder such paths stand." in page_text(client.post(page, {"roles": "manager", "once": "a"}))
    with pytest.raises(CourseError, match="in which binder"):
        keeping.allow_builders(roles=["manager"], binder=None, by=f.BY)
    path = built(crew["una"].account, crew)
    assert "Before the summer" in page_text(client.get(page))
    client.post(page, {"binder": crew["binder"].public_id, "once": "b"})
    forget()
    assert Organisation.objects.get().path_builders == []
    client.force_login(type(crew["una"].account).objects.get(pk=crew["una"].account_id))
    assert client.get(reverse("courses:path", args=[path.public_id])).status_code == 403
    assert may_find([crew["jun"]], path) == []
