from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.knowledge import over_time
from stepladder.core.packages.archive import ArchiveError, Entry, check_entries
from stepladder.core.packages.manifest import find_manifest, parse_duration, read_manifest
from stepladder.core.packages.runtime import Launch, RunState, apply_commit, begin_launch, judge, start_values
from tests.factories import MANIFEST


@pytest.mark.parametrize(
    ("entry", "message"),
    [
        (Entry("../evil.html", 1, 1), "leads out of the package"),
        (Entry("a/../../b", 1, 1), "leads out of the package"),
        (Entry("/etc/passwd", 1, 1), "is an absolute path"),
        (Entry("C:/x.html", 1, 1), "is an absolute path"),
        (Entry("a\\b.html", 1, 1), "characters that no path may have"),
        (Entry("a.html", 1, 1, is_link=True), "is a link to another file"),
        (Entry("a.html", 1, 1, is_encrypted=True), "asks for a password"),
        (Entry("a.html", 500 * 1024**2, 1000), "unpacks to far more than it holds"),
    ],
)
def test_an_archive_that_may_not_be_unpacked(entry, message):
    with pytest.raises(ArchiveError, match=message):
        check_entries([Entry("imsmanifest.xml", 10, 10), entry])


def test_an_empty_archive_and_a_name_twice_are_refused():
    with pytest.raises(ArchiveError, match="The archive is empty"):
        check_entries([Entry("folder/", 0, 0, is_folder=True)])
    with pytest.raises(ArchiveError, match="is in the archive twice"):
        check_entries([Entry("a", 1, 1), Entry("a", 1, 1)])


def test_the_manifest_may_be_in_a_sub_folder():
    assert find_manifest(["course/imsmanifest.xml", "course/index.html"]) == "course/"
    with pytest.raises(ArchiveError, match=r"There is no imsmanifest\.xml in this archive"):
        find_manifest(["index.html"])
    with pytest.raises(ArchiveError, match="There are 2 manifests"):
        find_manifest(["a/imsmanifest.xml", "b/imsmanifest.xml"])


NAMES = frozenset({"index.html", "my page.html"})


def manifest(text):
    return read_manifest(text.encode(), NAMES)


def test_a_manifest_of_scorm_1_2():
    found = manifest(MANIFEST.format(title="Fire on board", href="my%20page.html?lang=en#p3"))
    assert (found.standard, found.title) == ("scorm12", "Fire on board")
    assert (found.scos[0].href, str(found.scos[0].mastery)) == ("my%20page.html?lang=en#p3", "80")


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("<manifest><broken></manifest>", r"is broken at line 1, column"),
        ('<!DOCTYPE m [<!ENTITY x SYSTEM "file:///etc/passwd">]><manifest>&x;</manifest>', "entities outside itself"),
        ("<html/>", "holds something else than a manifest"),
        ("<manifest/>", "names nothing that could be launched"),
        (MANIFEST.format(title="T", href="gone.html"), "“gone.html”, is not in the archive"),
        (
            MANIFEST.format(title="T", href="https://elsewhere.example/x"),
            r"launched from another server \(elsewhere.example\)",
        ),
        (
            MANIFEST.format(title="T", href="index.html").replace('"r1" type', '"r2" type'),
            "refers to “r1”, which it does not list",
        ),
    ],
)
def test_a_manifest_that_cannot_be_used_says_why(text, message):
    with pytest.raises(ArchiveError, match=message):
        manifest(text)


@pytest.mark.parametrize(
    ("text", "seconds"),
    [("PT1H30M5S", 5405), ("0001:30:05.50", 5405.5), ("P1DT1S", 86401), ("PT0.5S", 0.5), ("90", None), ("PT", None)],
)
def test_durations_of_both_standards(text, seconds):
    assert parse_duration(text) == seconds


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
    judged = judge(state12(**values), "scorm12", mastery=mastery, threshold=None)
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
    judged = judge(state, "scorm2004", mastery=mastery, threshold=threshold)
    assert (judged.status, judged.is_done) == (status, done)


LAUNCH = Launch("p1", "Pellam, Jun", mastery="80")


def test_the_first_launch_is_new_and_what_was_suspended_is_resumed():
    first = start_values(RunState(), "scorm12", LAUNCH, was_over=False, is_first=True)
    assert (first["cmi.core.entry"], first["cmi.student_data.mastery_score"]) == ("ab-initio", "80")
    state = RunState(
        {"cmi.core.exit": "suspend", "cmi.core.lesson_location": "p3", "cmi.core.session_time": "00:02:00"}
    )
    again = begin_launch(state, "scorm12", "second")
    values = start_values(again, "scorm12", LAUNCH, was_over=True, is_first=False)
    assert (values["cmi.core.entry"], values["cmi.core.lesson_location"]) == ("resume", "p3")
    assert values["cmi.core.total_time"] == "0000:02:00.00"
    assert "cmi.core.exit" not in values
    assert "cmi.core.session_time" not in values


def test_a_launch_folds_the_time_of_the_last_one_in_once():
    state = begin_launch(RunState({"cmi.core.session_time": "00:10:00"}), "scorm12", "b")
    assert begin_launch(state, "scorm12", "b").base_seconds == 600
    assert begin_launch(state, "scorm12", "c").base_seconds == 600


def commit(state, seq=1, is_final=False, mode="normal", **values):
    changes = {f"cmi.core.{k}": v for k, v in values.items()}
    return apply_commit(state, "scorm12", changes, seq=seq, is_final=is_final, mode=mode)


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


def test_rows_know_from_when_to_when_they_were_known():
    facts = [("a", 1, 3), ("b", 2, 9)]
    known = over_time({1, 2, 3}, lambda day: [name for name, first, last in facts if first <= day < last])
    assert (known[0].row, known[0].known_from, known[0].known_to) == ("a", 1, 3)
    assert known[1].row == "b"
    assert known[1].known_from == 2
