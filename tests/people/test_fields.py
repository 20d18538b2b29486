"""Custom fields: on a sheet, in lists and in reaches."""

import pytest
from django.http import QueryDict
from django.urls import reverse

from stepladder import clock
from stepladder.assignments.models import Reason
from stepladder.core.days import FOREVER
from stepladder.people import actions, queries
from stepladder.people.errors import ChoiceInUse
from stepladder.people.models import FieldValue, PersonField
from stepladder.reaches.reach_forms import form_of, stored_reach
from stepladder.reaches.stored import load_world, parse, sentence
from stepladder.refusals import NameThere
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def licence(organisation, on):
    on("2026-05-14")
    return actions.add_field(name="Licence class", kind="choice", choices=["A", "B"], by=f.BY)


def say(person, field, value):
    actions.set_values(person=person, values={field.pk: value}, by=f.BY)


def test_a_value_is_a_fact_with_its_history(licence, on):
    jun = f.a_person()
    say(jun, licence, "A")
    on("2026-05-20")
    say(jun, licence, "B")
    say(jun, licence, "B")
    assert [v.value for v in FieldValue.objects.known_on(f.d("2026-05-19"))] == ["A"]
    assert [v.value for v in FieldValue.objects.known_now()] == ["B"]
    assert FieldValue.objects.count() == 2
    say(jun, licence, "")
    assert not FieldValue.objects.known_now().exists()


def test_a_reach_asks_for_a_field_and_people_come_in_when_it_is_written(licence):
    tonnes = actions.add_field(name="Tonnes", kind="number", choices=[], by=f.BY)
    jun = f.a_person()
    form = QueryDict(f"parts=1&g0-mode=all&g0-field={tonnes.public_id}&g0-how=at+least&g0-value=1+500")
    reach = stored_reach(form)
    assert sentence(parse(reach).condition, load_world(), courses={}) == "Tonnes at least 1500"
    assert stored_reach(form_of(reach)) == reach
    f.an_assignment(f.a_course("Fire on board"), reach)
    assert not Reason.objects.filter(known_to=FOREVER).exists()
    for value, count in (("900", 0), ("1500.0", 1), ("20000", 1)):
        say(jun, tonnes, value)
        assert Reason.objects.filter(known_to=FOREVER, last=FOREVER).count() == count, value
    wrong = stored_reach(QueryDict(f"parts=1&g0-field={tonnes.public_id}&g0-how=is&g0-value=heavy"))
    assert wrong["in"]["parts"][0]["parts"] == [{"kind": "any", "parts": []}]


def test_choices_in_use_stay_and_names_are_there_once(licence):
    say(f.a_person(), licence, "A")
    with pytest.raises(ChoiceInUse, match="Somebody has “A”, so it has to stay"):
        actions.change_field(field=licence, name="Licence", choices=["B"], is_ended=False, by=f.BY)
    with pytest.raises(NameThere):
        actions.add_field(name="licence CLASS", kind="text", choices=[], by=f.BY)


def test_fields_are_made_filled_and_filtered_by_their_pages(licence, client):
    client.force_login(f.an_account("administrator"))
    jun, ada = f.a_person("Jun Pellam"), f.a_person("Ada Venn")
    client.post(reverse("people:new_field"), {"name": "First aid until", "kind": "day"})
    until = PersonField.objects.get(kind="day")
    assert "at least one choice" in page_text(client.post(reverse("people:new_field"), {"name": "x", "kind": "choice"}))
    url = reverse("people:values", args=[jun.public_id])
    wrong = client.post(url, {f"f{licence.pk}": "A", f"f{until.pk}": "2026-02-31"})
    assert "“2026-02-31” is not a day" in page_text(wrong)
    client.post(url, {f"f{licence.pk}": "A", f"f{until.pk}": "2027-02-28"})
    assert "2027-02-28" in page_text(client.get(reverse("people:person", args=[jun.public_id])))
    page = client.get(reverse("people:list"), {"field": licence.public_id})
    assert list(page.context["page"].rows) == [jun]
    both = client.get(reverse("people:list"), {"column": [licence.public_id, until.public_id]})
    assert [column.label for column in both.context["page"].columns[4:6]] == [licence.name, until.name]
    assert both.context["shown_values"][jun.pk] == [(licence.name, "A"), (until.name, "2027-02-28")]
    assert both.context["shown_values"][ada.pk] == [(licence.name, ""), (until.name, "")]
    assert list(queries.find_people(field=licence, value="b", day=clock.today())) == []
    client.post(reverse("people:field", args=[until.public_id]), {"name": until.name, "is_ended": "on"})
    assert "First aid until" not in page_text(client.get(reverse("people:values", args=[ada.public_id])))
    assert "no longer asked for" in page_text(client.get(reverse("people:fields")))
