"""What the rules say, in words: one message a reader and day."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from django.urls import reverse

from stepladder.assignments.notices import stands_in_words
from stepladder.core.requirements import LATE, WORST_FIRST
from stepladder.notices.actions import Message
from stepladder.notices.kinds import NoticeKind
from stepladder.people.models import Person
from stepladder.telling.finding import Finding
from stepladder.telling.matters import Matter
from stepladder.web.frame import own_pages
from stepladder.web.templatetags.web import day as written

__all__ = ["DAY", "Names", "day_message"]

# A message lists so many things, and so many people; the rest stand where its link leads.
LISTED = 20

DAY = NoticeKind(
    "day",
    "What the day brings, by the notice rules",
    "{what}",
    "Hello {given_name},\n\n{list}",
    {
        "what": "the one thing; of several how many, and how many are late; how many people of theirs are late or nearly so",
        "list": "each thing with its day, the worst first; what is new; their people, each with theirs; and what the rules add",
    },
)


@dataclass(frozen=True)
class Names:
    """What courses, paths and people are called."""

    courses: Mapping[int, str]
    paths: Mapping[int, str]
    people: Mapping[int, str]
    # (person, path) → what of it is still to be done, in words.
    within: Mapping[tuple[int, int], str]

    def of(self, finding: Finding) -> str:
        return (self.paths if finding.is_path else self.courses).get(finding.thing, "")


def day_message(
    reader: Person,
    findings: Sequence[Finding],
    names: Names,
    day: date,
    opened: Sequence[str] = (),
    matters: Sequence[Matter] = (),
) -> Message:
    """What a reader is told of these findings on a day: of one thing that two rules speak of once. *opened*: what is new, in lines;
    *matters*: what is of nobody in particular."""

    def stands(one: Finding) -> str:
        if one.requirement is None:
            return f"“{names.of(one)}” was completed on {written(one.meant)}"
        return stands_in_words(names.of(one), one.requirement, day)

    worst_first = sorted(findings, key=_worst)
    once = list({(one.person, one.is_path, one.thing): one for one in reversed(worst_first)}.values())[::-1]
    own = [one for one in once if one.person == reader.pk]
    others: dict[int, list[Finding]] = {}
    for one in once:
        if one.person != reader.pk:
            others.setdefault(one.person, []).append(one)
    said, parts = [stands(one) for one in own], []
    if own:
        left = [names.within.get((one.person, one.thing), "") if one.is_path else "" for one in own]
        full = [f"{line}{f': {more}' if more else ''}" for line, more in zip(said, left, strict=True)]
        parts.append("\n".join(_at_most([f"- {line}" for line in full]) if len(own) > 1 else [f"{full[0]}."]))
    if opened:
        parts.append("\n".join(["New:", *_at_most(opened)]))
    if others:
        of_people = [
            f"- {names.people.get(person, '')}: {'; '.join(stands(one) for one in theirs)}"
            for person, theirs in others.items()
        ]
        parts.append("\n".join(["Of your people:", *_at_most(of_people)]))
    lines = list(dict.fromkeys(matter.line for matter in matters))
    if lines:
        parts.append("\n".join(lines if len(lines) == 1 else _at_most([f"- {line}" for line in lines])))
    # What the rules add, each once, in the order of what they speak of.
    rules = [one.rule for one in worst_first] + [matter.rule for matter in matters]
    parts += dict.fromkeys(rule.words.strip() for rule in rules if rule.words.strip())
    late = sum(one.requirement is not None and one.requirement.status in LATE for one in own)
    fields = {"what": _subject(said, late, len(opened), len(others), lines), "list": "\n\n".join(parts)}
    return Message(reader, _path(own), fields)


def _worst(one: Finding) -> tuple[int, date, int]:
    """What is completed comes last."""
    rank = WORST_FIRST.index(one.requirement.status) if one.requirement else len(WORST_FIRST)
    return rank, one.meant, one.thing


def _subject(own: Sequence[str], late: int, new: int, people: int, matters: Sequence[str]) -> str:
    """Of the things before the reader, each in words, and how many are late; how many are new; of how many of their people; and what
    is of nobody in particular."""
    said = []
    if own:
        of_late = f", {late} late" if late else ""
        said.append(own[0] if len(own) == 1 else f"{len(own)} things are before you{of_late}")
    if new:
        said.append(f"{new} new")
    if people:
        of_people = "one of your people" if people == 1 else f"{people} of your people"
        said.append(f"word of {of_people}")
    if matters:
        said.append(matters[0].rstrip(".") if len(matters) == 1 else f"{len(matters)} more to know")
    told = "; ".join(said)
    return told[0].upper() + told[1:]


def _at_most(lines: Sequence[str]) -> list[str]:
    more = len(lines) - LISTED
    return [*lines[:LISTED], *([f"and {more} more."] if more > 0 else [])]


def _path(own: Sequence[Finding]) -> str:
    """Where a message leads: to what is before one, or to the first page of one's role, where one's people stand."""
    return reverse(own_pages()[0].address) if own else reverse("home")
