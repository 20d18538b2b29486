"""Every address × every role."""

import pytest
from django.urls import reverse

from stepladder.accounts import policy
from stepladder.accounts.models import Role
from stepladder.courses import keeping
from stepladder.learning.models import Enrolment
from tests import factories as f
from tests.addresses import Visitor, a_world, addresses, arguments


def test_every_address_has_an_entry_and_every_entry_an_address():
    assert {name for name, _ in addresses()} == set(policy.ADDRESSES)
    assert set(policy.ADDRESSES.values()) - {policy.PUBLIC} <= set(policy.VERBS)


@pytest.fixture
def world(organisation, media):
    return a_world()


def someone(role):
    """An account with a role, over what the world holds: who edits, the unit's administrator, or who leads by name."""
    if role == "author":
        account = f.an_account(role)
        f.a_binder().co_editors.add(account)
        return account
    if role == "manager":
        lead = f.a_person("Una Finch")
        account = f.an_account("learner", person=lead)
        f.a_lead(person=lead, powers=("see records", "assign"))
        return account
    if role == "path builder":
        keeping.allow_builders(roles=["instructor"], binder=f.a_binder(), by=f.BY)
        return f.an_account("instructor")
    return f.an_account(role, parts=(f.a_unit(),) if role == "unit administrator" else ())


@pytest.mark.parametrize("role", [None, *Role.values])
def test_who_may_open_what(world, role):
    """A refusal is 403, or a redirect to sign in; everything else is an answer of the page itself, to one method at least.

    What refuses comes before any view and knows no method: what nobody of the role may open is asked for by GET and POST in turn.
    """
    account = someone(role) if role else None
    visitor, deaf = Visitor(account), []

    def ask(method, url):
        return visitor.status(lambda client: getattr(client, method)(url))

    for number, (name, pattern) in enumerate(addresses()):
        url = reverse(name, kwargs=arguments(name, pattern, world))
        verb = policy.ADDRESSES[name]
        opens = verb == policy.PUBLIC or policy.may(account, verb)
        methods = ("get", "post") if opens else (("get", "post")[number % 2],)
        statuses = {method: ask(method, url) for method in methods}
        if list(statuses.values()) == [405, 405] and ask("patch", url) == 405:
            deaf.append(name)
        for method, status in statuses.items():
            if verb == policy.PUBLIC:
                assert status in (200, 301, 302, 400, 404, 405, 410), (name, method, status)
            elif account is None:
                assert status == (401 if name in policy.FOR_SCRIPTS else 302), (name, method, status)
            elif name in ("playing:media", "timetable:check_in", "writing:file"):
                assert status in (403, 405), (name, method, status)  # a made-up address is not good for anybody
            elif name == "records:take_back" and role != Role.ADMINISTRATOR:
                assert status in (403, 405), (name, method, status)  # the act is somebody else's
            elif policy.may(account, verb):
                assert status in (200, 201, 204, 302, 400, 404, 405, 409, 422), (name, method, status)
            else:
                assert status == 403, (name, method, status)
    assert deaf == []


def test_what_each_role_may_do(organisation):
    table = {role: {verb for verb in policy.VERBS if policy.may(someone(role), verb)} for role in Role.values}
    everybody = {"sign in", "search", "learn", "read records", "take back", "book seats", "sign off"}
    everybody |= {"find", "decide", "read messages"}
    reports = {"keep reports", "read reports"}
    packs = {"make evidence packs", "read evidence packs"}
    assert table["learner"] == everybody
    assert table["instructor"] == everybody | {"open sessions", "take attendance", "write to"}
    assert (
        table["auditor"] == everybody | {"open records", "read the journal", "put a reach together"} | reports | packs
    )
    assert table["author"] == everybody | {
        "see modules",
        "use modules",
        "change modules",
        "see courses",
        "change courses",
        "see paths",
        "build paths",
        "mark",
        "see skills",
        "put a reach together",
    }
    leads = {"open the team", "open records", "assign", "remind", "write to", "confirm", "put a reach together"}
    assert table["manager"] == everybody | leads | reports
    part = {"open the desk", "see people", "change people", "place people in", "invite"}
    sessions = {"open sessions", "fill sessions"}
    assert table["unit administrator"] == everybody | part | sessions | {
        "assign",
        "waive",
        "remind",
        "write to",
        "open records",
        *reports,
        *packs,
        "confirm",
        "put a reach together",
    }
    # Granted by nobody: it comes with roles that the organisation says.
    assert table["path builder"] == table["instructor"] | {"see paths", "build paths", "put a reach together"}
    assert table["administrator"] == set(policy.VERBS) - {"open the team"}


def test_buttons_and_lists_agree_on_whose_a_module_is(organisation):
    owner, other = f.an_account("author"), f.an_account("author")
    shared = f.a_module("Shared", binder=f.a_binder("Deck", owner))
    closed = f.a_module("Closed", binder=f.a_binder("Yard", owner, is_shared=False))
    for account, verb, expected in (
        (owner, "change modules", {shared, closed}),
        (other, "change modules", set()),
        (other, "see modules", {shared}),
    ):
        assert set(policy.visible(account, verb, type(shared).objects.all())) == expected
        assert {m for m in (shared, closed) if policy.may(account, verb, m)} == expected
    assert policy.may(other, "change modules", shared).reason == "Only editors of this binder can change what is in it."


def test_another_persons_record_and_course_are_not_there(organisation, client, on):
    on("2026-05-14")
    jun, ada = f.a_person("Jun Pellam"), f.a_person("Ada Venn")
    client.force_login(f.an_account("learner", person=ada))
    f.an_assignment(f.a_course("Fire on board"))
    place = Enrolment.objects.get(person=jun)
    for url in (
        reverse("records:record", args=[jun.public_id]),
        reverse("records:why", args=[jun.public_id, place.course.public_id]),
        reverse("playing:course", args=[place.public_id]),
    ):
        answer = client.get(url)
        assert answer.status_code == 404
        assert "There is nothing at this address that you may see" in answer.content.decode()
    assert client.get(reverse("records:own")).status_code == 200


def test_a_draft_course_is_not_there_for_a_learner(organisation, client):
    draft = f.a_draft("Secret")
    client.force_login(f.an_account("learner"))
    assert client.get(reverse("courses:course", args=[draft.public_id])).status_code == 403
    assert client.get(reverse("desk:try_course", args=[draft.public_id])).status_code == 403
