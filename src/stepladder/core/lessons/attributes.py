"""What the attributes of a lesson's blocks may hold. What comes from a page is measured before it is looked at."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Protocol
from urllib.parse import urlsplit

from stepladder.core.questions import BadQuestion, read_question

__all__ = [
    "Address",
    "Asked",
    "Attribute",
    "BadTree",
    "Digest",
    "Flag",
    "Key",
    "Number",
    "OneOf",
    "Record",
    "Rows",
    "Widths",
    "Words",
    "web_address",
]

_KEY = re.compile(r"[A-Za-z0-9_-]{1,40}")
_DIGEST = re.compile(r"[0-9a-f]{64}")


class BadTree(ValueError):
    """What was sent is no section of a lesson: the message says where, and what is wrong there."""


class Attribute(Protocol):
    """An attribute: what it is where nothing is said, and what is kept of what was sent."""

    @property
    def default(self) -> Any: ...

    def read(self, value: Any) -> Any:
        """What is kept. Raises BadTree with what it may be."""


@dataclass(frozen=True)
class Words:
    """Text of at most so many signs."""

    most: int
    default: str = ""

    def read(self, value: Any) -> str:
        if not isinstance(value, str) or len(value) > self.most:
            raise BadTree(f"is text of at most {self.most} signs")
        return value


@dataclass(frozen=True)
class Key:
    """A name that the application gave: of a block, of a version."""

    default: str = ""

    def read(self, value: Any) -> str:
        if value and not (isinstance(value, str) and _KEY.fullmatch(value)):
            raise BadTree("is a name of letters and figures")
        return str(value or "")


@dataclass(frozen=True)
class Digest:
    """The digest that a picture or a file is kept by; empty while there is none."""

    default: str = ""

    def read(self, value: Any) -> str:
        if value and not (isinstance(value, str) and _DIGEST.fullmatch(value)):
            raise BadTree("is the digest that a file is kept by")
        return str(value or "")


@dataclass(frozen=True)
class OneOf:
    """One of a few words; the first where nothing is said."""

    options: tuple[str, ...]

    @property
    def default(self) -> str:
        return self.options[0]

    def read(self, value: Any) -> str:
        if value not in self.options:
            raise BadTree(f"is one of {', '.join(self.options)}")
        return str(value)


@dataclass(frozen=True)
class Number:
    """A number between two, both included."""

    least: float
    most: float
    default: float = 0

    def read(self, value: Any) -> float:
        good = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
        if not good or not self.least <= value <= self.most:
            raise BadTree(f"is a number from {self.least:g} to {self.most:g}")
        return float(value) if value % 1 else int(value)


@dataclass(frozen=True)
class Flag:
    default: bool = False

    def read(self, value: Any) -> bool:
        if not isinstance(value, bool):
            raise BadTree("is true or false")
        return value


@dataclass(frozen=True)
class Address:
    """An address of the web; empty while there is none."""

    default: str = ""
    schemes: tuple[str, ...] = ("https", "http")

    def read(self, value: Any) -> str:
        if value == "":
            return ""
        if not isinstance(value, str) or not web_address(value, self.schemes):
            raise BadTree(f"is an address that begins with {' or '.join(self.schemes)}")
        return value


def web_address(text: str, schemes: tuple[str, ...] = ("https", "http")) -> bool:
    """Whether a text is an address with a server in it, of at most 2,000 signs and without blanks."""
    if len(text) > 2000 or re.search(r"[\s\x00-\x1f\\]", text):
        return False
    try:
        parts = urlsplit(text)
        return parts.scheme in schemes and (parts.scheme == "mailto" or bool(parts.hostname))
    except ValueError:
        return False


@dataclass(frozen=True)
class Record:
    """Several attributes under one name; None while there is nothing."""

    fields: Mapping[str, Attribute]
    default: None = None

    def read(self, value: Any) -> dict[str, Any] | None:
        if value is None:
            return None
        if not isinstance(value, dict) or set(value) - set(self.fields):
            raise BadTree(f"has {', '.join(self.fields)} and nothing else")
        return {name: _field(name, field, value) for name, field in self.fields.items()}


def _field(name: str, field: Attribute, value: dict[str, Any]) -> Any:
    try:
        return field.read(value[name]) if name in value else field.default
    except BadTree as refusal:
        raise BadTree(f"“{name}” {refusal}") from None


@dataclass(frozen=True)
class Rows:
    """A list of records, at most so many."""

    fields: Mapping[str, Attribute]
    most: int

    @property
    def default(self) -> list[Any]:
        return []

    def read(self, value: Any) -> list[Any]:
        if not isinstance(value, list) or len(value) > self.most:
            raise BadTree(f"is a list of at most {self.most}")
        rows = [Record(self.fields).read(row) for row in value]
        if None in rows:
            raise BadTree("has an empty row")
        return rows


@dataclass(frozen=True)
class Widths:
    """The widths of a cell's columns in pixels, as an editor of tables keeps them; None where they are as wide as they need."""

    default: None = None

    def read(self, value: Any) -> list[int] | None:
        if value is None:
            return None
        fits = isinstance(value, list) and len(value) <= 20
        if not fits or not all(
            isinstance(one, int) and not isinstance(one, bool) and 0 <= one <= 4000 for one in value
        ):
            raise BadTree("is a list of widths")
        return list(value)


@dataclass(frozen=True)
class Asked:
    """A question (core.questions) in its JSON form; it need not be finished."""

    default: None = None

    def read(self, value: Any) -> dict[str, Any] | None:
        if value is None:
            return None
        try:
            read_question(value)
        except BadQuestion as refusal:
            raise BadTree(f"cannot be asked: {refusal}") from None
        found: dict[str, Any] = value
        return found
