"""What a course can start from: how its steps follow each other, what completes it, how long it counts, who gets in."""

from __future__ import annotations

from dataclasses import dataclass

from stepladder.core.admission import Admission
from stepladder.core.sequence import Order

__all__ = ["COURSE_PATTERNS", "CoursePattern", "ValidFor"]


@dataclass(frozen=True)
class ValidFor:
    """So many months, from how many days before it may be renewed, and how many days of grace there are after."""

    months: int
    window_days: int = 0
    grace_days: int = 0


@dataclass(frozen=True)
class CoursePattern:
    """All of it can be said otherwise on the sheet before the release."""

    label: str
    preparation_order: Order = Order.ANY_ORDER
    main_order: Order = Order.IN_ORDER
    lowest_score: int | None = None
    valid: ValidFor | None = None
    admission: Admission | None = None


COURSE_PATTERNS = {
    "": CoursePattern("nothing: empty, and valid for ever"),
    "yearly": CoursePattern(
        "renewed each year: in order, 80 % at least, from 60 days before, 14 days of grace",
        lowest_score=80,
        valid=ValidFor(12, 60, 14),
    ),
    "day": CoursePattern(
        "read first, then a day together: what prepares in order, valid 24 months",
        preparation_order=Order.IN_ORDER,
        main_order=Order.ANY_ORDER,
        valid=ValidFor(24, 90, 30),
    ),
    "choice": CoursePattern(
        "for whoever wants it: in any order, open to everybody, valid for ever",
        main_order=Order.ANY_ORDER,
        admission=Admission.OPEN,
    ),
}
