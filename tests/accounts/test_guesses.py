"""Guessing passwords: waits that grow, by e-mail and by address; what one may choose; who stays out for good."""

import pytest
from django.contrib.auth import authenticate
from django.core import mail
from django.urls import reverse

from stepladder.accounts import forms, guesses
from stepladder.accounts.models import Account, SignInLink
from stepladder.accounts.sign_in import account_behind, lock_account, make_link, unlock_account, use_link
from stepladder.journal.models import Entry
from stepladder.people import actions as people
from stepladder.people.forms.persons import EditForm
from stepladder.web.checks import in_the_clear
from tests import factories as f

SIGN_IN = reverse("accounts:sign_in")


@pytest.fixture
def account(organisation, on):
    on("2026-05-14")
    return f.an_account("learner")


@pytest.fixture
def looked_at(monkeypatch):
    """How many passwords were looked at."""
    seen = []
    monkeypatch.setattr(forms, "authenticate", lambda *a, **k: (seen.append(k["username"]), authenticate(*a, **k))[1])
    return seen


def guess(client, email, password="wrong", address="10.0.0.1"):  # noqa: S107 - made up
    return client.post(SIGN_IN, {"email": email, "password": password}, REMOTE_ADDR=address)


def test_after_some_wrong_ones_no_password_is_looked_at_for_a_while(account, client, looked_at, on):
    for n in range(guesses.MOST_BY_EMAIL):
        # From everywhere: what counts is whose it is.
        assert "do not belong together" in guess(client, account.email, address=f"10.0.0.{n}").content.decode()
    answer = guess(client, account.email.upper(), "a long password")
    assert (answer.status_code, len(looked_at)) == (422, guesses.MOST_BY_EMAIL)
    assert "Try again in 1 minute, or choose a new one" in answer.content.decode()
    entry = Entry.objects.get(verb="wrong_guesses")
    assert (entry.object_id, entry.data) == (account.public_id, {"count": 5, "address": "10.0.0.4"})
    on("2026-05-14", hour=13)
    assert guess(client, account.email).status_code == 422
    assert "Try again" in guess(client, account.email).content.decode()
    on("2026-05-14", hour=14)
    assert guess(client, account.email, "a long password").status_code == 302
    on("2026-05-14", hour=15)
    assert "do not belong together" in guess(client, account.email).content.decode()


def test_waits_grow_to_a_quarter_of_an_hour(account, client, on):
    tries, waits = guesses.Tries(account.email, "10.0.0.1"), []
    for hour in range(1, 20):
        on("2026-05-14", hour=hour)
        tries.begin()
        wait = tries.begin()
        waits += [round(wait.total_seconds())] if wait else []
    assert waits[:3] == [10, 20, 40]
    assert waits[-1] == 900


def test_an_address_that_tries_many_e_mails_waits_too(account, client, looked_at):
    for n in range(guesses.MOST_BY_ADDRESS):
        guess(client, f"nobody{n}@ferries.example")
    assert "Try again in" in guess(client, account.email, "a long password").content.decode()
    assert len(looked_at) == guesses.MOST_BY_ADDRESS
    assert guess(client, account.email, "a long password", address="10.0.0.2").status_code == 302


def test_behind_tls_the_address_is_what_the_proxy_says(account, rf, settings):
    request = rf.get("/", headers={"X-Forwarded-For": "1.2.3.4, 10.9.9.9"}, REMOTE_ADDR="127.0.0.1")
    assert guesses.address_of(request) == "127.0.0.1"
    settings.BEHIND_TLS = True
    assert guesses.address_of(request) == "10.9.9.9"
    settings.APP_HOST = "training.ferries.example"
    assert in_the_clear(None) == []
    settings.BEHIND_TLS = False
    assert [found.id for found in in_the_clear(None)] == ["stepladder.W005"]


def test_a_reset_goes_out_every_five_minutes_at_most_and_leaves_an_invitation(
    account, client, on, django_capture_on_commit_callbacks
):
    token = make_link(account=account, purpose="invitation")
    for _ in range(3):
        with django_capture_on_commit_callbacks(execute=True):
            client.post(reverse("accounts:forgotten"), {"email": account.email})
    assert len(mail.outbox) == 1
    assert account_behind(token).account == account
    on("2026-05-14", hour=13)
    with django_capture_on_commit_callbacks(execute=True):
        client.post(reverse("accounts:forgotten"), {"email": account.email})
    assert len(mail.outbox) == 2
    use_link(token=token, password="another long one")
    # Whoever has chosen a password needs no other link.
    assert not SignInLink.objects.filter(used_at__isnull=True, withdrawn_at__isnull=True).exists()


def test_ones_own_e_mail_or_name_is_no_password(account, organisation):
    for password in (account.email, "ines-okoro"):
        form = forms.PasswordForm({"password": password}, account=account)
        assert "too similar" in str(form.errors["password"])
    data = {"organisation": "Marram", "zone": "Europe/London", "name": "Ada Venn", "email": "ada.venn@ferries.example"}
    form = forms.SetUpForm({**data, "code": "x", "password": "ada.venn@ferries.example"})
    assert "too similar" in str(form.errors["password"])


def test_who_was_locked_while_signed_in_stays_out_for_good(account, client):
    client.force_login(account)
    assert client.get(reverse("desk:up_next")).status_code == 200
    lock_account(account=account, by=f.BY)
    unlock_account(account=Account.objects.get(pk=account.pk), by=f.BY)
    assert client.get(reverse("desk:up_next")).status_code == 302
    client.force_login(Account.objects.get(pk=account.pk))
    assert client.get(reverse("desk:up_next")).status_code == 200


def test_what_was_seen_is_kept_by_no_browser(account, client):
    client.force_login(account)
    assert client.get(reverse("accounts:settings")).headers["Cache-Control"] == "no-store, private"
    client.logout()
    assert "Cache-Control" not in client.get(SIGN_IN).headers


def test_a_corrected_e_mail_reaches_the_sign_in(organisation, on, django_capture_on_commit_callbacks):
    on("2026-05-14")
    person = f.a_person("Ada Venn", email="ada@ferries.example")
    with django_capture_on_commit_callbacks(execute=True):
        people.invite_many(people=[person], by=f.BY)
    person.refresh_from_db()
    link = SignInLink.objects.get()
    with django_capture_on_commit_callbacks(execute=True):
        people.edit_person(
            person=person,
            revision=None,
            given_name="Ada",
            family_name="Marsh",
            email="ada.marsh@ferries.example",
            outside_id=None,
            by=f.BY,
        )
    account = Account.objects.get(pk=person.account_id)
    assert (account.name, account.email) == ("Ada Marsh", "ada.marsh@ferries.example")
    link.refresh_from_db()
    assert link.withdrawn_at is not None
    assert [message.to for message in mail.outbox] == [["ada@ferries.example"], ["ada.marsh@ferries.example"]]
    other = f.an_account("learner")
    form = EditForm({"given_name": "Ada", "family_name": "Marsh", "email": other.email.upper()}, instance=person)
    assert "Somebody else signs in with" in str(form.errors["email"])
