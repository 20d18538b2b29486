"""What must be done before a part of a package opens, as SCORM 1.2 writes it: "intro & (fire | flood) & ~exam"."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping

__all__ = ["is_open"]

# Identifiers, signs, and "2*{a, b, c}": two of these three. A comparison (a = "passed", a <> "passed") asks whether a is done, or is not.
_TOKEN = re.compile(
    r"""\s*(?:(\d{1,4})\s*\*\s*\{([^{}]*)\}|([&|~()])|"?([A-Za-z0-9_][\w.\-:]*)"?(?:\s*(=|<>)\s*"?[\w ]+"?)?)"""
)


def is_open(rule: str, done: Collection[str], known: Mapping[str, str] | Collection[str]) -> bool:
    """Whether what a part asks for is done. *done* are identifiers of parts that are; a rule that cannot be read asks nothing,
    nor does it ask for parts that are not *known*.
    """
    tokens = _tokens(rule)
    if not tokens:
        return True
    reader = _Reader(tokens, frozenset(done), frozenset(known))
    try:
        answer = reader.either()
    except _Unreadable:
        return True
    return answer if reader.at == len(tokens) else True


Token = tuple[str, str]
# Brackets and negations within each other; a rule that goes deeper is made to exhaust its reader.
DEEPEST = 50


class _Unreadable(Exception):
    """A rule that ends too early, has a sign where a part should be, or goes too deep."""


def _tokens(rule: str) -> list[Token] | None:
    found, at, rule = [], 0, rule.strip()
    while at < len(rule):
        match = _TOKEN.match(rule, at)
        if match is None or match.end() == at:
            return None
        count, some, sign, name, compared = match.groups()
        if count is not None:
            found.append((count, some))
        elif sign:
            found.append(("sign", sign))
        else:
            found.append(("not" if compared == "<>" else "name", name))
        at = match.end()
    return found


class _Reader:
    """Reads tokens from left to right: | binds least, then &, then ~."""

    def __init__(self, tokens: list[Token], done: frozenset[str], known: frozenset[str]) -> None:
        self.tokens, self.done, self.known, self.at, self.depth = tokens, done, known, 0, 0

    def either(self) -> bool:
        answer = self.both()
        while self._sign("|"):
            answer = self.both() or answer
        return answer

    def both(self) -> bool:
        answer = self.one()
        while self._sign("&"):
            answer = self.one() and answer
        return answer

    def one(self) -> bool:
        if self.depth > DEEPEST or self.at == len(self.tokens):
            raise _Unreadable
        if self._sign("~"):
            return not self._below(self.one)
        if self._sign("("):
            answer = self._below(self.either)
            if not self._sign(")"):
                raise _Unreadable
            return answer
        kind, text = self.tokens[self.at]
        self.at += 1
        if kind == "name":
            return self._has(text)
        if kind == "not":
            return not self._has(text)
        if kind == "sign":
            raise _Unreadable
        return sum(self._has(name.strip().strip('"')) for name in text.split(",") if name.strip()) >= int(kind)

    def _below(self, read: Callable[[], bool]) -> bool:
        self.depth += 1
        answer = read()
        self.depth -= 1
        return answer

    def _has(self, name: str) -> bool:
        return name in self.done or name not in self.known

    def _sign(self, sign: str) -> bool:
        if self.at < len(self.tokens) and self.tokens[self.at] == ("sign", sign):
            self.at += 1
            return True
        return False
