"""What a package's run-time data come to, and when its parts open."""

from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.packages.prerequisites import is_open
from stepladder.core.packages.runtime import Before, DoneWhen, Launch, RunState
from stepladder.core.packages.scorm import SCORM_12, SCORM_2004


def state12(**values):
    return RunState({f"cmi.core.{k.replace('__', '.')}": v for k, v in values.items()})


@pytest.mark.parametrize(
    ("values", "mastery", "status", "done", "score"),
    [
        ({}, None, "not attempted", False, None),
        ({"lesson_status": "completed"}, None, "completed", True, None),
        ({"lesson_status": "incomplete", "score__raw": "80"}, "80", "passed", True, Fraction(4, 5)),
        ({"lesson_status": "completed", "score__raw": "79.9"}, "80", "failed", False, Fraction(799, 1000)),
        ({"lesson_status": "passed", "score__raw": "5", "score__max": "10"}, None, "passed", True, Fraction(1, 2)),
    ],
)
def test_what_scorm_1_2_values_come_to(values, mastery, status, done, score):
    judged = SCORM_12.judge(state12(**values), mastery=mastery, threshold=None)
    assert (judged.status, judged.is_done, judged.score) == (status, done, score)


@pytest.mark.parametrize(
    ("values", "mastery", "threshold", "status", "done"),
    [
        ({"completion_status": "completed"}, None, None, "completed", True),
        ({"completion_status": "completed", "success_status": "failed"}, None, None, "failed", False),
        ({"completion_status": "completed", "score.scaled": "0.7"}, "0.7", None, "passed", True),
        ({"completion_status": "incomplete", "progress_measure": "0.9"}, None, "0.9", "completed", True),
        ({"completion_status": "incomplete", "success_status": "passed"}, None, None, "incomplete", False),
        ({"success_status": "passed"}, None, None, "passed", True),
    ],
)
def test_what_scorm_2004_values_come_to(values, mastery, threshold, status, done):
    state = RunState({f"cmi.{k}": v for k, v in values.items()})
    judged = SCORM_2004.judge(state, mastery=mastery, threshold=threshold)
    assert (judged.status, judged.is_done) == (status, done)


LAUNCH = Launch("p1", "Pellam, Jun", mastery="80")


def test_the_first_launch_is_new_and_what_was_suspended_is_resumed():
    first = SCORM_12.start_values(RunState(), LAUNCH, resumes=True, is_first=True)
    assert (first["cmi.core.entry"], first["cmi.student_data.mastery_score"]) == ("ab-initio", "80")
    state = RunState(
        {"cmi.core.exit": "suspend", "cmi.core.lesson_location": "p3", "cmi.core.session_time": "00:02:00"}
    )
    again = SCORM_12.begin(state, "second")
    values = SCORM_12.start_values(again, LAUNCH, resumes=SCORM_12.goes_on(state), is_first=False)
    assert (values["cmi.core.entry"], values["cmi.core.lesson_location"]) == ("resume", "p3")
    assert values["cmi.core.total_time"] == "0000:02:00.00"
    assert "cmi.core.exit" not in values
    assert "cmi.core.session_time" not in values


def test_a_launch_folds_the_time_of_the_last_one_in_once():
    state = SCORM_12.begin(RunState({"cmi.core.session_time": "00:10:00"}), "b")
    assert SCORM_12.begin(state, "b").base_seconds == 600
    assert SCORM_12.begin(state, "c").base_seconds == 600


def commit(state, seq=1, is_final=False, mode="normal", **values):
    changes = {f"cmi.core.{k}": v for k, v in values.items()}
    return SCORM_12.commit(state, changes, seq=seq, is_final=is_final, mode=mode)


def test_older_commits_lose_read_only_elements_drop_and_nothing_counts_after_the_end():
    state = commit(RunState(), seq=4, lesson_location="p4")
    assert commit(state, seq=3, lesson_location="p3").values["cmi.core.lesson_location"] == "p4"
    assert "cmi.core.student_id" not in commit(state, seq=5, student_id="forged").values
    over = commit(state, seq=6, is_final=True, lesson_status="incomplete")
    assert commit(over, seq=7, lesson_status="passed") == over


def test_in_review_no_status_and_no_score_is_kept():
    state = commit(RunState(), mode="review", lesson_status="failed", lesson_location="p1")
    assert state.values == {"cmi.core.lesson_location": "p1"}


commits = st.lists(st.tuples(st.integers(0, 9), st.sampled_from(["a", "b"]), st.integers(0, 9)), max_size=8)


@given(commits.flatmap(lambda x: st.tuples(st.just(x), st.permutations(x))))
def test_commits_in_any_order_leave_the_newest_of_each_element(pair):
    unique = {(seq, key): value for seq, key, value in pair[0]}

    def run(order):
        state = RunState()
        for seq, key, _ in order:
            state = commit(state, seq=seq, **{key: unique[seq, key]})
        return state.values

    assert run(pair[0]) == run(pair[1])


@pytest.mark.parametrize(
    ("values", "done_when", "done"),
    [
        ({"completion_status": "completed", "success_status": "failed"}, "through", True),
        ({"completion_status": "completed", "success_status": "failed"}, "passed", False),
        ({"completion_status": "completed"}, "passed", False),
        ({"success_status": "passed", "completion_status": "incomplete"}, "passed", True),
        ({"completion_status": "incomplete"}, "through", False),
    ],
)
def test_scorm_2004_is_done_when_one_chose(values, done_when, done):
    state = RunState({f"cmi.{key}": value for key, value in values.items()})
    assert SCORM_2004.judge(state, mastery=None, threshold=None, done_when=DoneWhen(done_when)).is_done is done


@pytest.mark.parametrize(
    ("rule", "done", "expected"),
    [
        ("", "", True),
        ("a", "", False),
        ("a", "a", True),
        ("a&b", "a", False),
        ("a & b", "a b", True),
        ("a|b", "b", True),
        ("a|b&c", "a", True),
        ("(a|b)&c", "a", False),
        ("(a|b)&c", "a c", True),
        ("~a", "a", False),
        ("~a", "", True),
        ("2*{a, b, c}", "a", False),
        ("2*{a, b, c}", "a c", True),
        ('a = "passed"', "a", True),
        ('a <> "passed"', "a", False),
        # What cannot be read, or is about parts that there are not, closes nothing.
        ("a &", "", True),
        ("(a", "", True),
        ("a b", "", True),
        ("§", "", True),
        ("gone", "", True),
        ("gone & a", "", False),
    ],
)
def test_prerequisites_of_a_part(rule, done, expected):
    assert is_open(rule, done.split(), {"a", "b", "c"}) is expected


@pytest.mark.parametrize(
    ("rule", "done", "expected"),
    [
        ("a & b & c", "a b", False),
        ("a | b | c", "c", True),
        ("~(a & b)", "a", True),
        ("~~a", "", False),
        ('"a" & b', "b", False),
        ('2*{"a", b, }', "a", False),
        ("1*{a, b}", "", False),
        ("0*{a}", "", True),
        # Of parts that there are not nothing is asked, nor in a count.
        ("1*{gone, a}", "", True),
        ("a <> passed & b", "b", True),
        ("a & ()", "", True),
        ("| a", "", True),
        ("(a) b", "", True),
        ("a)", "", True),
        ("~", "", True),
        # As deep as anybody writes, and deeper than anybody does: that exhausts who reads it.
        ("(" * 50 + "a" + ")" * 50, "", False),
        ("(" * 51 + "a" + ")" * 51, "", True),
        ("~" * 50 + "a", "", False),
        ("~" * 1999 + "a", "", True),
        ("(" * 2000, "", True),
        ("(a)&" * 200 + "a", "", False),
        ("(a)&" * 200 + "(" * 51 + "a" + ")" * 51, "", True),
    ],
)
def test_prerequisites_that_are_written_in_other_ways(rule, done, expected):
    assert is_open(rule, done.split(), {"a", "b", "c"}) is expected


def state2004(**values):
    return RunState({f"cmi.{key.replace('__', '.')}": value for key, value in values.items()})


@pytest.mark.parametrize(
    ("values", "expected"),
    [
        ({"raw": "15", "min": "10", "max": "20"}, Fraction(1, 2)),
        ({"raw": "5", "min": "10", "max": "20"}, 0),
        ({"raw": "25", "min": "10", "max": "20"}, 1),
        ({"raw": "5", "min": "20", "max": "20"}, None),
        ({"raw": "5", "min": "20", "max": "10"}, None),
        ({"raw": "0"}, 0),
        ({"raw": "many"}, None),
        ({}, None),
    ],
)
def test_a_score_is_its_share_between_the_least_and_the_most(values, expected):
    older = state12(lesson_status="completed", **{f"score__{key}": value for key, value in values.items()})
    assert SCORM_12.judge(older, mastery=None, threshold=None).score == expected
    newer = state2004(**{f"score__{key}": value for key, value in values.items()})
    assert SCORM_2004.judge(newer, mastery=None, threshold=None).score == expected


@pytest.mark.parametrize(("scaled", "expected"), [("-0.5", 0), ("0.25", Fraction(1, 4)), ("1.5", 1)])
def test_a_scaled_score_is_a_share_and_goes_before_the_raw_one(scaled, expected):
    state = state2004(score__scaled=scaled, score__raw="77")
    assert SCORM_2004.judge(state, mastery=None, threshold=None).score == expected


@pytest.mark.parametrize(("run_time", "name"), [(SCORM_12, "cmi.core.session_time"), (SCORM_2004, "cmi.session_time")])
def test_the_time_is_that_of_earlier_launches_and_of_this_one(run_time, name):
    state = RunState({name: "PT90S"}, base_seconds=60)
    assert run_time.judge(state, mastery=None, threshold=None).seconds == 150
    assert (
        run_time.judge(RunState({name: "P" + "9" * 30 + "Y"}, base_seconds=60), mastery=None, threshold=None).seconds
        == 60
    )
    shown = run_time.judge(state, mastery="80", threshold=None, is_asset=True)
    assert (shown.status, shown.is_done, shown.score, shown.seconds) == ("completed", True, None, 150)


OVER, LEFT = {"final_seq": 0}, {"has_left": True}


@pytest.mark.parametrize(
    ("values", "more", "mastery", "done_when", "status", "done"),
    [
        # Completed waits for the score while the launch goes on, if there is something to reach.
        ({"lesson_status": "completed"}, {}, "80", "said", "completed", False),
        ({"lesson_status": "completed"}, OVER, "80", "said", "completed", True),
        ({"lesson_status": "completed"}, LEFT, "80", "said", "completed", True),
        ({"lesson_status": "completed"}, {}, None, "said", "completed", True),
        ({"lesson_status": "passed", "score__raw": "80"}, {}, "80", "said", "passed", True),
        ({}, OVER, None, "said", "incomplete", False),
        ({"lesson_status": "perfect"}, {}, None, "through", "not attempted", False),
        ({"lesson_status": "browsed"}, OVER, None, "said", "browsed", False),
        ({"lesson_status": "completed", "score__raw": "79"}, {}, "80", "through", "failed", True),
        ({"lesson_status": "completed", "score__raw": "79"}, {}, "80", "passed", "failed", False),
        ({"lesson_status": "completed"}, {}, None, "passed", "completed", False),
        ({"lesson_status": "passed"}, {}, None, "passed", "passed", True),
        # What would take longer to read than anybody waits is nothing to reach.
        ({"lesson_status": "completed", "score__raw": "79"}, {}, "1E+999999999", "said", "completed", True),
    ],
)  # fmt: skip
def test_when_scorm_1_2_is_done(values, more, mastery, done_when, status, done):
    state = replace(state12(**values), **more)
    judged = SCORM_12.judge(state, mastery=mastery, threshold=None, done_when=DoneWhen(done_when))
    assert (judged.status, judged.is_done) == (status, done)


@pytest.mark.parametrize(
    ("values", "more", "mastery", "threshold", "status", "done"),
    [
        ({}, {}, None, None, "not attempted", False),
        ({"completion_status": "completed"}, {}, "0.7", None, "completed", False),
        ({"completion_status": "completed"}, OVER, "0.7", None, "completed", True),
        ({"completion_status": "completed"}, LEFT, "0.7", None, "completed", True),
        ({"completion_status": "completed", "score__scaled": "0.69"}, {}, "0.7", None, "failed", False),
        ({"completion_status": "unknown", "success_status": "passed"}, {}, None, None, "passed", True),
        ({"completion_status": "unknown", "score__scaled": "0.7"}, {}, "0.7", None, "passed", True),
        # The measure decides, not the word.
        ({"completion_status": "completed", "progress_measure": "0.89"}, {}, None, "0.9", "incomplete", False),
        ({"completion_status": "completed"}, {}, None, "0.9", "completed", True),
        ({"completion_status": "completed", "progress_measure": "0.1"}, {}, None, None, "completed", True),
        ({"success_status": "failed"}, {}, None, None, "failed", False),
        ({"success_status": "perfect", "completion_status": 1}, OVER, None, None, "not attempted", False),
        ({"completion_status": "completed", "progress_measure": "0"}, {}, "1E+999999999", "1E+999999999", "completed", True),
    ],
)  # fmt: skip
def test_when_scorm_2004_is_done(values, more, mastery, threshold, status, done):
    judged = SCORM_2004.judge(replace(state2004(**values), **more), mastery=mastery, threshold=threshold)
    assert (judged.status, judged.is_done) == (status, done)


def test_scorm_2004_was_gone_through_by_either_word():
    for values in ({"success_status": "failed"}, {"success_status": "passed"}, {"completion_status": "completed"}):
        assert SCORM_2004.judge(state2004(**values), mastery=None, threshold=None, done_when=DoneWhen.THROUGH).is_done


@pytest.mark.parametrize(
    ("last_exit", "was_over", "is_first", "entry"),
    [
        ("suspend", False, True, "ab-initio"),
        ("suspend", True, False, "resume"),
        ("", False, False, "resume"),
        ("logout", True, False, ""),
    ],
)
@pytest.mark.parametrize(("run_time", "prefix"), [(SCORM_12, "cmi.core."), (SCORM_2004, "cmi.")])
def test_a_launch_begins_anew_goes_on_or_begins_once_more(run_time, prefix, last_exit, was_over, is_first, entry):
    state = RunState({f"{prefix}exit": last_exit}, launch="a", final_seq=1 if was_over else None)
    resumes = run_time.goes_on(state)
    values = run_time.start_values(run_time.begin(state, "b"), LAUNCH, resumes=resumes, is_first=is_first)
    assert values[f"{prefix}entry"] == entry
    assert f"{prefix}exit" not in values


def test_a_launch_is_told_who_it_is_for_and_what_is_asked():
    state = RunState({"cmi.location": "p3", "cmi.learner_id": "old", "cmi.session_time": "PT5S"}, base_seconds=3725.6)
    asked = Launch("p1", "Pellam, Jun", mastery="0.8", threshold="0.9", launch_data="deck=2")
    values = SCORM_2004.start_values(state, asked, resumes=True, is_first=False)
    assert values == {
        "cmi.location": "p3",
        "cmi.learner_id": "p1",
        "cmi.learner_name": "Pellam, Jun",
        "cmi.entry": "resume",
        "cmi.credit": "credit",
        "cmi.mode": "normal",
        "cmi.total_time": "PT3726S",
        "cmi.launch_data": "deck=2",
        "cmi.scaled_passing_score": "0.8",
        "cmi.completion_threshold": "0.9",
    }
    review = Launch("p1", "Pellam, Jun", mode="review")
    newer = SCORM_2004.start_values(state, review, resumes=False, is_first=False)
    assert newer["cmi.credit"] == "no-credit"
    assert not {"cmi.scaled_passing_score", "cmi.completion_threshold"} & newer.keys()
    two_hours = SCORM_12.start_values(RunState(base_seconds=7200), review, resumes=False, is_first=False)
    assert two_hours["cmi.core.total_time"] == "0002:00:00.00"
    assert SCORM_12.start_values(RunState(base_seconds=3725.6), review, resumes=False, is_first=False) == {
        "cmi.core.student_id": "p1",
        "cmi.core.student_name": "Pellam, Jun",
        "cmi.core.entry": "",
        "cmi.core.credit": "no-credit",
        "cmi.core.lesson_mode": "review",
        "cmi.core.total_time": "0001:02:05.00",
        "cmi.launch_data": "",
    }


def test_a_new_launch_keeps_values_and_knows_those_before():
    state = RunState(
        {"cmi.location": "p3", "cmi.session_time": "PT5S", "cmi.exit": "suspend"}, 60.0, "a", {"cmi.location": 9}, 9
    )
    assert SCORM_2004.begin(state, "a") is state
    second = SCORM_2004.begin(state, "b")
    assert second == RunState({"cmi.location": "p3"}, 65.0, "b", {"cmi.location": -1}, before=(Before("a", 5.0),))
    third = SCORM_2004.begin(second, "c")
    assert third == replace(second, launch="c", seqs={"cmi.location": -2}, before=(Before("b", 0.0), Before("a", 5.0)))
    assert [third.rank_of(name) for name in ("c", "b", "a", "gone")] == [0, -1, -2, None]
    # Of more than four launches ago nothing is on its way any more.
    later = third
    for name in "def":
        later = SCORM_2004.begin(later, name)
    assert ([one.launch for one in later.before], later.seqs) == (["e", "d", "c", "b"], {})
    assert SCORM_2004.begin(RunState(), "a").before == ()


def test_a_launch_is_over_when_it_says_so_and_has_ended_when_its_page_has_gone_too():
    assert [(s.is_over, s.has_ended) for s in (RunState(), RunState(final_seq=0), RunState(has_left=True))] == [
        (False, False),
        (True, True),
        (False, True),
    ]


def test_what_is_slower_than_the_final_commit_counts_and_what_is_said_first_with_a_number_stands():
    over = commit(RunState(), seq=6, is_final=True, lesson_location="p6")
    assert over.final_seq == 6
    late = commit(over, seq=5, lesson_location="p5", lesson_status="passed")
    assert late.values == {"cmi.core.lesson_location": "p6", "cmi.core.lesson_status": "passed"}
    assert late.final_seq == 6
    assert commit(over, seq=6, lesson_location="again", exit="suspend").values == {
        "cmi.core.lesson_location": "p6",
        "cmi.core.exit": "suspend",
    }
    assert commit(RunState(), seq=0, exit="suspend").seqs == {"cmi.core.exit": 0}


def test_a_page_that_has_gone_stays_gone_and_what_is_no_element_is_not_kept():
    assert not commit(RunState(), lesson_location="p1").has_left
    gone = SCORM_2004.commit(RunState(), {}, seq=1, is_final=False, mode="normal", is_leaving=True)
    again = SCORM_2004.commit(gone, {"x": 1, "cmi.mode": "browse"}, seq=2, is_final=False, mode="normal")
    assert (again.has_left, again.values) == (True, {})


def test_what_the_page_before_sent_as_it_went_fills_in_what_the_new_launch_has_not_set():
    state = RunState({"cmi.core.session_time": "00:01:00"}, 30.0, "a", {"cmi.core.session_time": 0})
    new = commit(SCORM_12.begin(state, "b"), seq=1, lesson_location="p9")
    sent = {
        "cmi.core.lesson_location": "p3",
        "cmi.suspend_data": "kept",
        "cmi.core.student_id": "forged",
        "cmi.core.lesson_status": "passed",
        "cmi.core.exit": "suspend",
        "cmi.core.session_time": "00:01:30",
    }
    late = SCORM_12.take_late(new, "a", sent, mode="normal")
    assert late.values == {
        "cmi.core.lesson_location": "p9",
        "cmi.suspend_data": "kept",
        "cmi.core.lesson_status": "passed",
    }
    # A minute of it was folded in when the new launch began.
    assert (late.base_seconds, late.before) == (120.0, (Before("a", 90.0),))
    assert SCORM_12.take_late(late, "a", sent, mode="normal") == late
    shorter = SCORM_12.take_late(late, "a", {"cmi.core.session_time": "00:00:10"}, mode="normal")
    assert (shorter.base_seconds, shorter.before) == (120.0, (Before("a", 90.0),))
    assert "cmi.core.lesson_status" not in SCORM_12.take_late(new, "a", sent, mode="review").values
    assert SCORM_12.take_late(new, "a", {}, mode="normal") == new
    for name in ("b", "gone"):
        with pytest.raises(ValueError, match=name):
            SCORM_12.take_late(new, name, sent, mode="normal")


def test_the_time_of_each_launch_before_is_its_own():
    state = RunState({"cmi.session_time": "PT60S"}, launch="a")
    state = replace(SCORM_2004.begin(state, "b"), values={"cmi.session_time": "PT5S"})
    third = SCORM_2004.begin(state, "c")
    late = SCORM_2004.take_late(third, "a", {"cmi.session_time": "PT90S"}, mode="normal")
    assert (late.base_seconds, late.before) == (95.0, (Before("b", 5.0), Before("a", 90.0)))


def test_what_a_launch_said_on_time_takes_its_place_again_when_it_says_more_as_it_goes():
    state = commit(RunState(launch="a"), seq=3, lesson_location="p3")
    new = SCORM_12.begin(state, "b")
    late = SCORM_12.take_late(new, "a", {"cmi.core.lesson_location": "p4"}, mode="normal")
    assert late.values == {"cmi.core.lesson_location": "p4"}
    # What is said now goes before all of that.
    assert commit(late, seq=0, lesson_location="p5").values == {"cmi.core.lesson_location": "p5"}


late_ones = st.lists(st.tuples(st.sampled_from("abcd"), st.sampled_from("xy"), st.integers(0, 9)), max_size=8)


@given(late_ones.flatmap(lambda x: st.tuples(st.just(x), st.permutations(x))))
def test_late_commits_of_several_launches_leave_the_newest_launch_s_in_whatever_order(pair):
    unique = {(launch, key): value for launch, key, value in pair[0]}
    start = RunState()
    for name in "abcd":
        start = SCORM_12.begin(start, name)
        if (name, "x") in unique and name < "c":
            # Some of it arrived in time.
            start = commit(start, seq=1, x=unique[name, "x"])
    state = SCORM_12.begin(start, "e")
    for launch, key, _ in pair[1]:
        state = SCORM_12.take_late(state, launch, {f"cmi.core.{key}": unique[launch, key]}, mode="normal")
    newest = {key: value for (_, key), value in sorted(unique.items())}
    assert state.values == {f"cmi.core.{key}": value for key, value in newest.items()}
