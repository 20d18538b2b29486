"""How a lesson is read: in order or not, its looks, when a check counts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from stepladder.core.lessons.attributes import Attribute, BadTree, Digest, Flag, Number, OneOf, Record, Words

__all__ = ["HEAD_COLOURS", "PAPERS", "SIZES", "Options", "read_options"]

# Of the house's palette; which pairs can be read is reckoned where they are chosen.
PAPERS = ("sheet", "paper", "wash")
HEAD_COLOURS = ("ink", "accent", "watch", "bad", "quiet")
SIZES = ("ordinary", "large")


@dataclass(frozen=True)
class Options:
    """What an author chooses for a lesson as a whole."""

    in_order: bool = True
    is_numbered: bool = True
    # Section after section, each with a button to the next; else all that are open below each other.
    has_next: bool = True
    # Whether its text may be selected and copied.
    is_selectable: bool = True
    # A section's checks have to be right, not only tried.
    asks_right: bool = False
    paper: str = "sheet"
    head_colour: str = "ink"
    head_size: str = "ordinary"
    text_size: str = "ordinary"
    # {"file", "width", "height", "shows", "words"}, None without a cover.
    cover: Mapping[str, Any] | None = None

    def kept(self) -> dict[str, Any]:
        """As it is kept."""
        return asdict(self)


_FIELDS: dict[str, Attribute] = {
    **{
        name: Flag(getattr(Options(), name))
        for name in ("in_order", "is_numbered", "has_next", "is_selectable", "asks_right")
    },
    "paper": OneOf(PAPERS),
    "head_colour": OneOf(HEAD_COLOURS),
    "head_size": OneOf(SIZES),
    "text_size": OneOf(SIZES),
    "cover": Record(
        {
            "file": Digest(),
            "width": Number(0, 20_000),
            "height": Number(0, 20_000),
            "shows": Words(1000),
            "words": Words(300),
        }
    ),
}


def read_options(raw: object) -> Options:
    """The options in their JSON form. Raises BadTree."""
    said = Record(_FIELDS).read(raw)
    if said is None:
        raise BadTree("The options are an object.")
    return Options(**said)
