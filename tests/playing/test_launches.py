"""Each opening of a package is a launch of its own; nothing of one is lost in silence, and none is judged too early."""

import json
from fractions import Fraction

import pytest

from stepladder.accounts.sign_in import lock_account
from stepladder.learning.models import Attempt, Completion, StepDone
from stepladder.library.models import ModuleVersion
from stepladder.playing.models import ScoState
from tests import factories as f
from tests.playing.packages import a_package, launch, launch_values, place
from tests.playing.test_parts import NEWER, TWO_PARTS

LOCATION, STATUS, RAW, TIME = (
    f"cmi.core.{name}" for name in ("lesson_location", "lesson_status", "score.raw", "session_time")
)


@pytest.fixture
def opened(jun, client, tmp_path):
    """A package of one part (mastery 80) and its content host, not opened yet."""
    module = a_package(tmp_path)
    enrolment = place(jun, [module])
    return *launch(client, enrolment, module), enrolment, module


def open_again(content, path):
    """The name of a new launch."""
    page = content.get(path).content.decode()
    return json.loads(page.split('type="application/json">')[1].split("</script>")[0])["launch"]


def commit(content, path, name, seq, values, **more):
    body = {"launch": name, "seq": seq, "set": values, **more}
    return content.post(path + "commit", json.dumps(body), content_type="application/json")


def kept():
    return ScoState.objects.get().values


def test_an_older_launch_is_told_so_and_changes_nothing(opened):
    """A second tab, a reload, a window of its own: the address is the same, the launch is not."""
    content, path, *_ = opened
    first, second = open_again(content, path), open_again(content, path)
    commit(content, path, second, 1, {LOCATION: "p2"})
    answer = commit(content, path, first, 9, {LOCATION: "p9"})
    assert answer.status_code == 409
    assert "opened again in another window or tab" in answer.json()["says"]
    assert kept()[LOCATION] == "p2"


def test_after_the_end_of_a_launch_the_next_one_from_the_same_address_is_kept(opened):
    content, path, *_ = opened
    first = open_again(content, path)
    commit(content, path, first, 1, {STATUS: "incomplete", LOCATION: "p1"}, fin=True)
    second = open_again(content, path)
    assert commit(content, path, second, 1, {LOCATION: "p2", RAW: "85"}).status_code == 200
    assert kept()[LOCATION] == "p2"
    assert StepDone.objects.get().score == Fraction(17, 20)


def test_on_a_slow_line_the_end_may_overtake_what_was_sent_before_it(opened):
    content, path, *_ = opened
    name = open_again(content, path)
    commit(content, path, name, 3, {LOCATION: "end"}, fin=True)
    commit(content, path, name, 2, {RAW: "90", LOCATION: "p5"})
    assert (kept()[LOCATION], kept()[RAW]) == ("end", "90")
    assert StepDone.objects.get().score == Fraction(9, 10)
    # What is numbered after the end is none of this launch.
    commit(content, path, name, 4, {LOCATION: "p1"})
    assert kept()[LOCATION] == "end"


def test_what_a_reload_sent_as_it_went_is_kept_though_the_next_launch_was_quicker(opened):
    content, path, *_ = opened
    first = open_again(content, path)
    commit(content, path, first, 1, {TIME: "00:01:00", LOCATION: "p1"})
    second = open_again(content, path)
    commit(content, path, second, 1, {LOCATION: "p7"})
    late = {TIME: "00:01:30", LOCATION: "p2", "cmi.suspend_data": "x" * 64_000}
    assert commit(content, path, first, 2, late, leaving=True).status_code == 200
    assert (kept()[LOCATION], len(kept()["cmi.suspend_data"])) == ("p7", 64_000)
    assert Attempt.objects.get().seconds == 90
    assert commit(content, path, first, 2, late, leaving=True).status_code == 200
    assert Attempt.objects.get().seconds == 90


def test_what_pages_before_sent_is_kept_in_their_order_though_one_reloads_again_and_it_goes_in_parts(opened):
    content, path, *_ = opened
    first, second = open_again(content, path), open_again(content, path)
    commit(content, path, second, 1, {LOCATION: "p2"})
    open_again(content, path)
    state = {"cmi.suspend_data": "x" * 64_000}
    assert commit(content, path, first, 2, state).status_code == 409
    assert commit(content, path, first, 2, state, parting=True).status_code == 200
    # Not all of it is there yet: nothing is judged as if it were the end.
    assert not ScoState.objects.get().has_left
    late = {TIME: "00:01:30", LOCATION: "p1", STATUS: "incomplete"}
    assert commit(content, path, first, 3, late, leaving=True).status_code == 200
    assert (kept()[LOCATION], kept()[STATUS], len(kept()["cmi.suspend_data"])) == ("p2", "incomplete", 64_000)
    assert Attempt.objects.get().seconds == 90
    for _ in range(3):
        open_again(content, path)
    assert commit(content, path, first, 4, {LOCATION: "p1"}, leaving=True).status_code == 409


# ---- judged when the launch ends, or the score is there


def test_completed_before_the_score_is_no_verdict(opened):
    content, path, *_ = opened
    name = open_again(content, path)
    commit(content, path, name, 1, {STATUS: "completed"})
    assert not StepDone.objects.exists()
    commit(content, path, name, 2, {RAW: "40"}, fin=True)
    assert not Completion.objects.exists()
    assert Attempt.objects.get().status == "failed"


@pytest.mark.parametrize("end", [{"fin": True}, {"leaving": True}, None])
def test_where_no_score_comes_at_all_the_end_decides(opened, on, end):
    content, path, *_ = opened
    name = open_again(content, path)
    commit(content, path, name, 1, {STATUS: "completed"})
    if end:
        commit(content, path, name, 2, {}, **end)
    else:
        # The browser crashed and said nothing: the launch has ended when the next one begins.
        on("2026-05-14", hour=13)
        open_again(content, path)
    assert Completion.objects.count() == 1


def test_a_score_that_is_overtaken_by_a_reload_is_judged_before_completed_is(opened):
    content, path, *_ = opened
    first = open_again(content, path)
    commit(content, path, first, 1, {STATUS: "completed"})
    second = open_again(content, path)
    assert commit(content, path, first, 2, {RAW: "40"}, leaving=True).status_code == 200
    commit(content, path, second, 1, {LOCATION: "p1"}, leaving=True)
    assert (Completion.objects.count(), Attempt.objects.get().status) == (0, "failed")


def test_time_and_score_count_to_the_end_of_the_launch_that_made_it_done(opened):
    content, path, *_ = opened
    name = open_again(content, path)
    commit(content, path, name, 1, {RAW: "80", TIME: "00:05:00"})
    assert StepDone.objects.get().score == Fraction(4, 5)
    commit(content, path, name, 2, {RAW: "95", TIME: "00:09:00"}, fin=True)
    attempt = Attempt.objects.get()
    assert (attempt.score, attempt.seconds) == (Fraction(19, 20), 540)
    # The next launch is a look back.
    name = open_again(content, path)
    commit(content, path, name, 1, {RAW: "5", TIME: "00:01:00"}, fin=True)
    assert Attempt.objects.get().score == Fraction(19, 20)


def test_the_newer_standard_waits_for_its_score_too(jun, client, tmp_path):
    module = a_package(tmp_path, "Newer", **{"imsmanifest.xml": NEWER})
    content, path = launch(client, place(jun, [module]), module)
    name = open_again(content, path)
    commit(content, path, name, 1, {"cmi.completion_status": "completed", "cmi.progress_measure": "1"})
    assert not StepDone.objects.exists()
    commit(content, path, name, 2, {"cmi.score.scaled": "0.2"}, fin=True)
    assert not Completion.objects.exists()


# ---- a newer version


def a_newer_version(module, parts, standard="scorm12"):
    old = module.versions.order_by("-number")[0]
    by_key = {sco["key"]: sco for sco in old.data["scos"]}
    made = ModuleVersion.objects.create(
        module=module,
        number=old.number + 1,
        original=old.original,
        data={**old.data, "standard": standard, "scos": [by_key[key] for key in parts]},
        minutes=1,
        made_at=old.made_at,
        made_by="Test",
    )
    Attempt.objects.update(version=made)
    return made


def test_parts_that_changed_places_keep_what_is_theirs_and_one_that_is_gone_breaks_nothing(jun, client, tmp_path):
    module = a_package(tmp_path, "Two parts", **{"imsmanifest.xml": TWO_PARTS})
    enrolment = place(jun, [module])
    content, path = launch(client, enrolment, module)
    name = open_again(content, path)
    commit(content, path, name, 1, {RAW: "90", LOCATION: "the alarm"}, fin=True)
    a_newer_version(module, ["i2", "i1"])
    content, path = launch(client, enrolment, module, part=1)
    assert launch_values(content, path)[LOCATION] == "the alarm"
    content, path = launch(client, enrolment, module, part=0)
    assert LOCATION not in launch_values(content, path)
    a_newer_version(module, ["i1"])
    content, path = launch(client, enrolment, module)
    name = open_again(content, path)
    assert commit(content, path, name, 1, {LOCATION: "again"}).status_code == 200
    assert StepDone.objects.count() == 1


def test_a_page_that_was_open_when_its_part_went_away_says_so(jun, client, tmp_path):
    module = a_package(tmp_path, "Two parts", **{"imsmanifest.xml": TWO_PARTS})
    enrolment = place(jun, [module])
    content, path = launch(client, enrolment, module, part=1)
    name = open_again(content, path)
    a_newer_version(module, ["i1"])
    answer = commit(content, path, name, 1, {LOCATION: "p1"})
    assert (answer.status_code, answer.content.decode()) == (
        403,
        "This part is not in the newer version. Open the step again.",
    )


def test_another_standard_begins_anew_and_says_so(opened, client):
    content, path, enrolment, module = opened
    commit(content, path, open_again(content, path), 1, {LOCATION: "p3", TIME: "00:02:00"})
    a_newer_version(module, ["i1"], standard="scorm2004")
    content, path = launch(client, enrolment, module)
    page = content.get(path).content.decode()
    assert "it begins anew" in page
    start = json.loads(page.split('type="application/json">')[1].split("</script>")[0])["start"]
    assert (start["cmi.entry"], LOCATION in start) == ("ab-initio", False)


def test_what_is_kept_of_a_part_has_a_bound_and_a_score_still_fits(opened):
    content, path, *_ = opened
    name = open_again(content, path)
    for n in range(10):
        answer = commit(content, path, name, n + 1, {f"cmi.interactions.{n}.id": "x" * 199_000})
        assert answer.status_code == 200, n
    refused = commit(content, path, name, 11, {"cmi.interactions.10.id": "x" * 199_000})
    assert refused.status_code == 413
    assert refused.json()["says"] == "it comes to more than 2 MB for this part"
    assert commit(content, path, name, 12, {RAW: "85"}).status_code == 200
    assert (len(kept()), kept()[RAW]) == (11, "85")


def test_a_launch_ends_with_signing_out_but_for_what_its_page_sends_as_it_goes(opened, client, on):
    content, path, *_ = opened
    name = open_again(content, path)
    client.post("/account/sign-out/")
    refused = content.get(path)
    assert (refused.status_code, "has signed out" in refused.content.decode()) == (403, True)
    assert content.get(path.rsplit("/", 2)[0] + "/files/index.html").status_code == 403
    assert commit(content, path, name, 1, {RAW: "85"}, leaving=True).status_code == 200
    on("2026-05-14", hour=13)
    assert commit(content, path, name, 2, {RAW: "95"}).status_code == 403
    assert kept()[RAW] == "85"


def test_a_launch_of_somebody_who_is_locked_out_is_over(opened, jun):
    content, path, *_ = opened
    name = open_again(content, path)
    lock_account(account=jun.account, by=f.BY)
    assert commit(content, path, name, 1, {RAW: "85"}).status_code == 403
