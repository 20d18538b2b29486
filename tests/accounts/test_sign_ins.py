"""Links to sign in, roles, the lock, and the door that shuts on leaving."""

import re

import pytest
from django.core import mail
from django.urls import reverse

from stepladder.accounts import sign_in
from stepladder.accounts.models import Account
from stepladder.charts.models import AdministeredPart
from stepladder.people import actions
from tests import factories as f
from tests.reading import page_text

PASSWORD = "four words in a row"


@pytest.fixture
def jun(organisation, on):
    on("2026-05-14")
    return f.a_person("Jun Pellam", email="jun@example.example")


def link_in_the_tray():
    return re.search(r"https?://\S+?(/account/link/\S+)", mail.outbox[-1].body)[1]


def test_an_invitation_opens_once_and_signs_in(jun, client, django_capture_on_commit_callbacks):
    with django_capture_on_commit_callbacks(execute=True):
        actions.invite_many(people=[jun], by=f.BY)
    url = link_in_the_tray()
    assert "For Jun Pellam, jun@example.example" in page_text(client.get(url))
    assert "too short" in page_text(client.post(url, {"password": "short"}))
    assert client.post(url, {"password": PASSWORD}).url == "/"
    assert client.get(reverse("desk:up_next")).status_code == 200
    again = client.post(url, {"password": "another sentence of words"})
    assert again.status_code == 410
    assert "This link was used already" in page_text(again)
    account = Account.objects.get()
    assert account.check_password(PASSWORD)
    assert account.roles == {"learner"}


@pytest.mark.parametrize(
    ("later", "says"), [("2026-05-29", "This link is too old to be used"), ("2026-05-27", "Choose a password")]
)
def test_an_invitation_lasts_a_fortnight(jun, client, on, later, says, django_capture_on_commit_callbacks):
    with django_capture_on_commit_callbacks(execute=True):
        actions.invite_many(people=[jun], by=f.BY)
    on(later)
    assert says in page_text(client.get(link_in_the_tray()))


def test_a_reset_link_works_once_and_a_newer_one_replaces_it(jun, client, on, django_capture_on_commit_callbacks):
    f.an_account("learner", person=jun)
    Account.objects.update(email=jun.email)
    with django_capture_on_commit_callbacks(execute=True):
        page = page_text(client.post(reverse("accounts:forgotten"), {"email": "JUN@example.example"}))
    assert "a link is on its way" in page
    first = link_in_the_tray()
    on("2026-05-14", hour=13)
    with django_capture_on_commit_callbacks(execute=True):
        client.post(reverse("accounts:forgotten"), {"email": jun.email})
    newer = link_in_the_tray()
    assert "A newer link was sent since" in page_text(client.get(first))
    assert client.post(newer, {"password": PASSWORD}).status_code == 302
    assert "used already" in page_text(client.post(newer, {"password": PASSWORD}))
    assert "not known" in page_text(client.get(reverse("accounts:link", args=["made-up"])))


def test_who_is_not_known_gets_the_same_answer_and_no_mail(jun, client):
    page = page_text(client.post(reverse("accounts:forgotten"), {"email": "nobody@example.example"}))
    assert "If there is a sign-in for nobody@example.example, a link is on its way" in page
    assert mail.outbox == []


def test_who_is_locked_while_signed_in_is_out_at_the_next_page(jun, client):
    account = f.an_account("learner", person=jun)
    client.force_login(account)
    assert client.get(reverse("desk:up_next")).status_code == 200
    token = sign_in.make_link(account=account, purpose="reset")
    sign_in.lock_account(account=account, by=f.BY)
    assert client.get(reverse("desk:up_next")).status_code == 302
    with pytest.raises(sign_in.LinkUseless, match="newer link was sent since, or this one was withdrawn"):
        sign_in.use_link(token=token, password=PASSWORD)
    sign_in.unlock_account(account=account, by=f.BY)
    assert account.is_active


def test_sessions_end_with_the_last_day(jun, client, on):
    client.force_login(f.an_account("learner", person=jun))
    actions.leave_organisation(person=jun, left_on=f.d("2026-05-20"), by=f.BY)
    assert client.get(reverse("desk:up_next")).status_code == 200
    on("2026-05-21")
    assert actions.shut_sign_ins() == 1
    assert client.get(reverse("desk:up_next")).status_code == 302
    assert actions.shut_sign_ins() == 0


def test_roles_parts_and_the_lock_are_set_on_the_persons_sign_in_sheet(jun, client):
    account = f.an_account("learner", person=jun)
    client.force_login(f.an_account("administrator"))
    sheet, roles = (reverse(f"people:{name}", args=[jun.public_id]) for name in ("sign_in", "roles"))
    assert "Send a fresh link" in page_text(client.get(sheet))
    said = page_text(client.post(roles, {"roles": ["unit administrator"]}, follow=True))
    assert "A unit administrator needs at least one unit" in said
    client.post(roles, {"roles": ["unit administrator", "author"], "parts": [f.a_unit().public_id]})
    account = Account.objects.get(pk=account.pk)
    assert account.roles == {"learner", "author", "unit administrator"}
    assert [part.unit for part in account.parts.all()] == [f.a_unit()]
    client.post(reverse("people:lock", args=[jun.public_id]))
    assert not Account.objects.get(pk=account.pk).is_active
    assert "Locked out" in page_text(client.get(sheet))


def test_the_last_administrator_stays_one(jun):
    only = f.an_account("administrator")
    with pytest.raises(sign_in.LastAdministrator, match="This is the last administrator"):
        sign_in.set_roles(account=only, roles=["learner"], by=only)
    with pytest.raises(sign_in.LastAdministrator):
        sign_in.lock_account(account=only, by=only)
    f.an_account("administrator")
    sign_in.set_roles(account=only, roles=["learner"], by=only)
    assert Account.objects.get(pk=only.pk).roles == {"learner"}


def test_of_a_large_chart_the_units_somebody_administers_are_ticked_and_others_chosen(
    organisation, on, client, monkeypatch
):
    on("2026-05-14")
    monkeypatch.setattr("stepladder.people.views.sign_ins.MANY_NODES", 2)
    dora = f.a_person("Dora Holt")
    yard, knot, wren = (f.a_unit(name) for name in ("Yard", "Knot", "Wren"))
    f.an_account("unit administrator", person=dora, parts=(yard,))
    client.force_login(f.an_account("administrator"))
    sheet, roles = (reverse(f"people:{name}", args=[dora.public_id]) for name in ("sign_in", "roles"))
    form = client.get(sheet).context["form"]
    assert [label for _, label in form["parts"].field.choices] == ["Yard"]
    offered = dict(form["another"].field.choices)
    assert {str(knot.pk), str(wren.pk)} < offered.keys()
    client.post(roles, {"roles": ["unit administrator"], "parts": [yard.public_id], "another": knot.pk})
    assert set(AdministeredPart.objects.values_list("unit", flat=True)) == {yard.pk, knot.pk}
    client.post(roles, {"roles": ["unit administrator"], "parts": [knot.public_id], "another": ""})
    assert set(AdministeredPart.objects.values_list("unit", flat=True)) == {knot.pk}
    page = client.post(
        roles, {"roles": ["unit administrator"], "parts": [knot.public_id], "another": "99"}, follow=True
    )
    assert "Nothing was saved" in page_text(page)
