"""What a page says, as a browser shows it."""

from __future__ import annotations

from typing import Any

__all__ = ["page_text"]


def page_text(answer: Any) -> str:
    """A page's markup with every run of blanks and line breaks as one space: where a template's lines break is nobody's matter."""
    return " ".join(answer.content.decode().split()).replace(" >", ">")
