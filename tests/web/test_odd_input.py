"""Every address, asked for what nobody would type: an answer, never a crash."""

import os
from functools import partial

import pytest
from django.urls import reverse

from stepladder.accounts import policy
from stepladder.accounts.models import Role
from stepladder.courses import actions as courses
from stepladder.courses.keeping import allow_builders
from stepladder.courses.models import Path
from stepladder.learning.models import Enrolment
from stepladder.people.models import Placement
from stepladder.timetable.models import Session
from tests import factories as f
from tests.addresses import Visitor, a_world, addresses, arguments

ODD = [
    "x",
    "-1",
    "9" * 40,
    "²",
    "\x00",
    "9999-12-31",
    "today+99999999d",
    "é" * 400,
    "9" * 5000,
    "-name",
    "two\r\nlines",
]
# Every name that a page, a form or a script of the application sends.
NAMES = """
    page sort q day known course unit position state kind tag part v number revision overwrite once due due_days
    due_after due_day due_end start end from_day to_day rate chart status suggested due_from due_to expires_to as show
    who field parts join g0-group g0-unit g0-position g0-hired g0-mode named_in named_out row step module size retake_by lasts
    count window_days grace_days hired_on left_on minutes title name summary under optional weight newest back next
    surname zone theme employee_number given_name family_name email reason message notice_days taken_from ending
    prerequisites satisfied_by code on verb chosen fits query go effect holder_position holder_person named powers group
    value actor about from to direct late keeps_position ends_present column-0 days roles parts choices site note after
    g0-field g0-how g0-value everyone f1 password capacity live_address despite_clashes instructors language move_to wait
    last_booking_day because venue seats share if effect may_wait instead room meetings-TOTAL_FORMS meetings-0-day
    column missing last_day is_in_order act stage summary into
    meetings-0-start meetings-0-minutes meetings-INITIAL_FORMS by m-1
""".split()  # noqa: SIM905 - so many names are read better as words


# Each address is sent one in so many of them, its neighbours the others: all of them take minutes (`./ladder test --long`).
SHARE = 1 if os.environ.get("STEPLADDER_LONG") else 7

# What is no JSON, or none that anybody would send.
BODIES = [
    b"",
    b"\xff\xfe",
    b"null",
    b"[]",
    b"{}",
    b"[" * 100_000,
    b'{"at": NaN, "played": []}',
    b'{"at": Infinity, "played": []}',
    b'{"at": 1e999, "seconds": 1e999, "played": [[0, 1e999]]}',
    b'{"at": ' + b"9" * 5000 + b"}",
    b'{"at": [], "seconds": {}, "played": 3}',
    b'{"at": 1, "played": [1, 2]}',
    b'{"at": 1, "played": [[1], [1, 2, 3], ["a", "b"], [true, null]]}',
    b'{"at": 1, "pages": [[1e300, 5], [-1, -1]]}',
    b'{"at": true, "seconds": "9", "pages": {}}',
    b'{"seq": "x", "set": {}}',
    b'{"seq": 1e400, "set": {}}',
    b'{"seq": 1, "set": []}',
    b'{"seq": 1, "set": [["a", 1]]}',
    b'{"seq": 1, "fin": "no", "set": {}}',
    b'{"seq": 1, "set": {"cmi.core.score.raw": {"a": []}}}',
    b'{"seq": 1, "set": {"cmi.core.score.raw": NaN}}',
    b'{"seq": 1, "set": {"cmi.suspend_data": "\\ud800"}}',
]
# What browsers' own headers can be made to say.
HEADERS = [
    {"content_type": "application/x-www-form-urlencoded; charset=utf-7"},
    {"content_type": "multipart/form-data"},
    {"content_type": "multipart/form-data; boundary=x"},
    {"content_type": "multipart/form-data; boundary=x; charset=utf-7"},
    {"content_type": ""},
    {"HTTP_RANGE": f"bytes={'9' * 5000}-"},
    {"HTTP_UPLOAD_OFFSET": "9" * 5000, "HTTP_UPLOAD_LENGTH": "²", "content_type": "application/offset+octet-stream"},
]


@pytest.fixture
def world(organisation, media, on):
    on("2026-05-14")
    made = a_world()
    owner = made["owner"]
    person = Enrolment.objects.get(public_id=made["enrolment"]).person
    person.account = owner
    person.save()
    draft = courses.new_edition(course=Enrolment.objects.get(public_id=made["enrolment"]).course, by=f.BY)
    return made | {"draft_step": draft.steps.get().pk, "who": person}


def someone(world, role):
    """An account with the role that may act on what the world holds; its person is the one whose the course is."""
    unit = Placement.objects.get(person=world["who"]).unit
    # What nobody is granted follows from something else.
    granted = {"manager": "learner", "path builder": "instructor"}.get(role, role)
    account = f.an_account(granted, parts=(unit,) if role == "unit administrator" else ())
    if role == "path builder":
        allow_builders(roles=["instructor"], binder=f.a_binder(), by=f.BY)
        Path.objects.filter(public_id=world["path"]).update(kept_by=account)
    f.a_binder().co_editors.add(account)
    world["who"].account = account
    world["who"].save()
    if role == "manager":
        f.a_lead(person=world["who"], field="unit", unit=unit, powers=("see records", "assign"))
    if role == "instructor":
        for session in Session.objects.all():
            session.instructors.add(world["who"])
    return account


def broken_by(account, world, odd, share=1):
    """The addresses that the account may open and that answer something odd with a crash. What was done is undone.

    Of *odd* each address is asked one in *share*, its neighbours the others.
    """
    visitor, broken = Visitor(account, raises=False), {}
    for number, (name, pattern) in enumerate(addresses()):
        if policy.ADDRESSES[name] != policy.PUBLIC and not policy.may(account, policy.ADDRESSES[name]):
            continue
        values = arguments(name, pattern, world)
        if "step" in values:
            values["step"] = world["draft_step"]
        url = reverse(name, kwargs=values)
        for what, ask in odd[number % share :: share]:
            if visitor.status(partial(ask, url=url)) >= 500:
                broken.setdefault(name, []).append(what)
    return broken


def with_text(method, text):
    return f"{method} {text[:20]}", lambda client, url: getattr(client, method)(url, dict.fromkeys(NAMES, text))


def with_body(body):
    return body[:40], lambda client, url: client.post(url, body, content_type="application/json")


def with_headers(headers):
    said = {"content_type": "text/plain", **headers}
    if "boundary" in said["content_type"]:
        part = '--x\r\nContent-Disposition: form-data; name="{}"\r\n\r\n+2AA-\r\n'
        body = "".join(part.format(name) for name in NAMES) + "--x--\r\n"
    else:
        body = "&".join(f"{name}=+2AA-" for name in NAMES)
    return str(headers)[:60], lambda client, url: client.generic("POST", url, body, **said)


@pytest.mark.timeout(900)
@pytest.mark.parametrize("role", Role.values)
def test_no_input_breaks_a_page(world, role):
    """An administrator sends all of it, everybody else a part, wherever they may go."""
    is_all = role == Role.ADMINISTRATOR
    asked = {"get": ODD[::2], "post": ODD} if is_all else {"get": ODD[3::5], "post": ODD[2::5]}
    odd = [with_text(method, text) for method, texts in asked.items() for text in texts]
    assert broken_by(someone(world, role), world, odd, share=SHARE if is_all else min(SHARE, 2)) == {}


@pytest.mark.timeout(900)
def test_no_body_and_no_header_breaks_a_page(world):
    odd = [*map(with_body, BODIES[::6]), *map(with_headers, HEADERS)]
    assert broken_by(someone(world, "administrator"), world, odd, share=SHARE) == {}


def test_what_no_player_sends_is_refused_with_a_word(world, client):
    client.force_login(someone(world, "learner"))
    url = reverse("playing:report", args=[world["attempt"]])
    for body in BODIES:
        answer = client.post(url, body, content_type="application/json")
        assert answer.status_code == 400, body[:40]
        assert answer.json()["says"].startswith("This report cannot be read: "), body[:40]


def test_a_part_or_an_order_that_cannot_be_read_changes_nothing_and_says_so(world, client):
    client.force_login(world["owner"])
    for text in ("x", "-1", "²", "9" * 30):
        says_so(world, client, [world["course"]], text)


def says_so(world, client, course, text):
    said = client.post(reverse("courses:order_steps", args=course), {"step": [f"{text}:{text}"]})
    assert said.status_code == 200
    trouble = said.headers["HX-Trigger-After-Swap"]
    assert "cannot be read" in trouble or "no part of a course" in trouble
    said = client.post(reverse("courses:add_steps", args=course), {"part": text, "module": [world["module"]]})
    assert "choose entry test, preparation or main part" in said.headers["HX-Trigger-After-Swap"]
    said = client.post(reverse("courses:edit_step", args=[*course, world["draft_step"]]), {"weight": text})
    assert "Not saved." in said.headers["HX-Trigger-After-Swap"]
