"""Questions as plain text: made to be read, to be written in any editor, and to be pasted. docs/questions-as-text.md is its guide.

A question begins with its kind as a word and a full stop, and goes on to the next one. Lines below it that begin with a word of the
form and a colon say more of it; other lines before those go on with what is asked, also one that begins with a backslash. *Topic*,
*Difficulty* and *Skill* after an empty line hold for all questions that follow, within a question for it alone.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from stepladder.core.questions.model import Kind
from stepladder.core.questions.reading import BadQuestion, faults_of, read_question

__all__ = ["LINES", "LONGEST_PASTED", "Filed", "Mistake", "Read", "begins", "lines_of", "read_text", "write_text"]

LONGEST_PASTED = 2_000_000
# Each kind by the word that its question begins with. Of *true or false* the word says which it is.
_WORDS: dict[str, tuple[Kind, bool]] = {
    "one": (Kind.ONE, True),
    "several": (Kind.SEVERAL, True),
    "true": (Kind.TRUE_FALSE, True),
    "false": (Kind.TRUE_FALSE, False),
    "order": (Kind.ORDER, True),
    "match": (Kind.MATCH, True),
    "number": (Kind.NUMBER, True),
    "text": (Kind.TEXT, True),
    "long": (Kind.LONG, True),
    "file": (Kind.FILE, True),
}
_BEGINS = re.compile(rf"({'|'.join(_WORDS)})\.(?:\s+|$)", re.IGNORECASE)
_SAYS = re.compile(r"([A-Za-z][A-Za-z ]{0,24}):(?:\s+|$)")
DIFFICULTIES = ("easy", "medium", "hard")
_GROUPS = ("topic", "difficulty", "skill")
_YES = {"yes": True, "no": False}
# What stands behind an answer is said to whoever chooses it.
_SAID = " | "


@dataclass(frozen=True)
class Filed:
    """A question in its JSON form, by what it is about; *line* is where it began in what was read."""

    raw: dict[str, Any]
    topic: str = ""
    difficulty: str = ""
    skill: str = ""
    line: int = 0


@dataclass(frozen=True)
class Mistake:
    """What cannot be read, by its line, from 1; it ends without a full stop."""

    line: int
    words: str


@dataclass(frozen=True)
class Read:
    """What a text says: the questions that can be read, and every mistake. A question with a mistake in it is not among them."""

    questions: list[Filed]
    mistakes: list[Mistake]


@dataclass
class _Block:
    """A question as its lines were gathered."""

    line: int
    kind: Kind
    raw: dict[str, Any]
    groups: dict[str, str]
    texts: list[str] = field(default_factory=list)
    has_said: bool = False
    is_wrong: bool = False


def read_text(text: str) -> Read:
    """The questions in a text of the form."""
    if len(text) > LONGEST_PASTED:
        return Read([], [Mistake(1, f"this is longer than {LONGEST_PASTED} signs: paste it in parts")])
    reader = _Reader()
    for number, line in enumerate(text.replace("\r\n", "\n").replace("\r", "\n").split("\n"), 1):
        reader.take(number, line.replace("\u00a0", " ").strip().lstrip("\ufeff"))
    reader.finish()
    return Read(reader.questions, sorted(reader.mistakes, key=lambda one: one.line))


class _Reader:
    def __init__(self) -> None:
        self.questions: list[Filed] = []
        self.mistakes: list[Mistake] = []
        self.groups: dict[str, str] = {}
        self.block: _Block | None = None
        self.is_after_gap = True

    def take(self, number: int, line: str) -> None:
        was_after_gap, self.is_after_gap = self.is_after_gap, not line
        if not line:
            if self.block and not self.block.has_said:
                self.block.texts.append("")
            return
        if line.startswith("\\"):
            self._go_on(number, line[1:])
        elif found := _BEGINS.match(line):
            self._begin(number, found, line)
        elif said := _SAYS.match(line):
            self._say(number, said[1].strip().lower(), line[said.end() :].strip(), was_after_gap, line)
        else:
            self._go_on(number, line)

    def _begin(self, number: int, found: re.Match[str], line: str) -> None:
        self.finish()
        kind, is_true = _WORDS[found[1].lower()]
        raw: dict[str, Any] = {"kind": kind.value}
        if kind == Kind.TRUE_FALSE:
            raw["is_true"] = is_true
        self.block = _Block(number, kind, raw, dict(self.groups), [line[found.end() :].strip()])

    def _say(self, number: int, word: str, value: str, is_after_gap: bool, line: str) -> None:
        if word in _GROUPS and (self.block is None or is_after_gap):
            self.finish()
            self._group(self.groups, number, word, value)
            return
        block = self.block
        if block is None:
            self._wrong(number, "this stands before the first question: begin one with its kind, such as “One.”")
            return
        if word in _GROUPS:
            block.is_wrong |= not self._group(block.groups, number, word, value)
            block.has_said = True
            return
        take = LINES.get(word)
        if take is None or (take.kinds and block.kind not in take.kinds):
            # Before anything was said a colon may well belong to what is asked.
            if not block.has_said and not take and not difflib.get_close_matches(word, LINES, 1, 0.75):
                block.texts.append(line)
                return
            self._wrong(number, _unknown(word, block.kind, take))
            return
        block.has_said = True
        if problem := take.read(block.raw, value):
            self._wrong(number, problem)

    def _group(self, groups: dict[str, str], number: int, word: str, value: str) -> bool:
        if word == "difficulty":
            value = value.lower()
            if value not in ("", *DIFFICULTIES):
                self.mistakes.append(Mistake(number, f"“{value[:30]}” is no difficulty: easy, medium or hard"))
                return False
        groups[word] = value[:80]
        return True

    def _go_on(self, number: int, line: str) -> None:
        if self.block is None:
            self._wrong(number, "this stands before the first question: begin one with its kind, such as “One.”")
        elif self.block.has_said:
            self._wrong(number, "what is asked stands before the answers: begin this line with a word such as “right:”")
        else:
            self.block.texts.append(line)

    def _wrong(self, number: int, words: str) -> None:
        self.mistakes.append(Mistake(number, words))
        if self.block:
            self.block.is_wrong = True

    def finish(self) -> None:
        block, self.block = self.block, None
        if block is None:
            return
        block.raw["text"] = "\n".join(block.texts).strip()
        if block.is_wrong:
            return
        try:
            faults = faults_of(block.raw)
        except BadQuestion as refusal:
            faults = [str(refusal)]
        if faults:
            self.mistakes += [Mistake(block.line, f"this question {one}") for one in faults]
            return
        self.questions.append(Filed(block.raw, **block.groups, line=block.line))


def _unknown(word: str, kind: Kind, take: _Line | None) -> str:
    if take is not None:
        return f"“{word}:” is of no use to this kind of question ({_name(kind)})"
    near = difflib.get_close_matches(word, [name for name, line in LINES.items() if kind in (line.kinds or Kind)], 1)
    return f"“{word}:” is no word of this form" + (f": do you mean “{near[0]}:”?" if near else "")


def _name(kind: Kind) -> str:
    return next(word for word, (one, _) in _WORDS.items() if one == kind)


@dataclass(frozen=True)
class _Line:
    """What a line of the form says: (the question, its words) → what is wrong with them, if anything; of which kinds (none: of all)."""

    read: Callable[[dict[str, Any], str], str]
    kinds: frozenset[Kind] = frozenset()


def _words(name: str) -> Callable[[dict[str, Any], str], str]:
    def read(raw: dict[str, Any], value: str) -> str:
        # Said twice, it goes on in a line of its own.
        raw[name] = f"{raw[name]}\n{value}" if raw.get(name) else value
        return ""

    return read


def _flag(name: str, turned: bool = False) -> Callable[[dict[str, Any], str], str]:
    def read(raw: dict[str, Any], value: str) -> str:
        if value.lower() not in _YES:
            return f"“{value[:20]}” is neither yes nor no"
        raw[name] = _YES[value.lower()] != turned
        return ""

    return read


def _answer(is_right: bool) -> Callable[[dict[str, Any], str], str]:
    def read(raw: dict[str, Any], value: str) -> str:
        text, _, feedback = value.partition(_SAID)
        raw.setdefault("choices", []).append(_choice(_plain(text), is_right, _plain(feedback)))
        return ""

    return read


def _plain(text: str) -> str:
    """Words as they are meant: a sign behind a backslash parts nothing."""
    return text.replace("\\|", "|").replace("\\=", "=").strip()


def _choice(text: str, is_right: bool, feedback: str) -> dict[str, Any]:
    said: dict[str, Any] = {"text": text, "right": is_right}
    return {**said, "feedback": feedback} if feedback else said


def _place(raw: dict[str, Any], value: str) -> str:
    raw.setdefault("choices", []).append({"text": value})
    return ""


def _pair(raw: dict[str, Any], value: str) -> str:
    left, arrow, right = value.partition(" = ")
    if not arrow:
        return "a pair is two sides with “ = ” between them"
    raw.setdefault("pairs", []).append({"left": _plain(left), "right": _plain(right)})
    return ""


def _number(raw: dict[str, Any], value: str) -> str:
    # With letters in it, it is a formula of the numbers that are drawn.
    name = "formula" if re.search(r"[a-z]", value) else "number"
    raw[name] = value
    return ""


def _accepted(raw: dict[str, Any], value: str) -> str:
    raw.setdefault("accepted", []).append(value)
    return ""


_DRAW = re.compile(r"(\S+)\s+from\s+(\S+)\s+to\s+(\S+)\s+by\s+(\S+)", re.IGNORECASE)


def _draw(raw: dict[str, Any], value: str) -> str:
    found = _DRAW.fullmatch(value)
    if not found:
        return "numbers are drawn like this: “draw: load from 10 to 50 by 5”"
    raw.setdefault("drawn", []).append(dict(zip(("name", "low", "high", "step"), found.groups(), strict=True)))
    return ""


_CHOSEN = frozenset({Kind.ONE, Kind.SEVERAL})
_BY_PARTS = frozenset({Kind.SEVERAL, Kind.ORDER, Kind.MATCH})
_READ_BY_PEOPLE = frozenset({Kind.LONG, Kind.FILE})


def _by_kind(of: Mapping[Kind, Callable[[dict[str, Any], str], str]]) -> Callable[[dict[str, Any], str], str]:
    return lambda raw, value: of[Kind(raw["kind"])](raw, value)


LINES: dict[str, _Line] = {
    "right": _Line(
        _by_kind(dict.fromkeys(_CHOSEN, _answer(True)) | {Kind.NUMBER: _number, Kind.TEXT: _accepted}),
        _CHOSEN | {Kind.NUMBER, Kind.TEXT},
    ),
    "wrong": _Line(_answer(False), _CHOSEN),
    "then": _Line(_place, frozenset({Kind.ORDER})),
    "pair": _Line(_pair, frozenset({Kind.MATCH})),
    "give or take": _Line(_words("tolerance"), frozenset({Kind.NUMBER})),
    "unit": _Line(_words("unit"), frozenset({Kind.NUMBER})),
    "good": _Line(_words("model_answer"), _READ_BY_PEOPLE),
    "points for": _Line(_words("rubric"), _READ_BY_PEOPLE),
    "draw": _Line(_draw),
    "hint": _Line(_words("hint")),
    "if right": _Line(_words("when_right")),
    "if wrong": _Line(_words("when_wrong")),
    "all or nothing": _Line(_flag("all_or_nothing"), _BY_PARTS),
    "mixed": _Line(_flag("shuffle"), _CHOSEN),
    "tells": _Line(_flag("show_right")),
}


def write_text(questions: Sequence[Filed]) -> str:
    """The questions in the form. Read again, they are the same; pictures, films and sound have no words in it and stay behind."""
    out: list[str] = []
    groups = dict.fromkeys(_GROUPS, "")
    for one in questions:
        now = {name: getattr(one, name) for name in _GROUPS}
        changed = [f"{name.capitalize()}: {value}".rstrip() for name, value in now.items() if value != groups[name]]
        out += [*changed, ""] if changed else []
        groups = now
        out += [*_written(one.raw), ""]
    return "\n".join(out)


def begins(line: str) -> bool:
    """Whether a line begins a question."""
    return _BEGINS.match(line) is not None


def _written(raw: Mapping[str, Any]) -> Iterator[str]:
    kind, text, said = lines_of(raw)
    first, *more = text.split("\n")
    yield f"{kind}. {first}"
    yield from (
        f"\\{line}" if _BEGINS.match(line) or _SAYS.match(line) or line.startswith("\\") else line for line in more
    )
    yield from (f"{word}: {value}" for word, value in said)


def lines_of(raw: Mapping[str, Any]) -> tuple[str, str, list[tuple[str, str]]]:
    """A question in the words of the form: its kind, what it asks, and what its lines say as (word, value)."""
    question = read_question(raw)
    word = _name(question.kind)
    if question.kind == Kind.TRUE_FALSE:
        word = "true" if question.is_true else "false"
    return word.capitalize(), question.text, list(_said(raw, question.kind))


def _said(raw: Mapping[str, Any], kind: Kind) -> Iterator[tuple[str, str]]:
    for choice in raw.get("choices", ()):
        if kind == Kind.ORDER:
            yield "then", " ".join(choice["text"].split())
        else:
            said = f"{_SAID}{_line(choice['feedback'])}" if choice.get("feedback") else ""
            yield "right" if choice.get("right") else "wrong", f"{_line(choice['text'])}{said}"
    for pair in raw.get("pairs", ()):
        yield "pair", f"{_line(pair['left'])} = {_line(pair['right'])}"
    for one in raw.get("drawn", ()):
        yield "draw", f"{one['name']} from {one['low']} to {one['high']} by {one['step']}"
    if kind == Kind.NUMBER:
        yield "right", str(raw.get("formula") or raw.get("number"))
    yield from (("right", " ".join(text.split())) for text in raw.get("accepted", ()))
    for label, name in (
        ("give or take", "tolerance"),
        ("unit", "unit"),
        ("good", "model_answer"),
        ("points for", "rubric"),
        ("hint", "hint"),
        ("if right", "when_right"),
        ("if wrong", "when_wrong"),
    ):
        yield from ((label, line) for line in str(raw.get(name) or "").split("\n") if line.strip())
    if raw.get("all_or_nothing"):
        yield "all or nothing", "yes"
    if raw.get("shuffle") is False and kind in _CHOSEN:
        yield "mixed", "no"
    if raw.get("show_right") is False:
        yield "tells", "no"


def _line(text: str) -> str:
    return " ".join(text.split()).replace(" | ", " \\| ").replace(" = ", " \\= ")
