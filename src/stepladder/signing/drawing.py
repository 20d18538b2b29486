"""A signature that was drawn, as SVG."""

from __future__ import annotations

from typing import Any

__all__ = ["signature_path"]


def signature_path(drawn: Any) -> str:
    """The path of its strokes; "" where it was typed, or there is none."""
    if not isinstance(drawn, list):
        return ""
    return " ".join("M" + " L".join(f"{x} {y}" for x, y in stroke) for stroke in drawn if stroke)
