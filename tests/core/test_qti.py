"""Questions as QTI 2.1 and 3.0: what goes out comes in again; what is not asked here is named."""

import io
import zipfile

import pytest

from stepladder.core.questions.plain_text import read_text
from stepladder.core.questions.qti import VERSIONS, BadItem, is_item, keywords_of, read_item, write_package
from tests.core.test_questions_as_text import TEXT


def items_of(package):
    with zipfile.ZipFile(io.BytesIO(package)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


@pytest.mark.parametrize("version", VERSIONS)
def test_every_kind_goes_out_and_comes_in_again(version):
    questions = read_text(TEXT).questions
    files = items_of(write_package(questions, version))
    about = keywords_of(files.pop("imsmanifest.xml"))
    assert about["items/q00001.xml"] == {"topic": "Cold chain", "difficulty": "easy"}
    assert all(is_item(body) for body in files.values())
    found = [read_item(body) for body in files.values()]
    assert [item.unknown for item in found] == [""] * len(questions)
    assert [item.raw["kind"] for item in found] == [one.raw["kind"] for one in questions]
    for one, item in zip(questions, found, strict=True):
        for key in ("choices", "pairs", "accepted", "is_true", "model_answer", "all_or_nothing"):
            if one.raw["kind"] != "order" and key in one.raw:
                assert item.raw.get(key) == one.raw[key], (one.raw["kind"], key)
    number = found[5].raw
    # Of numbers that are drawn an example goes out.
    assert number["text"].startswith("How much water do 10 portions need?")
    assert (number["number"], number["tolerance"]) == ("15", "0.5")


HEAD = '<assessmentItem xmlns="http://www.imsglobal.org/xsd/imsqti_v2p1" identifier="i" title="Ropes">'


def item(inside, response=""):
    return f"{HEAD}{response}<itemBody>{inside}</itemBody></assessmentItem>".encode()


@pytest.mark.parametrize(
    ("inside", "unknown"),
    [
        ("<hotspotInteraction responseIdentifier='RESPONSE'/>", "hotspotInteraction"),
        ("<p>One <inlineChoiceInteraction/> and</p><textEntryInteraction/>", "inlineChoiceInteraction"),
        ("<textEntryInteraction/><textEntryInteraction/>", "2 interactions in one item"),
        ("<p>Only text.</p>", "0 interactions in one item"),
        (
            "<choiceInteraction maxChoices='1'><simpleChoice identifier='a'>A</simpleChoice></choiceInteraction>",
            "choiceInteraction, which",
        ),
        (
            "<orderInteraction><simpleChoice identifier='a'>A</simpleChoice></orderInteraction>",
            "does not say the whole order",
        ),
        ("<matchInteraction><simpleMatchSet/><simpleMatchSet/></matchInteraction>", "matchInteraction, which"),
    ],
)
def test_what_is_not_asked_here_is_named(inside, unknown):
    found = read_item(item(inside))
    assert (found.raw, found.identifier) == (None, "i")
    assert unknown in found.unknown


def test_a_mapping_says_what_is_right_and_media_stay_behind_by_name():
    response = (
        '<responseDeclaration identifier="R" cardinality="multiple" baseType="identifier"><mapping>'
        '<mapEntry mapKey="a" mappedValue="1"/><mapEntry mapKey="b" mappedValue="-1"/></mapping></responseDeclaration>'
    )
    inside = (
        '<p>Which <img src="x.png"/>?</p><choiceInteraction responseIdentifier="R"><simpleChoice identifier="a">A</simpleChoice>'
        '<simpleChoice identifier="b">B<feedbackInline>No.</feedbackInline></simpleChoice></choiceInteraction>'
    )
    found = read_item(item(inside, response))
    assert found.raw["choices"] == [{"text": "A", "right": True}, {"text": "B", "right": False, "feedback": "No."}]
    assert "all_or_nothing" not in found.raw
    assert (found.raw["text"], found.left) == ("Which ?", ["1 picture or other media"])


@pytest.mark.parametrize(
    ("body", "words"),
    [
        (b"<assessmentItem", "no XML"),
        (b"<other/>", "no assessmentItem"),
        (b'<!DOCTYPE a [<!ENTITY b "c">]><assessmentItem>&b;</assessmentItem>', "no XML"),
        (b"<assessmentItem>" + b" " * 1_000_001, "longer than"),
    ],
)
def test_what_is_no_item_is_refused(body, words):
    with pytest.raises(BadItem, match=words):
        read_item(body)


def test_an_item_may_be_nested_as_deep_as_it_likes():
    deep = "<div>" * 4000 + "Deep" + "</div>" * 4000
    assert read_item(item(f"{deep}<extendedTextInteraction responseIdentifier='R'/>")).raw["text"] == "Deep"
