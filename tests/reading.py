"""What a page says, as a browser shows it."""

from __future__ import annotations

from typing import Any

__all__ = ["page_text", "plain"]


def plain(markup: str) -> str:
    """Markup with every run of blanks and line breaks as one space: where a template's lines break is nobody's matter."""
    return " ".join(markup.split()).replace(" >", ">")


def page_text(answer: Any) -> str:
    """The markup of a page that a test client was given, made plain."""
    return plain(answer.content.decode())
