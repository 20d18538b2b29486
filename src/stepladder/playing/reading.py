"""What players and packages send, checked by type, form and length before any of it is used."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

__all__ = ["Commit", "Report", "Unreadable", "read_commit", "read_number", "read_object", "read_report"]

BODY_LIMIT = 1024 * 1024
# A report has what was played in a few seconds; a document of this many pages is refused elsewhere.
MOST_PAIRS = 500
# Nothing that is taught is longer than a month, in seconds; no document has more pages.
MOST = 2_700_000
MOST_KEYS = 20_000
LONGEST_NAME = 40
# The longest value that the standards know is suspend_data with 64,000 characters; packages send more.
LONGEST_VALUE = 200_000
Value = str | int | float | bool


class Unreadable(Exception):
    """What was sent is not what a player or a package sends; the message names what is wrong with it."""


@dataclass(frozen=True)
class Report:
    """What a player reports: stretches in media time or (page, seconds), where one is, and the seconds that passed.

    *name*: what the page calls this report; sent again after a lost line it is the same one. *ago*: how many seconds ago it was made.
    """

    pairs: list[tuple[float, float]]
    at: float
    seconds: float
    name: str = ""
    ago: float = 0.0


@dataclass(frozen=True)
class Commit:
    """What a package's page changed: element → value, and its place in the order of commits.

    *is_final*: the package has terminated; *is_leaving*: the page is going, and this is the last of it; *is_parting*: it is going,
    and this is too large to go with the last; *launch*: which opening of it says so.
    """

    changes: Mapping[str, Value]
    seq: int
    is_final: bool = False
    is_leaving: bool = False
    launch: str = ""
    is_parting: bool = False


def read_report(body: bytes) -> Report:
    """The report in a request's body. Raises Unreadable."""
    sent = read_object(body)
    pairs = sent.get("played", sent.get("pages", []))
    if not isinstance(pairs, list) or len(pairs) > MOST_PAIRS:
        raise Unreadable(f"“played” or “pages” is a list of at most {MOST_PAIRS} pairs")
    name = sent.get("name", "")
    if not isinstance(name, str) or len(name) > LONGEST_NAME:
        raise Unreadable(f"“name” is text of at most {LONGEST_NAME} signs")
    seconds, ago = read_number(sent, "seconds", 0), read_number(sent, "ago", 0)
    return Report([_pair(pair) for pair in pairs], read_number(sent, "at"), seconds, name, ago)


def read_commit(body: bytes) -> Commit:
    """The commit in a request's body. Raises Unreadable."""
    sent = read_object(body)
    changes, seq = sent.get("set"), sent.get("seq")
    is_final, is_leaving, is_parting = (sent.get(name, False) for name in ("fin", "leaving", "parting"))
    launch = sent.get("launch", "")
    if not isinstance(changes, dict) or len(changes) > MOST_KEYS:
        raise Unreadable(f"“set” has elements and their values, at most {MOST_KEYS}")
    if not isinstance(seq, int) or isinstance(seq, bool) or not 0 <= seq <= 10**9:
        raise Unreadable("“seq” is a whole number that grows")
    if not all(isinstance(said, bool) for said in (is_final, is_leaving, is_parting)):
        raise Unreadable("“fin”, “leaving” and “parting” are true or false")
    if not isinstance(launch, str) or len(launch) > LONGEST_NAME:
        raise Unreadable("“launch” is the name of the launch")
    # Elements that hold others come as empty lists or objects: they say nothing themselves.
    said = {key: value for key, value in changes.items() if value not in (None, [], {})}
    for key, value in said.items():
        _check_value(key, value)
    return Commit(said, seq, is_final, is_leaving, launch, is_parting)


def _check_value(key: str, value: Any) -> None:
    if len(key) > 250 or not key.isascii():
        raise Unreadable("an element’s name is longer than 250 letters, or has others than the standard’s")
    if not isinstance(value, Value):
        raise Unreadable(f"“{key}” has a value that is neither text nor number")
    if isinstance(value, float) and not math.isfinite(value):
        raise Unreadable(f"“{key}” is no finite number")
    if len(str(value)) > LONGEST_VALUE:
        raise Unreadable(f"“{key}” is longer than {LONGEST_VALUE} signs")
    if isinstance(value, str) and not _is_text(value):
        raise Unreadable(f"“{key}” has half a letter (a lone surrogate)")


def _is_text(value: str) -> bool:
    # In the encoder's own words: a loop over four kilobytes took longer than the rules.
    try:
        value.encode()
    except UnicodeEncodeError:
        return False
    return True


def read_object(body: bytes, most: int = BODY_LIMIT) -> dict[str, Any]:
    """The JSON object in a request's body, which is bounded. Raises Unreadable."""
    if len(body) > most:
        raise Unreadable(f"more than {most} bytes at once")
    try:
        sent = json.loads(body, parse_constant=_no_constant)
    except RecursionError:
        raise Unreadable("lists within lists without end") from None
    except ValueError:
        # Numbers of thousands of digits, and bytes that are no UTF-8, are such too.
        raise Unreadable("no JSON") from None
    if not isinstance(sent, dict):
        raise Unreadable("no JSON object")
    return sent


def _no_constant(name: str) -> None:
    raise ValueError(f"{name} is no number of JSON")


def read_number(sent: Mapping[str, Any], name: str, default: float | None = None) -> float:
    """A number of what was sent. Raises Unreadable."""
    value = sent.get(name, default)
    if not _is_number(value):
        raise Unreadable(f"“{name}” is a number of at most {MOST}")
    return float(value)


def _pair(pair: Any) -> tuple[float, float]:
    if not isinstance(pair, list) or len(pair) != 2 or not all(map(_is_number, pair)):
        raise Unreadable(f"a pair is two numbers of at most {MOST}")
    return float(pair[0]), float(pair[1])


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and -MOST <= value <= MOST
