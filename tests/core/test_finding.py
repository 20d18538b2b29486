"""What is found by words, and in which order. Rule: 14."""

import pytest

from stepladder.core.finding import edits_allowed, fold, near_words, place_of, score, snippet, words_of


def test_words_are_whole_parted_by_hyphens_and_folded():
    assert words_of("Żółć-Šimková: the SNAP-back_zone, snap") == ["zolc", "simkova", "the", "snap", "back", "zone"]
    assert fold("Łucja, Ærø, Straße") == "lucja, aero, strasse"


@pytest.mark.parametrize(("word", "edits"), [("far", 0), ("fire", 1), ("muster", 1), ("mooring", 1), ("closeded", 2)])
def test_longer_words_may_be_further_off(word, edits):
    assert edits_allowed(word) == edits


def test_near_words_are_at_one_edit_and_at_two_from_eight_letters():
    assert near_words("fier", ["fire", "fiber", "fir", "tier", "fie"]) == ["fiber", "fir", "tier", "fie"]
    # Two swapped letters are two edits.
    assert near_words("mooirng", ["mooring"]) == []
    assert near_words("survivla", ["survival"]) == ["survival"]
    assert near_words("far", ["fare"]) == []


THING = {
    "title": "Fire on board",
    "tags": "alarm, muster",
    "description": "What to do first.",
    "text": "Close the vents at once",
}


@pytest.mark.parametrize(
    ("asked", "twice"),
    [
        ("fire", 16),
        ("alarm", 8),
        ("first", 4),
        ("vents", 2),
        ("fire vents", 18),
        ("fire boat", None),
        ("fir", None),
        ("FIRE on", 32),
    ],
)
def test_each_word_counts_by_the_strongest_field_that_has_it_and_all_must_stand_somewhere(asked, twice):
    assert score(words_of(asked), THING) == twice


def test_a_word_found_by_a_near_one_counts_half():
    assert score(["fier", "vents"], THING, {"fier": ["fire", "fiery"]}) == 8 + 2


def test_the_place_is_where_most_of_the_words_stand_the_earliest_of_several():
    pages = ["Fire!", "Close the vents", "Close the doors and vents", "vents"]
    assert place_of(["vents"], pages) == 1
    assert place_of(["vents", "doors"], pages) == 2
    assert place_of(["nothing"], pages) is None


def test_a_snippet_shows_the_words_around_the_first_that_was_asked():
    text = "one " * 40 + "Żółć stands here " + "two " * 40
    assert "Żółć stands here" in snippet(["zolc"], text)
    assert snippet(["zolc"], text).startswith("… one")
    assert snippet(["zolc"], "Żółć alone") == "Żółć alone"
