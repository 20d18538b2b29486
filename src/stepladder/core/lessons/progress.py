"""How far one is in a lesson: which sections are done, which are open. Rule: 17."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

__all__ = ["Part", "done_parts", "open_parts", "share_done"]


@dataclass(frozen=True)
class Part:
    """A section as it counts: the names of its blocks, those of its checks among them, and the check that it is hidden until."""

    key: str
    blocks: tuple[str, ...]
    checks: tuple[str, ...] = ()
    hidden_until: str = ""


def done_parts(
    parts: Sequence[Part],
    *,
    seen: Collection[str],
    answers: Mapping[str, Fraction],
    asks_right: bool,
    before: Collection[str] = (),
) -> list[str]:
    """The sections that are done: each block was in view and each check is answered (rightly, where the lesson asks for it).

    *answers* has the best share for each check that was tried. What was done *before* stays done.
    """
    return [
        part.key
        for part in parts
        if part.key in before
        or (
            all(block in seen for block in part.blocks)
            and all((answers.get(check) == 1) if asks_right else check in answers for check in part.checks)
        )
    ]


def open_parts(
    parts: Sequence[Part], *, done: Collection[str], answers: Mapping[str, Fraction], in_order: bool
) -> list[str]:
    """The sections that may be read: in order, up to the first that is not done; a hidden one once its check was passed.

    What was done stays open, whatever the lesson says by now.
    """
    found, is_waiting = [], False
    earlier: set[str] = set()
    for part in parts:
        # A check that is gone by now, or stands behind it, keeps nothing closed: nobody could pass it.
        hides = part.hidden_until in earlier and answers.get(part.hidden_until) != 1
        if part.key in done or not (is_waiting or hides):
            found.append(part.key)
        is_waiting = is_waiting or (in_order and part.key not in done)
        earlier.update(part.checks)
    return found


def share_done(parts: Sequence[Part], done: Collection[str]) -> Fraction:
    """Sections done / sections; 0 of a lesson without any."""
    return Fraction(sum(part.key in done for part in parts), len(parts)) if parts else Fraction(0)
