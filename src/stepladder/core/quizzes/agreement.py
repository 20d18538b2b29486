"""How far two markers agree: kappa with quadratic weights. A difference weighs as its square, chance is taken out. Rule: 7."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from fractions import Fraction

__all__ = ["kappa"]


def kappa(pairs: Sequence[tuple[int, int]]) -> Fraction | None:
    """From 1 (always the same) by 0 (as by chance) to below; None without pairs, and where both gave one and the same throughout."""
    count = len(pairs)
    if not count:
        return None
    seen = Fraction(sum((one - other) ** 2 for one, other in pairs), count)
    ones, others = Counter(one for one, _ in pairs), Counter(other for _, other in pairs)
    by_chance = Fraction(
        sum(n * m * (one - other) ** 2 for one, n in ones.items() for other, m in others.items()), count * count
    )
    return None if by_chance == 0 else 1 - seen / by_chance
