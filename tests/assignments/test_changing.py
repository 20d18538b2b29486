"""A running assignment is changed, with its effect first; what it asked before stays known."""

import pytest
from django.urls import reverse

from stepladder.assignments.models import AssignmentRule, Reason
from stepladder.assignments.queries import requirements
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.journal.undoing import take_back
from tests import factories as f
from tests.assignments.test_paths import a_path
from tests.reading import page_text


@pytest.fixture
def crew(organisation, media, on, client):
    """Dunlin is asked for Fire within 30 days since 1 May; Bo is on the Knot."""
    on("2026-05-01")
    ada, bo = f.a_person("Ada Venn"), f.a_person("Bo Tarn", unit="Knot")
    found = f.an_assignment(f.a_course("Fire"), notice_days=0)
    on("2026-05-14")
    client.force_login(f.an_account("administrator"))
    return found, ada, bo


def form(client, assignment, **changes):
    """What the page of the form would send, with changes."""
    page = client.get(reverse("assignments:change", args=[assignment.public_id]))
    context = page.context
    data = {name: field.value() for name, field in ((b.name, b) for b in context["form"])}
    data = {name: value for name, value in data.items() if value is not None and value is not False and value != ""}
    part = context["parts"][0]
    data |= {"parts": "1", "join": "all", "g0-mode": part.mode, "g0-unit": part.units, "g0-below": "1"}
    return {**data, **changes}


def asked(person):
    rows = Reason.objects.filter(person=person, known_to__gte=f.d("9999-12-31"), last__gte=f.d("2026-05-14"))
    return [row.due for row in rows]


def test_the_effect_is_told_and_then_it_asks_otherwise(crew, client):
    found, ada, bo = crew
    wider = form(client, found, **{"g0-unit": [f.a_unit("Knot").pk], "due_days": 60})
    told = page_text(client.post(f"{reverse('assignments:effect')}?of={found.public_id}", wider))
    assert '<b class="fig">1</b> person comes to need it' in told
    assert "Bo Tarn" in told
    assert '<b class="fig">1</b> person no longer needs it' in told
    both = form(client, found, **{"g0-unit": [f.a_unit("Knot").pk, f.a_unit("Dunlin").pk], "due_days": 60})
    assert '<b class="fig">1</b> person gets another day' in page_text(
        client.post(f"{reverse('assignments:effect')}?of={found.public_id}", both)
    )
    assert (asked(ada), asked(bo)) == ([f.d("2026-05-31")], [])
    page = client.post(reverse("assignments:change", args=[found.public_id]), both, follow=True)
    assert "is changed. Whoever comes to need it is told." in page_text(page)
    assert (asked(ada), asked(bo)) == ([f.d("2026-06-30")], [f.d("2026-06-30")])
    # What was known on the day before still says what it said.
    (before,) = requirements(people=[ada.pk], day=f.d("2026-05-14"), known_on=f.d("2026-05-13"))
    assert before.requirement.due == f.d("2026-05-31")
    entry = Entry.objects.get(verb="change_assignment")
    assert entry.data["what"] == "whom, due"
    take_back(entry, by=f.BY)
    assert (asked(ada), asked(bo)) == ([f.d("2026-05-31")], [])
    assert list(problems()) == []


def test_nothing_changed_writes_nothing_and_what_is_wrong_is_said(crew, client):
    found, *_ = crew
    address = reverse("assignments:change", args=[found.public_id])
    client.post(address, form(client, found))
    assert AssignmentRule.objects.count() == 1
    wrong = client.post(address, form(client, found, end="1 Apr 2026"))
    assert "It would end before it starts" in page_text(wrong)
    assert "Nobody is asked for more, or less, or by another day." in page_text(
        client.post(f"{reverse('assignments:effect')}?of={found.public_id}", form(client, found))
    )


def test_the_days_of_a_path_are_those_of_its_last_stage_unless_said(crew, client):
    _, ada, _ = crew
    path = a_path("New on deck", ("Safe", 21, [f.a_course("Lines")]), ("Trusted", 75, [f.a_course("Crowd")]))
    sent = {
        "course": path.public_id,
        "name": "All new",
        "is_mandatory": "1",
        "start": "today",
        "due": "after",
        "due_days": "",
        "due_after": "opening",
        "due_end": "quarter",
        "notice_days": "0",
        "parts": "1",
        "named_in": ada.public_id,
    }
    client.post(reverse("assignments:new"), sent)
    assert AssignmentRule.objects.latest("pk").due_days == 75
    client.post(reverse("assignments:new"), sent | {"due_days": "90", "once": "b"})
    assert AssignmentRule.objects.latest("pk").due_days == 90
