"""Lessons: the tree, what may be in it, how long it takes, when it is done. Rule: 17."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.lessons import (
    BadTree,
    Media,
    Options,
    Part,
    check_tree,
    done_parts,
    empty_tree,
    find_trouble,
    key_terms,
    minutes_to_read,
    open_parts,
    read_options,
    share_done,
    text_of,
)
from stepladder.core.lessons.findings import CheckedSection, allows
from stepladder.core.lessons.formula import BadFormula, mathml_of

DIGEST = "a" * 64


def text(words, *marks):
    return {"type": "text", "text": words, **({"marks": list(marks)} if marks else {})}


def paragraph(*inside):
    return {"type": "paragraph", "content": [text(one) if isinstance(one, str) else one for one in inside]}


def a_tree(*blocks):
    return check_tree({"type": "doc", "content": list(blocks)})


def a_check(**said):
    return {"type": "check", "attrs": {"question": {"kind": "true_false", "text": "Is it?", **said}}}


PICTURE = {"type": "picture", "attrs": {"file": DIGEST, "width": 640, "height": 480, "shows": "A door"}}


def test_minutes_to_read_are_those_of_the_rule():
    film = {"type": "film", "attrs": {"version": "v1"}}
    words = paragraph(" ".join(["word"] * 404))
    # Each check asks two words: 404 and 3 × 2 are 410.
    tree = a_tree(words, PICTURE, PICTURE, a_check(), a_check(), a_check(), film)
    bare = text_of(tree).split()
    assert len(bare) == 410
    # 410 words, 2 pictures, 3 checks, a film of 1:30 are 5.45, so 6.
    assert minutes_to_read([tree], {"v1": 90.0}) == 6
    assert minutes_to_read([tree], {"v1": 90.0 + 33}) == 6
    assert minutes_to_read([tree], {"v1": 90.0 + 34}) == 7


def test_every_block_has_a_name_and_none_has_anothers():
    same = {"type": "line", "attrs": {"id": "twice"}}
    names = [block["attrs"]["id"] for block in a_tree(same, same, paragraph("a"))["content"]]
    assert names[0] == "twice"
    assert len(set(names)) == 3
    assert all(names)
    assert check_tree(empty_tree())


@pytest.mark.parametrize(
    ("block", "says"),
    [
        ({"type": "script", "content": [text("alert(1)")]}, "no blocks called “script”"),
        ({"type": "paragraph", "attrs": {"onclick": "x"}}, "has no “onclick”"),
        (paragraph(text("a", {"type": "link", "attrs": {"href": "javascript:alert(1)"}})), "“href” is an address"),
        (paragraph(text("a", {"type": "link", "attrs": {"href": "https://a b.example"}})), "“href” is an address"),
        (paragraph(text("a", {"type": "blink"})), "no marks called “blink”"),
        ({"type": "listing", "content": [text("x", {"type": "strong"})]}, "its text has no “strong”"),
        ({"type": "bullets", "content": [paragraph("a")]}, "text is not to stand in it"),
        ({"type": "note", "attrs": {"tone": "loud"}, "content": [paragraph("a")]}, "“tone” is one of mind"),
        ({"type": "picture", "attrs": {"file": "../secret"}}, "“file” is the digest"),
        ({"type": "picture", "attrs": {"width": float("nan")}}, "“width” is a number from"),
        ({"type": "page", "attrs": {"url": "http://plain.example/"}}, "begins with https"),
        ({"type": "check", "attrs": {"question": {"kind": "one", "choices": "many"}}}, "“choices” is a list"),
        ({"type": "paragraph", "content": "a"}, "its content is a list"),
        ({"type": "text", "text": "a"}, "is not to stand in it"),
        ("paragraph", "is no block"),
    ],
)
def test_what_is_no_block_is_refused_and_says_where(block, says):
    with pytest.raises(BadTree, match=says):
        check_tree({"type": "doc", "content": [block]})


def test_a_tree_without_end_is_refused():
    deep = paragraph("a")
    for _ in range(30):
        deep = {"type": "bullets", "content": [_item(deep)]}
    with pytest.raises(BadTree, match="without end"):
        check_tree({"type": "doc", "content": [deep]})
    with pytest.raises(BadTree, match="at most 20000 pieces"):
        check_tree({"type": "doc", "content": [{"type": "line"}] * 20_001})


def _item(inside):
    return {"type": "item", "content": [paragraph("a"), inside]}


def test_key_terms_stand_once_in_the_order_of_their_letters():
    term = {"type": "term", "attrs": {"meaning": "all of it burns at once"}}
    bare = {"type": "term", "attrs": {"meaning": ""}}
    trees = [a_tree(paragraph(text("Flashover", bare), " and ", text("flashover", term), text("cooling", bare)))]
    assert [(one.word, one.meaning) for one in key_terms(trees)] == [
        ("cooling", ""),
        ("Flashover", "all of it burns at once"),
    ]


PARTS = [
    Part("one", ("a", "b")),
    Part("two", ("c", "k"), checks=("k",)),
    Part("three", ("d",), hidden_until="k"),
]


@pytest.mark.parametrize(
    ("seen", "answers", "asks_right", "done", "is_open"),
    [
        ("", {}, False, [], ["one"]),
        ("ab", {}, False, ["one"], ["one", "two"]),
        ("abck", {"k": Fraction(1, 2)}, False, ["one", "two"], ["one", "two"]),
        ("abck", {"k": Fraction(1, 2)}, True, ["one"], ["one", "two"]),
        ("abck", {"k": Fraction(1)}, True, ["one", "two"], ["one", "two", "three"]),
        ("abckd", {"k": Fraction(1)}, True, ["one", "two", "three"], ["one", "two", "three"]),
    ],
)
def test_a_section_is_done_when_all_was_seen_and_answered(seen, answers, asks_right, done, is_open):
    found = done_parts(PARTS, seen=set(seen), answers=answers, asks_right=asks_right)
    assert found == done
    assert open_parts(PARTS, done=found, answers=answers, in_order=True) == is_open
    assert share_done(PARTS, found) == Fraction(len(done), 3)


def test_in_any_order_only_what_is_hidden_is_closed():
    assert open_parts(PARTS, done=[], answers={}, in_order=False) == ["one", "two"]
    gone = [PARTS[0], Part("three", ("d",), hidden_until="k")]
    assert open_parts(gone, done=[], answers={}, in_order=False) == ["one", "three"]


@given(st.sets(st.sampled_from("abckd")), st.sets(st.sampled_from("abckd")), st.booleans())
def test_seeing_more_never_lowers_progress(some, more, asks_right):
    said = {"answers": {"k": Fraction(1)}, "asks_right": asks_right}
    first = done_parts(PARTS, seen=some, **said)
    assert set(first) <= set(done_parts(PARTS, seen=some | more, **said))
    assert done_parts(PARTS, seen=set(), before=first, **said) == first


def found_in(*blocks, media=None, hosts=("charts.example",)):
    sections = [CheckedSection("s", "A section", a_tree(*blocks))]
    return [(one.text, one.is_grave) for one in find_trouble(sections, media or {}, hosts)]


@pytest.mark.parametrize(
    ("block", "says", "is_grave"),
    [
        ({"type": "picture", "attrs": {"file": DIGEST}}, "a picture does not say what it shows", True),
        ({"type": "film", "attrs": {"version": "v1"}}, "no captions on “Hoses”", True),
        ({"type": "film", "attrs": {"version": "gone"}}, "a film is gone from the library", True),
        ({"type": "heading", "attrs": {"level": 2}, "content": [text("Small")]}, "“Small” is a smaller heading", True),
        (a_check(kind="one"), "“Is it?” has fewer than two answers", True),
        ({"type": "page", "attrs": {"url": "https://evil.example/a", "title": "A"}}, "evil.example is no site", False),
        ({"type": "film", "attrs": {"url": "https://evil.example/a.mp4"}}, "evil.example is no site", True),
        (paragraph(" ".join(["word"] * 1001)), "it takes 6 min: two?", False),
        (paragraph(), "nothing is written yet", True),
    ],
)
def test_what_is_wrong_is_found_before_release(block, says, is_grave):
    found = found_in(block, media={"v1": Media("Hoses", 10, is_film=True)})
    assert [grave for words, grave in found if says in words] == [is_grave], found


def test_what_is_right_is_not_found_wrong():
    page = {"type": "page", "attrs": {"url": "https://www.charts.example/a", "title": "Tides"}}
    head = {"type": "heading", "attrs": {"level": 1}, "content": [text("Head")]}
    film = {"type": "film", "attrs": {"version": "v1"}}
    fine = Media("Hoses", 10, is_film=True, has_captions=True)
    assert found_in(head, page, PICTURE, a_check(), film, media={"v1": fine}) == []


@pytest.mark.parametrize(
    ("url", "is_allowed"),
    [
        ("https://charts.example/a", True),
        ("https://www.charts.example", True),
        ("https://mycharts.example", False),
        ("https://charts.example.evil.test/", False),
        ("https://charts.example@evil.test/", False),
        ("http://charts.example/", False),
    ],
)
def test_a_site_stands_for_what_is_below_it_and_nothing_else(url, is_allowed):
    assert allows(url, ["charts.example"]) is is_allowed


def test_options_are_read_and_refused():
    assert read_options(Options().kept()) == Options()
    with pytest.raises(BadTree, match="“paper” is one of"):
        read_options({"paper": "neon"})


@pytest.mark.parametrize(
    ("source", "has", "has_not"),
    [
        (r"F = \frac{m v^2}{2 d}", "<mfrac>", ""),
        (r"\href{javascript:alert(1)}{x}", "<mi>x</mi>", "javascript"),
        ("<math><mi onclick='x()'>a</mi><script>x()</script></math>", "<mi>a</mi>", "x()"),
    ],
)
def test_a_formula_is_drawn_and_does_nothing(source, has, has_not):
    drawn = mathml_of(source)
    assert has in drawn
    assert not has_not or has_not not in drawn


@pytest.mark.parametrize(
    ("source", "says"),
    [
        (r"\text{<b>}", "cannot be read"),
        ("{" * 40, "cannot be read"),
        ("<svg></svg>", "begins with <math>"),
        ("<!DOCTYPE a [<!ENTITY b 'c'>]><math>&b;</math>", "cannot be read"),
        (" ", "from 1 to"),
    ],
)
def test_what_is_no_formula_says_so(source, says):
    with pytest.raises(BadFormula, match=says):
        mathml_of(source)
