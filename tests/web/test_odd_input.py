"""Every address, asked for what nobody would type: an answer, never a crash."""

import pytest
from django.test import Client
from django.urls import reverse

from stepladder.courses import actions as courses
from stepladder.learning.models import Enrolment
from tests import factories as f
from tests.addresses import a_world, addresses, arguments

ODD = [
    "x",
    "-1",
    "9" * 40,
    "²",
    "\x00",
    "9999-12-31",
    "today+99999999d",
    "é" * 400,
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
    column missing last_day is_in_order s0-title s0-window_days act stage summary
    meetings-0-start meetings-0-minutes meetings-INITIAL_FORMS by m-1
""".split()  # noqa: SIM905 - so many names are read better as words


@pytest.fixture
def world(organisation, media, on):
    on("2026-05-14")
    made = a_world()
    owner = made["owner"]
    person = Enrolment.objects.get(public_id=made["enrolment"]).person
    person.account = owner
    person.save()
    draft = courses.new_edition(course=Enrolment.objects.get().course, by=f.BY)
    return made | {"draft_step": draft.steps.get().pk}


@pytest.mark.timeout(600)
@pytest.mark.parametrize("method", ["get", "post"])
def test_no_input_breaks_a_page(world, method):
    client = Client(raise_request_exception=False)
    broken = {}
    for name, pattern in addresses():
        client.force_login(world["owner"])
        values = arguments(name, pattern, world)
        if "step" in values:
            values["step"] = world["draft_step"]
        url = reverse(name, kwargs=values)
        for text in ODD:
            status = getattr(client, method)(url, dict.fromkeys(NAMES, text)).status_code
            if status >= 500:
                broken.setdefault(name, []).append(text[:20])
    assert broken == {}


@pytest.mark.parametrize("text", ["x", "-1", "²", "9" * 30])
def test_a_part_or_an_order_that_cannot_be_read_changes_nothing_and_says_so(world, client, text):
    client.force_login(world["owner"])
    course = [world["course"]]
    said = client.post(reverse("courses:order_steps", args=course), {"step": [f"{text}:{text}"]})
    assert said.status_code == 200
    trouble = said.headers["HX-Trigger-After-Swap"]
    assert "cannot be read" in trouble or "no part of a course" in trouble
    said = client.post(reverse("courses:add_steps", args=course), {"part": text, "module": [world["module"]]})
    assert "choose preparation or main part" in said.headers["HX-Trigger-After-Swap"]
    said = client.post(reverse("courses:edit_step", args=[*course, world["draft_step"]]), {"weight": text})
    assert "Not saved." in said.headers["HX-Trigger-After-Swap"]
