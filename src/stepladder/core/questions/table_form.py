"""Questions as a table: a row each, in columns that are named as the lines of the plain-text form are; several in a cell on lines of
their own. A row is read as the text it stands for, so that both forms mean the same."""

from __future__ import annotations

from collections.abc import Sequence

from stepladder.core.questions.plain_text import LINES, Filed, Mistake, Read, begins, lines_of, read_text

__all__ = ["HEADS", "named_columns", "read_rows", "write_rows"]

_ABOUT = ("Kind", "Question", "Topic", "Difficulty", "Skill")
HEADS: tuple[str, ...] = (*_ABOUT, *(word.capitalize() for word in LINES))


def named_columns(cells: Sequence[str]) -> int:
    """How many cells of a row name a column of the form."""
    return sum(cell.strip().capitalize() in HEADS for cell in cells)


def read_rows(heads: Sequence[str], rows: Sequence[Sequence[str]], numbers: Sequence[int]) -> Read:
    """The questions of a table; *numbers* gives each row's number in the file, by which its mistakes are named."""
    columns = {head.strip().capitalize(): at for at, head in enumerate(heads)}
    missing = [head for head in _ABOUT[:2] if head not in columns]
    if missing:
        return Read([], [Mistake(1, f"there is no column “{missing[0]}”: the first row names the columns")])
    questions: list[Filed] = []
    mistakes: list[Mistake] = []
    for row, number in zip(rows, numbers, strict=True):
        cells = {head: row[at].strip() if at < len(row) else "" for head, at in columns.items()}
        if not cells["Kind"] and not cells["Question"]:
            continue
        if not begins(f"{cells['Kind']}. "):
            mistakes.append(Mistake(number, f"“{cells['Kind'][:30]}” is no kind of question"))
            continue
        read = read_text("\n".join(_text_of(cells)))
        mistakes += [Mistake(number, one.words) for one in read.mistakes]
        questions += [Filed(one.raw, one.topic, one.difficulty, one.skill, number) for one in read.questions]
    return Read(questions, mistakes)


def _text_of(cells: dict[str, str]) -> list[str]:
    first, *more = cells["Question"].split("\n")
    said = [f"{cells['Kind']}. {first}", *(f"\\{line}" for line in more)]
    for word in (*(head.lower() for head in _ABOUT[2:]), *LINES):
        said += [f"{word}: {line.strip()}" for line in cells.get(word.capitalize(), "").split("\n") if line.strip()]
    return said


def write_rows(questions: Sequence[Filed]) -> list[list[str]]:
    """A row for each question, in the columns of HEADS."""
    rows = []
    for one in questions:
        cells = dict.fromkeys(HEADS, "")
        kind, text, said = lines_of(one.raw)
        cells |= {"Kind": kind, "Question": text, "Topic": one.topic, "Difficulty": one.difficulty, "Skill": one.skill}
        for word, value in said:
            head = word.capitalize()
            cells[head] = f"{cells[head]}\n{value}" if cells[head] else value
        rows.append([cells[head] for head in HEADS])
    return rows
