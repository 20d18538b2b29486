"""What archives and manifests say, and what is said of those that cannot be used."""

from decimal import Decimal

import pytest

from stepladder.core.packages.archive import (
    MAX_FILES,
    MAX_RATIO,
    MAX_UNPACKED,
    RATIO_COUNTS_FROM,
    ArchiveError,
    Entry,
    check_entries,
)
from stepladder.core.packages.manifest import file_names, find_manifest, parse_duration, read_manifest
from stepladder.core.packages.names import best_code_page, match_name
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


def files_of(*entries):
    return [entry.name for entry in check_entries(entries)]


def test_an_archive_at_its_bounds_is_unpacked_and_above_them_not():
    many = [Entry(f"{n}.html", 0, 0) for n in range(MAX_FILES)]
    assert len(check_entries([*many, Entry("media/", 0, 0)])) == MAX_FILES
    with pytest.raises(ArchiveError, match=f"has {MAX_FILES + 1} files; {MAX_FILES} is the most"):
        check_entries([*many, Entry("one more.html", 0, 0)])
    assert files_of(Entry("film.mp4", MAX_UNPACKED, MAX_UNPACKED))
    # What is small may be packed as well as can be; what is large is at most a hundred times its size.
    assert files_of(Entry("small.txt", RATIO_COUNTS_FROM, 0))
    assert files_of(Entry("large.txt", 2 * MAX_RATIO * 1024**2, 2 * 1024**2))
    for size, packed in (
        (MAX_UNPACKED + 1, MAX_UNPACKED),
        (RATIO_COUNTS_FROM + 1, 0),
        (2 * MAX_RATIO * 1024**2 + 1, 2 * 1024**2),
    ):
        with pytest.raises(ArchiveError, match="far more than it holds"):
            check_entries([Entry("large.txt", size, packed)])
    with pytest.raises(ArchiveError, match="far more than it holds"):
        check_entries([Entry("a.mp4", MAX_UNPACKED, MAX_UNPACKED), Entry("b.txt", 1, 1)])


def test_names_may_be_as_short_as_a_letter_and_only_a_file_manager_s_own_are_left_out():
    listed = ["C", "a/__MACOSX/b", "a/c._d", "a/._d", "Desktop.INI", "a/thumbs.db/e", ":"]
    assert files_of(*(Entry(name, 1, 1) for name in listed)) == ["C", "a/__MACOSX/b", "a/c._d", "a/thumbs.db/e", ":"]


@pytest.mark.parametrize("name", ["../", "C:/", "C:", "/"])
def test_a_folder_that_leads_elsewhere_is_refused_as_a_file_is(name):
    with pytest.raises(ArchiveError):
        check_entries([Entry("index.html", 1, 1), Entry(name, 0, 0, is_folder=True)])


@pytest.mark.parametrize(("count", "rest"), [(5, "it."), (6, " And 1 more fault."), (7, " And 2 more faults.")])
def test_five_faults_are_named_and_of_more_how_many(count, rest):
    with pytest.raises(ArchiveError) as error:
        check_entries([Entry(f"{n}.html", 1, 1, is_link=True) for n in range(count)])
    assert str(error.value).endswith(rest)
    assert str(error.value).count("is a link") == 5


@pytest.mark.parametrize(
    ("names", "expected"),
    [
        (["a/imsmanifest.xml", "b/c/imsmanifest.xml"], "a/imsmanifest.xml"),
        (["z/imsmanifest.xml", "a/b/imsmanifest.xml"], "z/imsmanifest.xml"),
        (["IMSMANIFEST.XML", "imsmanifest.xml"], "imsmanifest.xml"),
        (["IMSMANIFEST.XML", "ImsManifest.xml"], None),
        (["my imsmanifest.xml.txt", "a/IMSMANIFEST.xml"], "a/IMSMANIFEST.xml"),
    ],
)
def test_the_manifest_is_the_one_that_is_least_deep(names, expected):
    if expected:
        assert find_manifest(names) == expected
    else:
        with pytest.raises(ArchiveError, match="There are 2 manifests"):
            find_manifest(names)


@pytest.mark.parametrize(
    ("names", "says"),
    [
        (["Course/CMI5.XML", "index.html"], "is a cmi5 package"),
        (["course.au", "notes"], "it is no SCORM package"),
        (["COURSE.AU", "course.CRS"], "is an AICC course"),
        (["folder/INDEX.HTM"], "it is a web page"),
    ],
)
def test_what_it_is_is_told_by_names_in_any_case(names, says):
    with pytest.raises(ArchiveError, match=says):
        find_manifest(names)


def a_manifest(item="", resource="", *, organisation="", head="", title="<title>T</title>", more=""):
    return (
        f"<manifest>{head}<organizations{organisation}><organization>"
        f'<item identifier="i" identifierref="r"{item}>{title}{more}</item>'
        f'</organization></organizations><resources><resource identifier="r" href="index.html"{resource}/></resources></manifest>'
    )


def version(text, body=""):
    return f"<metadata><schemaversion>{text}</schemaversion>{body}</metadata>"


@pytest.mark.parametrize(
    ("head", "more", "expected"),
    [
        (version("2004 3rd Edition"), "", "scorm2004"),
        (version("CAM 1.3"), "", "scorm2004"),
        (version("1.3"), "", "scorm2004"),
        (version("1.2"), "<sequencing/>", "scorm12"),
        ("", "<sequencing/>", "scorm2004"),
        ("", "", "scorm12"),
    ],
)
def test_the_standard_is_the_version_that_is_said_else_told_by_sequencing(head, more, expected):
    assert manifest(a_manifest(head=head, more=more)).standard == expected


def lom(body):
    return f"<metadata><lom>{body}</lom></metadata>"


GENERAL = (
    "<general><title><langstring> Fire \n on board</langstring></title><description>Short.</description></general>"
)


def test_a_package_without_a_title_is_called_what_its_description_calls_it_or_its_first_part():
    described = manifest(a_manifest(head=lom(GENERAL)))
    assert (described.title, described.description) == ("Fire on board", "Short.")
    assert manifest(a_manifest()).title == "T"
    assert manifest(a_manifest(title="")).title == "Package"


@pytest.mark.parametrize(
    ("time", "minutes"),
    [
        ("<typicallearningtime><datetime>00:45:29</datetime></typicallearningtime>", 45),
        ("<typicalLearningTime><duration>PT1H</duration></typicalLearningTime>", 60),
        ("<typicalLearningTime><duration>PT5S</duration></typicalLearningTime>", 1),
        ("<typicalLearningTime>about<duration>PT0S</duration><duration>PT90S</duration></typicalLearningTime>", 2),
        ("<typicalLearningTime>long</typicalLearningTime>", None),
        ("", None),
    ],
)
def test_how_long_a_package_takes_is_told_in_whole_minutes(time, minutes):
    assert manifest(a_manifest(head=lom(f"<educational>{time}</educational>"))).minutes == minutes


ORGANISATIONS = """<manifest><organizations{default}>
  <organization identifier="o1"><title>First</title><item identifierref="r1"/></organization>
  <organization identifier="o2"><title>Second</title><item identifierref="r1"><title>Own</title></item></organization>
</organizations><resources><resource identifier="r1" href="index.html"/><resource identifier="r2"/></resources></manifest>"""


@pytest.mark.parametrize(
    ("default", "title"), [("", "First"), (' default="o2"', "Second"), (' default="gone"', "First")]
)
def test_of_several_organisations_the_default_one_is_played(default, title):
    found = manifest(ORGANISATIONS.format(default=default))
    assert (found.title, [sco.key for sco in found.scos]) == (title, ["index.html"])


def test_without_an_organisation_each_resource_that_can_be_launched_is_a_part():
    resources = '<resource identifier="r1" xml:base="en/" href="a.html"/><resource identifier="r2"/>'
    for head in ("", "<organizations/>"):
        found = read_manifest(
            f"<manifest>{head}<resources>{resources}</resources></manifest>".encode(), frozenset({"en/a.html"})
        )
        assert [(sco.key, sco.title, sco.href, sco.is_asset) for sco in found.scos] == [("r1", "", "en/a.html", False)]
        assert found.title == "Package"


def test_an_item_that_only_groups_others_is_no_part():
    text = a_manifest(resource=' type="x"').replace(' href="index.html"', "")
    with pytest.raises(ArchiveError, match="names nothing that could be launched"):
        manifest(text)


@pytest.mark.parametrize(
    ("resource", "more", "name", "expected"),
    [
        (' scormtype="asset"', "", "is_asset", True),
        (' scormType="Asset"', "", "is_asset", True),
        (' scormtype="sco"', "", "is_asset", False),
        ("", "<datafromlms>deck=car</datafromlms>", "launch_data", "deck=car"),
        ("", "<dataFromLMS>deck=car</dataFromLMS>", "launch_data", "deck=car"),
        ("", "", "launch_data", ""),
        ("", "<maxtimeallowed>0000:10:00.00</maxtimeallowed>", "max_seconds", 600),
        ("", "<maxtimeallowed>PT0S</maxtimeallowed>", "max_seconds", None),
        ("", "<maxtimeallowed>soon</maxtimeallowed>", "max_seconds", None),
        ("", f"<prerequisites>{'a|' * 1000}b</prerequisites>", "prerequisites", "a|" * 1000),
        ("", "<completionThreshold>0.7</completionThreshold>", "threshold", Decimal("0.7")),
        ("", '<completionThreshold completedByMeasure="true" minProgressMeasure="0.7"/>', "threshold", Decimal("0.7")),
        ("", '<completionThreshold completedByMeasure="1"/>', "threshold", Decimal("1.0")),
        # A measure that nothing is completed by asks for no progress.
        ("", '<completionThreshold completedByMeasure="false" minProgressMeasure="0.7"/>', "threshold", None),
        ("", '<completionThreshold minProgressMeasure="0.7"/>', "threshold", None),
        ("", "", "threshold", None),
        ("", "<masteryscore> 8e1 </masteryscore>", "mastery", Decimal(80)),
        # Numbers that are none, or would take a second for each of their digits.
        ("", "<masteryscore>80 %</masteryscore>", "mastery", None),
        ("", "<masteryscore>1e999999999</masteryscore>", "mastery", None),
        ("", "<masteryscore>Infinity</masteryscore>", "mastery", None),
    ],
)
def test_what_an_item_asks_of_its_part(resource, more, name, expected):
    (sco,) = manifest(a_manifest(resource=resource, more=more)).scos
    assert getattr(sco, name) == expected


def test_a_limit_may_stand_at_the_item():
    (sco,) = manifest(a_manifest(item=' attemptAbsoluteDurationLimit="PT10M"')).scos
    assert (sco.max_seconds, sco.key) == (600, "i")


@pytest.mark.parametrize(
    ("href", "expected"),
    [
        ("./index.html?a=1", "./index.html?a=1"),
        ("/index.html", "index.html"),
        ("media/../index.html#p", "index.html#p"),
        (".\\my page.html", "my%20page.html"),
    ],
)
def test_an_address_that_is_written_otherwise_becomes_the_file_s_own(href, expected):
    assert manifest(a_manifest().replace("index.html", href)).scos[0].href == expected


@pytest.mark.parametrize(("href", "where"), [("//elsewhere.example/x", "elsewhere.example"), ("mailto:x", "mailto")])
def test_an_address_elsewhere_is_named(href, where):
    with pytest.raises(ArchiveError, match=rf"from another server \({where}\)"):
        manifest(a_manifest().replace("index.html", href))


def test_a_file_that_is_missing_from_a_part_without_a_title_is_the_package_s():
    with pytest.raises(ArchiveError, match=r"that starts “the package”, “gone\.html”, is not"):
        manifest(a_manifest(title="").replace("index.html", "gone.html"))


def test_the_files_that_a_manifest_lists_are_those_with_an_address():
    text = '<manifest><resources><resource href="./a%20b.html?x"><file href="c.png"/><file/></resource><resource/></resources></manifest>'
    assert file_names(text.encode()) == ["a b.html", "c.png"]


def test_a_broken_manifest_says_where_and_letters_that_none_can_read_say_so():
    with pytest.raises(ArchiveError, match=r"is broken at line 2, column 4\."):
        read_manifest(b"<manifest>\n<a></b></manifest>".replace(b"<a></b>", b"<a &b"), NAMES)
    with pytest.raises(ArchiveError, match="letters that cannot be read"):
        read_manifest(b"<manifest>\x81\xff", NAMES)
    with pytest.raises(ArchiveError, match="entities outside itself"):
        manifest('<!DOCTYPE m [<!ENTITY x PUBLIC "-//x" "x.ent">]><manifest>&x;</manifest>')


@pytest.mark.parametrize(
    ("text", "seconds"),
    [
        ("P1Y", 31_536_000),
        ("P1M", 2_592_000),
        ("PT1M", 60),
        (" PT0S ", 0),
        ("99:59:59.9", 359_999.9),
        ("1:00:00", None),
        ("P9Y11M", 9 * 31_536_000 + 11 * 2_592_000),
        # Ten years are no time that anything takes.
        ("P10Y", None),
        ("P9Y364DT23H59M59S", 10 * 31_536_000 - 1),
        ("P9Y365DT0S", None),
        ("P" + "9" * 30 + "Y", None),
        ("PT" + "0" * 36 + "5S", 5),
        ("PT" + "0" * 37 + "5S", None),
    ],
)
def test_durations_at_their_bounds(text, seconds):
    assert parse_duration(text) == seconds


def test_names_that_no_code_page_explains_are_read_in_the_first_that_can():
    assert best_code_page([b"a.html"], ["b.html"]) == "utf-8"
    assert best_code_page([b"\xff.html"], []) == "cp437"
    # Most of the names decide, not one that happens to fit.
    raw = ["übung.html".encode("cp1252"), "ölberg.html".encode("cp1252"), b"a.html"]
    assert best_code_page(raw, ["a.html", "übung.html", "ölberg.html"]) == "cp1252"


def test_of_names_alike_the_one_with_the_same_accents_is_meant_and_of_two_none():
    assert match_name("cafe\u0301.html", ["caf\u00e9.html", "CAF\u00c9.html"]) == "caf\u00e9.html"
    assert match_name("A.html", ["a.html", "b.html"]) == "a.html"
    assert match_name("a.HTML", ["a.html", "A.html"]) is None
    assert match_name("c.html", ["a.html"]) is None
