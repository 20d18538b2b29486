"""Numbers that arrive as text. They are measured before they are read: a long one costs seconds, or is refused by Python."""

from __future__ import annotations

import re
from fractions import Fraction

__all__ = ["exact_number", "whole_number"]

# As many digits as a key of the database has at most, and more than anything that is counted here.
_WHOLE = re.compile(r"[0-9]{1,18}")
# Scores and measures of packages: so many digits before and behind the point, and a small power of ten.
_EXACT = re.compile(r"[+-]?([0-9]{1,12}(\.[0-9]{0,20})?|\.[0-9]{1,20})([eE][+-]?[0-9]{1,2})?")


def whole_number(text: object) -> int | None:
    """The number that a text of at most 18 plain digits means; None where it is none."""
    return int(text) if isinstance(text, str) and _WHOLE.fullmatch(text) else None


def exact_number(value: object) -> Fraction | None:
    """A decimal number, exactly, from text or from JSON ("0.85", 85, 8.5e1); None where it is none, or has too many digits."""
    text = str(value).strip() if isinstance(value, str | int | float) and not isinstance(value, bool) else ""
    return Fraction(text) if _EXACT.fullmatch(text) else None
