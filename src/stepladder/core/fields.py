"""Values of custom fields and cells as people write them, read into what is compared."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Context, Decimal, InvalidOperation
from typing import Literal

from stepladder.core.days import DayError, DayOrder, read_day

__all__ = ["FieldKind", "ValueUnread", "read_value"]

FieldKind = Literal["text", "number", "day", "choice"]
# More digits than anything that is counted of people has.
LONGEST_NUMBER = 30
# Decimal's own 28 digits would change the last ones of a number that is longer.
_EXACT = Context(prec=2 * LONGEST_NUMBER)


class ValueUnread(ValueError):
    """A value that cannot be what its field asks for; the message is for people and says what to write."""


def read_value(kind: FieldKind, text: str, *, choices: Sequence[str] = (), order: DayOrder = "") -> str:
    """What a field says, as it is kept and compared; "" where it says nothing. *order*: of the figures of days. Raises ValueUnread."""
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
        try:
            return read_day(plain, order=order).isoformat()
        except DayError as refusal:
            raise ValueUnread(str(refusal)) from None
    if kind == "choice":
        for choice in choices:
            if choice.casefold() == plain.casefold():
                return choice
        raise ValueUnread(f"“{text}” is none of {', '.join(choices)}.")
    if len(plain) > 200:
        raise ValueUnread("This is longer than 200 signs. Shorten it.")
    return plain
