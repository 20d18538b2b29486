from django.urls import reverse

from tests import factories as f

SIGN_IN = reverse("accounts:sign_in")


def test_email_and_password_lead_to_the_first_page_of_the_role(organisation, client):
    account = f.an_account("administrator")
    answer = client.post(SIGN_IN, {"email": account.email.upper(), "password": "a long password"})
    assert answer.url == "/"
    assert client.get("/").url == reverse("desk:desk")


def test_each_role_has_a_first_page(organisation, client):
    for role, address in (("author", "library:home"), ("auditor", "records:board"), ("learner", "desk:up_next")):
        client.force_login(f.an_account(role))
        assert client.get("/").url == reverse(address)


def test_a_wrong_password_says_so_and_keeps_the_email(organisation, client):
    account = f.an_account("learner")
    answer = client.post(SIGN_IN, {"email": account.email, "password": "wrong"})
    assert answer.status_code == 422
    assert "do not belong together" in answer.content.decode()
    assert account.email in answer.content.decode()


def test_one_comes_back_to_where_one_was_going_but_never_elsewhere(organisation, client):
    account = f.an_account("administrator")
    data = {"email": account.email, "password": "a long password"}
    assert client.get("/people/").url == f"{SIGN_IN}?next=/people/"
    assert client.post(SIGN_IN, data | {"next": "/people/"}).url == "/people/"
    assert client.post(SIGN_IN, data | {"next": "https://evil.example/"}).url == "/"


def test_the_one_click_door_is_only_in_the_demo(organisation, client, settings):
    account = f.an_account("administrator")
    assert account.name in client.get(SIGN_IN).content.decode()
    settings.DEMO = False
    assert account.name not in client.get(SIGN_IN).content.decode()
    assert client.post(reverse("accounts:demo_sign_in"), {"who": account.public_id}).status_code == 404


def test_a_request_from_another_site_changes_nothing(organisation, client):
    client.force_login(f.an_account("administrator"))
    answer = client.post(reverse("people:hire"), {}, headers={"Sec-Fetch-Site": "cross-site"})
    assert answer.status_code == 403
    assert "came from another site" in answer.content.decode()
