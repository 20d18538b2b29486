"""The pages of tasks: written line by line, signed by form and by script, looked at by whom it concerns."""

import io
import json

import pytest
from django.urls import reverse
from PIL import Image

from stepladder import clock
from stepladder.core.sign_offs import read_check_list
from stepladder.learning.actions import begin_step
from stepladder.learning.models import StepDone
from stepladder.library.copying import copy_modules
from stepladder.library.models import Module
from stepladder.signing.models import Asked, SignOff, Task
from tests import factories as f
from tests.signing.signed import DRAWN, a_bosun, a_place, a_sign_off, a_task, step_of

pytestmark = pytest.mark.django_db


def text_of(answer):
    return " ".join(answer.content.decode().split())


def a_photo():
    file = io.BytesIO()
    Image.new("RGB", (64, 48), "navy").save(file, "JPEG")
    file.seek(0)
    file.name = "quay.jpg"
    return file


@pytest.fixture
def bosun():
    return a_bosun(f.a_person("Jun Pellam"))


@pytest.fixture
def place(bosun):
    return a_place()


def address(place, name="sign"):
    return reverse(f"signing:{name}", args=[place.public_id, step_of(place).module.public_id])


def said(**more):
    usual = {
        "key": "one",
        "day": clock.today().isoformat(),
        "minutes": "20",
        "seen-a": "met",
        "seen-b": "met",
        "seen-c": "met",
        "signature": json.dumps(DRAWN),
        "signature_of_learner_typed": "Jun Pellam",
    }
    return {**usual, **more}


def test_a_task_is_written_line_by_line_pasted_moved_and_released(client):
    client.force_login(f.an_account("administrator"))
    binder = f.a_binder()
    page = client.post(reverse("signing:new_task", args=[binder.public_id]), {"title": "Moor her", "once": "x"})
    task = Task.objects.get()
    assert page["Location"] == reverse("signing:task", args=[task.module.public_id])
    terms = {"minutes": "30", "days_back": "7", "is_signed_by_learner": "on"}
    assert "nothing to be seen yet" in text_of(client.get(reverse("signing:release", args=[task.module.public_id])))

    def keep(**sent):
        task.refresh_from_db()
        return client.post(page["Location"], {**terms, "revision": task.revision, **sent})

    assert keep(do="add", more="1. Looks the line over\n• Throws\n\n- Makes fast").status_code == 302
    task.refresh_from_db()
    rows = read_check_list(task.check_list).criteria
    assert [one.text for one in rows] == ["Looks the line over", "Throws", "Makes fast"]
    written = {
        "key": [one.key for one in rows],
        "text": ["Looks", "Throws", "Makes fast"],
        "how": ["With hands", "", ""],
    }
    keep(do=f"up:{rows[2].key}", must=[rows[0].key], needed="2", **written)
    task.refresh_from_db()
    changed = read_check_list(task.check_list)
    assert [one.text for one in changed.criteria] == ["Looks", "Makes fast", "Throws"]
    assert (changed.needed, changed.days_back, changed.criteria[0].is_must) == (2, 7, True)
    # What is wrong is said, and what was typed stands there still.
    wrong = keep(do="keep", **{**terms, "minutes": "0"}, **{**written, "text": ["Looks twice", "Throws", "Makes fast"]})
    assert (wrong.status_code, "Looks twice" in text_of(wrong), "Minutes it takes" in text_of(wrong)) == (
        422,
        True,
        True,
    )
    # Somebody else's newer change is not written over.
    old = client.post(
        page["Location"], {**terms, "revision": 1, "do": "keep", "key": ["k"], "text": ["Mine"], "how": [""]}
    )
    assert (old.status_code, "Mine" in text_of(old), "Nothing was saved" in text_of(old)) == (409, True, True)
    client.post(reverse("signing:release", args=[task.module.public_id]), {"note": "First"})
    version = task.module.versions.get()
    assert version.data["check_list"] == Task.objects.get().check_list
    sheet = text_of(client.get(reverse("library:module", args=[task.module.public_id])))
    assert "done when 2 of 3, 1 of them in any case are signed off" in sheet
    copied = copy_modules(modules=[task.module], to=binder, by=f.BY)
    assert (copied.count, Task.objects.count()) == (1, 2)
    assert Task.objects.latest("pk").check_list == Task.objects.earliest("pk").check_list


def test_signed_by_form_without_scripts_with_what_is_wrong_at_once(client, place, bosun):
    client.force_login(bosun)
    page = text_of(client.get(address(place)))
    assert "Jun Pellam" in page
    wrong = client.post(address(place), said(signature="", **{"seen-b": "not yet"}, note="Throw from the hip."))
    assert (wrong.status_code, "type your name" in text_of(wrong)) == (422, True)
    assert "Throw from the hip." in text_of(wrong)
    for odd in ({"signature": "[[[1"}, {"signature": "7"}, {"day": "never"}, {"minutes": "9" * 30}, {"ago": "nan"}):
        assert client.post(address(place), said(**odd)).status_code == 422, odd
    assert not SignOff.objects.exists()
    done = client.post(address(place), said(photo=a_photo(), photo_shows="The bollard"))
    assert done["Location"] == reverse("signing:waiting")
    made = SignOff.objects.get()
    assert (made.signature, made.signature_of_learner, len(made.photo)) == (DRAWN, "Jun Pellam", 64)
    assert "is signed off" in text_of(client.get(done["Location"]))


def test_who_has_not_done_what_comes_before_it_has_nothing_to_sign_yet(client):
    place = a_place(before=[f.a_module("Lines under load")])
    client.force_login(f.an_account("administrator"))
    page = text_of(client.get(address(place)))
    assert "opens when “Lines under load” is done. Until then there is nothing to sign." in page
    assert "Sign it off" not in page
    assert place.person.name in text_of(client.get(reverse("signing:waiting") + "?show=all"))


def test_sent_by_script_twice_it_is_one_and_another_account_sends_nothing(client, place, bosun):
    client.force_login(bosun)
    send = address(place, "send")
    first = client.post(send, said(account=bosun.public_id, photo=a_photo()))
    assert first.json()["url"] == reverse("signing:waiting")
    assert client.post(send, said(account=bosun.public_id, photo=a_photo())).json()["url"]
    assert (SignOff.objects.count(), StepDone.objects.count()) == (1, 1)
    late = client.post(send, said(account=bosun.public_id, key="two"))
    assert (late.status_code, late.json()["again"], "signed off already" in late.json()["says"]) == (422, False, True)
    other = client.post(send, said(account="somebody", key="three"))
    assert (other.status_code, other.json()["again"]) == (409, True)
    bad = client.post(send, said(account=bosun.public_id, key="four", photo=io.BytesIO(b"no picture")))
    assert (bad.status_code, bad.json()["again"]) == (422, False)
    client.logout()
    assert client.post(send, said(account=bosun.public_id)).status_code == 401


def test_who_may_not_sign_finds_no_page_and_sends_nothing(client, place):
    stranger = f.an_account("learner", person=f.a_person("Una Finch"))
    for account in (stranger, place.person.account, f.an_account("author")):
        client.force_login(account)
        assert client.get(address(place)).status_code == 404
        sent = client.post(address(place, "send"), said(account=account.public_id))
        assert (sent.status_code, sent.json()["again"]) == (404, False)
    assert not SignOff.objects.exists()


def test_what_was_signed_is_looked_at_by_whom_it_concerns(client, place, bosun):
    client.force_login(bosun)
    client.post(address(place), said(photo=a_photo(), photo_shows="The bollard", note="Well thrown."))
    made = SignOff.objects.get()
    sheet, photo = (reverse(f"signing:{name}", args=[made.public_id]) for name in ("signed", "photo"))
    for account in (bosun, place.person.account, f.an_account("auditor"), f.an_account("administrator")):
        client.force_login(account)
        page = text_of(client.get(sheet))
        assert all(words in page for words in ("Well thrown.", "The bollard", "Signature of Rhea Wolff", "Jun Pellam"))
        assert client.get(photo).headers["Content-Type"] == "image/webp"
    assert "Shown on the job" in text_of(client.get(reverse("records:record", args=[place.person.public_id])))
    assert "Shown on the job" in text_of(client.get(reverse("people:person", args=[place.person.public_id])))
    for account in (f.an_account("learner"), f.an_account("author")):
        client.force_login(account)
        assert (client.get(sheet).status_code, client.get(photo).status_code) == (404, 404)


def test_the_learner_reads_what_is_owed_and_asks_for_it(client, place, bosun):
    client.force_login(place.person.account)
    step = step_of(place)
    page = reverse("playing:step", args=[place.public_id, step.module.public_id])
    assert "Ask for a sign-off" in text_of(client.get(page))
    attempt = begin_step(enrolment=place, step=step, by=f.BY)
    ask = reverse("signing:ask", args=[attempt.public_id])
    client.post(ask, {"of": bosun.person.public_id, "words": "Tomorrow?"})
    assert "Rhea Wolff was told. “Tomorrow?”" in text_of(client.get(page))
    client.post(ask, {"do": "no more"})
    assert not Asked.objects.filter(settled_at=None).exists()
    a_sign_off(place, bosun, met="a", note="Good eyes.")
    shown = text_of(client.get(page))
    assert "Good eyes." in shown
    assert 'at least <b class="fig">2</b> to go' in shown
    client.force_login(f.an_account("learner"))
    assert client.post(ask, {"words": "Mine"}).status_code == 404


def test_the_desk_and_the_team_count_who_asks(client, place, bosun):
    attempt = begin_step(enrolment=place, step=step_of(place), by=f.BY)
    client.force_login(place.person.account)
    client.post(reverse("signing:ask", args=[attempt.public_id]), {})
    client.force_login(bosun)
    assert "that somebody asks you to sign off" in text_of(client.get("/desk/team/"))
    client.force_login(f.an_account("administrator"))
    assert "person asks for a task to be signed off" in text_of(client.get("/desk/"))


def test_people_are_found_by_who_writes_the_task(client):
    task = a_task()
    f.a_person("Rhea Wolff")
    find = reverse("signing:find_signer", args=[task.module.public_id])
    client.force_login(f.an_account("learner"))
    assert client.get(find, {"naming": "rh"}).status_code == 403
    client.force_login(f.an_account("administrator"))
    assert "Rhea Wolff" in text_of(client.get(find, {"naming": "rh"}))
    named = reverse("signing:signers", args=[task.module.public_id])
    client.post(named, {"only_named": "yes"})
    assert not Task.objects.get().only_named
    person = f.a_person("Wanda Pask")
    client.post(named, {"only_named": "yes", "named": [person.public_id]})
    assert (Task.objects.get().only_named, Task.objects.get().named.get()) == (True, person)
    assert Module.objects.filter(kind="task").count() == 1
