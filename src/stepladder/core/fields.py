"""Values of custom fields and cells as people write them, read into what is compared."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import date, datetime
from decimal import Context, Decimal, InvalidOperation
from functools import lru_cache
from typing import Literal

from stepladder.core.days import DayError, plausible

__all__ = ["FieldKind", "ValueUnread", "read_day", "read_value"]

FieldKind = Literal["text", "number", "day", "choice"]
_PARTS = re.compile(r"^(\d{1,4})[./\-\s](\d{1,2})[./\-\s](\d{1,4})$")
# More digits than anything that is counted of people has.
LONGEST_NUMBER = 30
# Decimal's own 28 digits would change the last ones of a number that is longer.
_EXACT = Context(prec=2 * LONGEST_NUMBER)
_WORDED = ("%d %b %Y", "%d %B %Y", "%b %d %Y", "%B %d %Y", "%d-%b-%Y")


class ValueUnread(ValueError):
    """A value that cannot be what its field asks for; the message is for people and says what to write."""


@lru_cache(maxsize=10_000)
def read_day(text: str, *, day_first: bool = True) -> date:
    """The day of a cell: 2027-04-01, 01.04.2027, 1/4/27 or 1 Apr 2027. *day_first* tells 01/04 apart. Raises ValueUnread."""
    plain = " ".join(text.replace(",", " ").split())
    # Spreadsheets write a day with its midnight.
    plain = re.sub(r"[ T]00:00(:00)?(\.0+)?$", "", plain)
    match = _PARTS.match(plain)
    try:
        if match:
            return plausible(_from_parts(match[1], match[2], match[3], day_first))
        for pattern in _WORDED:
            try:
                return plausible(datetime.strptime(plain, pattern).date())  # noqa: DTZ007 - a day has no zone
            except ValueError:
                continue
    except (ValueError, DayError):
        pass
    raise ValueUnread(f"“{text}” is no day of the calendar. Write it like 2027-04-01.")


def _from_parts(first: str, second: str, third: str, day_first: bool) -> date:
    if len(first) == 4:
        return date(int(first), int(second), int(third))
    year = int(third) + (2000 if int(third) < 70 else 1900) if len(third) == 2 else int(third)
    day, month = (first, second) if day_first else (second, first)
    return date(year, int(month), int(day))


def read_value(kind: FieldKind, text: str, *, choices: Sequence[str] = (), day_first: bool = True) -> str:
    """What a field says, as it is kept and compared; "" where it says nothing. Raises ValueUnread."""
    plain = text.strip()
    if not plain:
        return ""
    if kind == "number":
        if len(plain) > LONGEST_NUMBER:
            raise ValueUnread(f"A number has at most {LONGEST_NUMBER} signs. Write it like 12 or 3.5.")
        try:
            number = Decimal(plain.replace("\u00a0", "").replace(" ", "").replace(",", "."))
        except InvalidOperation:
            raise ValueUnread(f"“{text}” is no number. Write it like 12 or 3.5.") from None
        if not number.is_finite():
            raise ValueUnread(f"“{text}” is no number. Write it like 12 or 3.5.")
        if abs(number.adjusted()) > LONGEST_NUMBER:
            raise ValueUnread(f"“{text}” has too many digits. Write it like 12 or 3.5.")
        return format(_EXACT.normalize(number), "f") if number else "0"
    if kind == "day":
        return read_day(plain, day_first=day_first).isoformat()
    if kind == "choice":
        for choice in choices:
            if choice.casefold() == plain.casefold():
                return choice
        raise ValueUnread(f"“{text}” is none of {', '.join(choices)}.")
    if len(plain) > 200:
        raise ValueUnread("This is longer than 200 signs. Shorten it.")
    return plain
