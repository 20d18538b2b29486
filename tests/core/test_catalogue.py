"""The order of the catalogue, lengths, ratings. Rules: 14, 20."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import pytest

from stepladder.core.catalogue import Listed, length_class, like_me, order_key, path_minutes, rating, topics_to_show

OLD, NEW = date(2026, 1, 1), date(2026, 6, 1)


def test_things_stand_in_the_order_of_the_rule() -> None:
    right = [
        Listed("Z noticed", OLD, on_noticeboard=True),
        Listed("Y passed on", OLD, passed_on_unopened=True),
        Listed("X begun", OLD, begun=True),
        Listed("W nine others", OLD, others=9),
        Listed("V three others", OLD, others=3),
        Listed("U new", NEW),
        # Two others are too few to order by.
        Listed("Élan", OLD, others=2),
        Listed("fold", OLD),
        Listed("A done", NEW, on_noticeboard=True, done=True),
    ]
    shuffled = right[3:] + right[:3]
    assert sorted(shuffled, key=order_key) == right
    assert [like_me(n) for n in (0, 2, 3, 7)] == [0, 0, 3, 7]


@pytest.mark.parametrize(
    ("minutes", "named"),
    [(0, None), (1, "10"), (10, "10"), (11, "30"), (30, "30"), (60, "60"), (61, "240"), (240, "240"), (241, "longer")],
)
def test_each_class_of_lengths_has_its_end(minutes: int, named: str | None) -> None:
    assert length_class(minutes) == named


def test_a_path_is_as_long_as_what_is_owed_and_the_shortest_electives() -> None:
    assert path_minutes([30, 45]) == 75
    assert path_minutes([30], [((120, 10, 60), 2), ((5,), 1)]) == 30 + 70 + 5


def test_a_rating_is_shown_from_three_raters_on_halves_up() -> None:
    assert rating(10, 2) is None
    shown = rating(13, 4)
    assert shown is not None
    assert (shown.mean, shown.raters) == (Decimal("3.3"), 4)  # 3.25
    found = rating(14, 3)
    assert found is not None
    assert found.mean == Decimal("4.7")


def test_who_follows_nothing_is_shown_what_their_peers_follow() -> None:
    names = {1: "Yard", 2: "deck", 3: "Boats", 4: "Alarm"}
    assert topics_to_show([1, 3], {2: 9}, names) == [3, 1]
    assert topics_to_show([], {2: 2, 1: 5, 3: 2, 4: 0}, names) == [1, 3, 2]
    assert topics_to_show([], {}, names) == [4, 3, 2, 1]
