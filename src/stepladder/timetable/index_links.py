"""Links that apps nearer the roof add to the index of Sessions, for whoever plans them."""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["IndexLink", "add_index_link", "index_links"]


@dataclass(frozen=True)
class IndexLink:
    """A line of the index; *here* is the name by which a page says that it is there."""

    label: str
    address: str
    here: str


_links: list[IndexLink] = []


def add_index_link(label: str, address: str, here: str) -> None:
    """Hand in a link."""
    _links.append(IndexLink(label, address, here))


def index_links() -> list[IndexLink]:
    return list(_links)
