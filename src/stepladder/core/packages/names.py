"""Names in archives that are not written as UTF-8, and names that a manifest writes otherwise than the archive does."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Iterable, Sequence

__all__ = ["CODE_PAGES", "best_code_page", "match_name"]

# Of the systems that archives are made on, the most usual first: what an archive itself means, Western and Central Europe,
# Greek, Cyrillic, and the East.
CODE_PAGES = (
    "utf-8",
    "cp437",
    "cp1252",
    "cp850",
    "cp1250",
    "cp852",
    "cp1253",
    "cp1251",
    "cp866",
    "shift_jis",
    "gb18030",
    "big5",
    "euc_kr",
)


def best_code_page(raw: Sequence[bytes], wanted: Iterable[str]) -> str:
    """The code page in which most of the *wanted* names are found among the *raw* ones; the first of equals."""
    names = [_same(name) for name in wanted]

    def found(page: str) -> int:
        try:
            present = {_same(name.decode(page)) for name in raw}
        except UnicodeDecodeError:
            return -1
        return sum(name in present or any(other.endswith("/" + name) for other in present) for name in names)

    return max(CODE_PAGES, key=found)


def match_name(wanted: str, names: Iterable[str]) -> str | None:
    """The one of these names that is meant: as written, else the only one that differs in case or in how accents are composed."""
    members = set(names)
    if wanted in members:
        return wanted
    for folded in (_same, _caseless):
        same = [name for name in members if folded(name) == folded(wanted)]
        if same:
            return same[0] if len(same) == 1 else None
    return None


def _same(name: str) -> str:
    return unicodedata.normalize("NFC", name)


_caseless: Callable[[str], str] = lambda name: _same(name).casefold()  # noqa: E731 - beside _same
