from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.knowledge import over_time
from stepladder.core.packages.archive import ArchiveError, Entry, check_entries
from stepladder.core.packages.manifest import file_names, find_manifest, parse_duration, read_manifest
from stepladder.core.packages.names import best_code_page, match_name
from stepladder.core.packages.prerequisites import is_open
from stepladder.core.packages.runtime import DoneWhen, Launch, RunState, apply_commit, begin_launch, judge, start_values
from tests.factories import MANIFEST


@pytest.mark.parametrize(
    ("entry", "message"),
    [
        (Entry("../evil.html", 1, 1), "leads out of the package"),
        (Entry("a/../../b", 1, 1), "leads out of the package"),
        (Entry("/etc/passwd", 1, 1), "is an absolute path"),
        (Entry("C:/x.html", 1, 1), "is an absolute path"),
        (Entry("a\x00b.html", 1, 1), "characters that no path may have"),
        (Entry("a\\..\\..\\b.html", 1, 1), "leads out of the package"),
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
    assert find_manifest(["course/imsmanifest.xml", "course/index.html"]) == "course/imsmanifest.xml"
    assert find_manifest(["Course/ImsManifest.XML", "Course/index.html"]) == "Course/ImsManifest.XML"
    assert find_manifest(["imsmanifest.xml", "shared/imsmanifest.xml"]) == "imsmanifest.xml"
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


def test_what_file_managers_leave_behind_is_none_of_the_package_and_slashes_are_slashes():
    listed = [
        "course\\imsmanifest.xml",
        "course\\media\\a.png",
        "__MACOSX/course/._a.png",
        "course/.DS_Store",
        "Thumbs.db",
    ]
    files = check_entries([Entry(name, 10, 10) for name in listed])
    assert [file.name for file in files] == ["course/imsmanifest.xml", "course/media/a.png"]


def test_each_of_several_faults_is_named():
    with pytest.raises(ArchiveError) as error:
        check_entries([Entry("../a", 1, 1), Entry("b", 1, 1, is_link=True), Entry("c", 1, 1), Entry("c", 1, 1)])
    assert all(
        text in str(error.value) for text in ("“../a” leads out", "“b” is a link", "“c” is in the archive twice")
    )
    items = "".join(f'<item identifier="i{n}" identifierref="r{n}"><title>Part {n}</title></item>' for n in range(8))
    gone = "".join(f'<resource identifier="r{n}" href="{n}.html"/>' for n in range(7))
    with pytest.raises(ArchiveError) as error:
        manifest(
            f"<manifest><organizations><organization>{items}</organization></organizations><resources>{gone}</resources></manifest>"
        )
    assert "starts “Part 0”, “0.html”, is not in the archive" in str(error.value)
    assert str(error.value).endswith("And 3 more faults.")


@pytest.mark.parametrize(
    ("names", "says"),
    [
        (["cmi5.xml", "index.html"], "is a cmi5 package"),
        (["tincan.xml", "story.html"], "speaks xAPI only"),
        (["course.au", "course.crs", "course.cst", "course.des"], "is an AICC course"),
        (["index.html"], "it is a web page"),
        (["notes.txt"], "it is no SCORM package"),
    ],
)
def test_what_is_no_scorm_package_is_told_what_it_is(names, says):
    with pytest.raises(ArchiveError, match=says):
        find_manifest(names)


def test_a_manifest_with_entities_of_its_own_names_them():
    with pytest.raises(ArchiveError, match="an entity of its own"):
        manifest('<!DOCTYPE m [<!ENTITY nbsp "&#160;">]><manifest>&nbsp;</manifest>')


@pytest.mark.parametrize("page", ["windows-1252", "iso-8859-15", "utf-16", "shift_jis", "windows-1251"])
def test_a_manifest_is_read_in_the_code_page_it_says(page):
    title = {"shift_jis": "火災訓練", "windows-1251": "Пожар", "iso-8859-15": "Übung €"}.get(page, "Übung „Löschen“")
    text = MANIFEST.format(title=title, href="index.html").replace("?>", f' encoding="{page}"?>', 1)
    assert read_manifest(text.encode(page), NAMES).title == title


def test_a_manifest_that_says_no_code_page_or_a_wrong_one_is_read_all_the_same():
    text = MANIFEST.format(title="Übung", href="index.html")
    assert read_manifest(text.encode("cp1252"), NAMES).title == "Übung"
    assert read_manifest(text.replace("?>", ' encoding="nonsense"?>', 1).encode(), NAMES).title == "Übung"
    assert read_manifest(b"\xef\xbb\xbf" + text.encode(), NAMES).title == "Übung"


def test_bases_of_manifest_resources_and_resource_go_before_addresses():
    text = (
        MANIFEST.format(title="T", href="start.html")
        .replace('identifier="m"', 'identifier="m" xml:base="course/"')
        .replace("<resources>", '<resources xml:base="html/">')
        .replace('type="webcontent"', 'type="webcontent" xml:base="en/"')
    )
    found = read_manifest(text.encode(), frozenset({"course/html/en/start.html"}))
    assert found.scos[0].href == "course/html/en/start.html"
    assert file_names(text.encode()) == ["course/html/en/start.html"] * 2


@pytest.mark.parametrize(
    ("href", "parameters", "expected"),
    [
        ("index.html", "?lang=en", "index.html?lang=en"),
        ("index.html", "lang=en", "index.html?lang=en"),
        ("index.html?a=1", "?lang=en", "index.html?a=1&lang=en"),
        ("index.html#p3", "&lang=en", "index.html?lang=en#p3"),
        ("index.html", "#p3", "index.html#p3"),
        ("index.html#p1", "#p3", "index.html#p1"),
    ],
)
def test_parameters_are_written_with_their_question_mark_or_without(href, parameters, expected):
    item = f'identifierref="r1" parameters="{parameters.replace("&", "&amp;")}"'
    text = MANIFEST.format(title="T", href=href).replace('identifierref="r1"', item)
    assert manifest(text).scos[0].href == expected


def test_a_file_that_is_written_in_another_case_is_found_if_it_is_the_only_one():
    text = MANIFEST.format(title="T", href="Index.HTML?a=1").encode()
    assert read_manifest(text, NAMES).scos[0].href == "index.html?a=1"
    with pytest.raises(ArchiveError, match="is not in the archive"):
        read_manifest(text, frozenset({"index.html", "INDEX.html"}))
    assert match_name("cafe\u0301.html", ["caf\u00e9.html"]) == "caf\u00e9.html"


@pytest.mark.parametrize("page", ["utf-8", "cp1252", "cp850", "cp1251", "shift_jis"])
def test_names_of_an_archive_are_read_in_the_code_page_that_the_manifest_tells(page):
    names = {"cp1251": ["пожар/начало.html"], "shift_jis": ["火災/開始.html"], "cp850": ["übung/Ølberg.html"]}
    wanted = names.get(page, ["übung/begrüßung.html", "Ølberg.html"])
    assert best_code_page([f"course/{name}".encode(page) for name in wanted], wanted) == page


CHAPTERS = """<manifest><organizations><organization><title>Ship</title>
  <item identifier="c1"><title>Deck</title>
    <item identifier="a" identifierref="r1"><title>Lines</title></item>
    <item identifier="c2"><title>Night</title>
      <item identifier="b" identifierref="r1"><title>Lights</title><prerequisites type="aicc_script">a</prerequisites></item></item></item>
  <item identifier="c" identifierref="r1"><title>Exam</title><prerequisites type="aicc_script">a&amp;b</prerequisites></item>
</organization></organizations><resources><resource identifier="r1" href="index.html"/></resources></manifest>"""


def test_parts_know_their_chapters_and_what_comes_before_them():
    found = [(sco.title, sco.chapters, sco.prerequisites) for sco in manifest(CHAPTERS).scos]
    assert found == [("Lines", ("Deck",), ""), ("Lights", ("Deck", "Night"), "a"), ("Exam", (), "a&b")]


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


MEASURE = """<manifest xmlns:imsss="i"><metadata><schemaversion>2004 4th Edition</schemaversion></metadata><organizations><organization>
  <item identifier="a" identifierref="r1"><title>A</title>{own}
    <item identifier="b" identifierref="r1"><title>B</title>{below}</item></item>
</organization></organizations><resources><resource identifier="r1" href="index.html"/></resources></manifest>"""


def objective(by_measure, measure=""):
    least = f"<imsss:minNormalizedMeasure>{measure}</imsss:minNormalizedMeasure>" if measure else ""
    said = f'satisfiedByMeasure="{by_measure}"' if by_measure else ""
    return (
        f"<imsss:sequencing><imsss:objectives><imsss:primaryObjective {said}>{least}</imsss:primaryObjective>"
        "</imsss:objectives></imsss:sequencing>"
    )


@pytest.mark.parametrize(
    ("own", "below", "expected"),
    [
        (objective("true", "0.6"), objective("true", "0.9"), ["0.6", "0.9"]),
        # A measure that nothing is satisfied by asks for no score; one of the item below is not its own.
        (objective("false", "0.6"), "", [None, None]),
        (objective("", "0.6"), "", [None, None]),
        ("", objective("true", "0.9"), [None, "0.9"]),
        (objective("true"), "", ["1.0", None]),
    ],
)
def test_a_measure_counts_at_its_own_item_and_only_if_it_satisfies(own, below, expected):
    found = [sco.mastery for sco in manifest(MEASURE.format(own=own, below=below)).scos]
    assert [None if mastery is None else str(mastery) for mastery in found] == expected


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
    assert judge(state, "scorm2004", mastery=None, threshold=None, done_when=DoneWhen(done_when)).is_done is done
