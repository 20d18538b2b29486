"""What a look at a source finds. Rule: 18."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.sources import Known, compare, narrower, strongest

AT = datetime(2026, 11, 2, 9, 0, tzinfo=UTC)
A, B, C = "a" * 64, "b" * 64, "c" * 64


def known(**digests):
    return {path: Known(digest) for path, digest in digests.items()}


@pytest.mark.parametrize(
    ("before", "found", "expected"),
    [
        ({}, {"x": A}, {"new": ["x"]}),
        ({"x": A}, {"x": A}, {}),
        ({"x": A}, {"x": B}, {"changed": ["x"]}),
        ({"x": A}, {"y": A}, {"moved": [("x", "y")]}),
        # The old path is still there with the same content: it is a copy.
        ({"x": A}, {"x": A, "y": A}, {"new": ["y"]}),
        # Its old path has other content by now: the module goes along, and what stands there is new.
        ({"x": A}, {"x": B, "y": A}, {"moved": [("x", "y")], "new": ["x"]}),
        ({"x": A, "y": B}, {"x": B, "y": A}, {"moved": [("y", "x"), ("x", "y")]}),
        # What stood where it went to has no place any more.
        ({"x": A, "y": B}, {"y": A}, {"moved": [("x", "y")], "displaced": ["y"]}),
        ({"p/x": A, "q/z": A}, {"r/z": A, "r/x": A}, {"moved": [("p/x", "r/x"), ("q/z", "r/z")]}),
        ({"x": A}, {}, {"gone": ["x"]}),
    ],
)
def test_digests_come_before_paths(before, found, expected):
    looked = compare(known(**before), found, AT)
    assert {name: value for name, value in vars(looked).items() if value} == expected


def test_what_is_gone_in_two_looks_a_minute_apart_is_missing_and_is_the_same_when_it_is_back():
    for ago, expected in ((59, []), (60, ["x"])):
        gone = {"x": Known(A, AT - timedelta(seconds=ago))}
        assert compare(gone, {}, AT).missing == expected
    missing = {"x": Known(A, AT - timedelta(days=3), is_missing=True)}
    assert vars(compare(missing, {}, AT))["missing"] == []
    assert compare(missing, {"x": A}, AT).back == ["x"]
    assert compare(missing, {"x": B}, AT).changed == ["x"]
    assert compare(missing, {"y": A}, AT).moved == [("x", "y")]


def test_of_what_could_not_be_looked_at_nothing_is_said():
    looked = compare(known(x=A, y=B), {"z": A}, AT, unread={"x"})
    assert (looked.new, looked.moved, looked.gone) == (["z"], [], ["y"])


names, digests = st.sampled_from("uvwxyz"), st.sampled_from([A, B, C])


@given(st.dictionaries(names, digests), st.dictionaries(names, digests))
def test_every_path_is_told_of_once_and_a_second_look_finds_nothing(before, found):
    looked = compare(known(**before), found, AT)
    taken = [*looked.new, *looked.changed, *(new for _, new in looked.moved), *looked.back]
    same = [path for path in found if before.get(path) == found[path]]
    assert sorted([*taken, *same]) == sorted(found)
    away = {old for old, _ in looked.moved}
    assert set(looked.gone) == set(before) - set(found) - away
    # No module is taken along to a content that is another, and none twice.
    assert all(before[old] == found[new] for old, new in looked.moved)
    assert len(away) == len(looked.moved)
    assert not any(vars(compare(known(**found), found, AT)).values())


def test_the_strongest_of_what_is_said_counts_and_rights_only_narrow():
    values = strongest(
        {"title"},
        {"title": "Of the sheet", "minutes": 7, "rights": "keep"},
        {"title": "Of the file", "minutes": 3, "description": "Said."},
        {"rights": "play", "language": "en", "description": "Default."},
    )
    assert values == {"rights": "play", "language": "en", "description": "Said.", "minutes": 7}
    assert [narrower("keep", "editors"), narrower("play", "keep")] == ["editors", "play"]
