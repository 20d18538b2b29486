"""Two editions of a course beside each other: what is said otherwise, and what became of each step."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db.models import Prefetch

from stepladder.core.sequence import Part
from stepladder.courses.models import Course, Edition, Step
from stepladder.courses.queries import PART_TITLES
from stepladder.journal.models import Entry

__all__ = ["Comparison", "EditionLine", "StepChange", "WordChange", "compare", "editions_of", "editions_with_steps"]

WORDS = {
    "title": "Title",
    "summary": "Summary",
    "description": "Description",
    "outcome": "After it one can",
    "preparation_order": "Order of the preparation",
    "main_order": "Order of the main part",
    "optional_owed": "Optional steps asked for",
    "lowest_score": "Lowest score, %",
}


@dataclass(frozen=True)
class WordChange:
    """Something that the editions say differently."""

    label: str
    before: str
    after: str


@dataclass(frozen=True)
class StepChange:
    """A step of either edition, in the order of the later one with what is gone last; *changes* in words, none: as it was."""

    title: str
    kind: str
    changes: list[str]
    is_new: bool = False
    is_gone: bool = False


@dataclass(frozen=True)
class Comparison:
    """All that two editions differ in."""

    before: Edition
    after: Edition
    words: list[WordChange]
    steps: list[StepChange]

    @property
    def changed(self) -> int:
        """How many differences there are."""
        return len(self.words) + sum(bool(step.changes) or step.is_new or step.is_gone for step in self.steps)


def compare(before: Edition, after: Edition) -> Comparison:
    """An edition beside a later one."""
    words = [
        WordChange(label, _said(before, name), _said(after, name))
        for name, label in WORDS.items()
        if _said(before, name) != _said(after, name)
    ]
    old, new = _steps(before), _steps(after)
    by_module = {step.module_id: (place, step) for place, step in enumerate(old)}
    kept = [step.module_id for step in new if step.module_id in by_module]
    # Those that stand behind one which stood behind them are moved; what was only pushed along by others is not.
    moved = _moved(kept, [step.module_id for step in old])
    steps = []
    for step in new:
        if step.module_id not in by_module:
            steps.append(StepChange(step.title, step.module.kind, [], is_new=True))
            continue
        _, was = by_module[step.module_id]
        steps.append(StepChange(step.title, step.module.kind, _changes(was, step, step.module_id in moved)))
    gone = {step.module_id for step in new}
    steps += [StepChange(step.title, step.module.kind, [], is_gone=True) for step in old if step.module_id not in gone]
    return Comparison(before, after, words, steps)


def _said(edition: Edition, name: str) -> str:
    value = getattr(edition, name)
    return "" if value is None else str(value)


def _steps(edition: Edition) -> list[Step]:
    return list(edition.steps.all())


def editions_with_steps(course: Course) -> list[Edition]:
    """A course's editions by number, with all that comparing them asks for: in as many queries as for one."""
    steps = Prefetch("steps", Step.objects.select_related("module", "version"))
    return list(course.editions.order_by("number").prefetch_related(steps))


def _moved(now: Sequence[int], before: Sequence[int]) -> set[int]:
    """Of things in another order: the fewest that have to be moved to come from one to the other."""
    places = [before.index(one) for one in now]
    # The longest run that kept its order stays where it is.
    best: list[list[int]] = []
    for n, place in enumerate(places):
        runs = [run for run in best[:n] if places[run[-1]] < place]
        best.append([*_longest(runs), n])
    stay = set(_longest(best))
    return {one for n, one in enumerate(now) if n not in stay}


def _longest(runs: Sequence[list[int]]) -> list[int]:
    return max(runs, key=lambda run: len(run), default=[])


def _changes(was: Step, now: Step, is_moved: bool) -> list[str]:
    found = []
    if was.title != now.title:
        found.append(f"was called “{was.title}”")
    if was.version_id != now.version_id:
        found.append(f"v{was.version.number} → v{now.version.number}")
    if was.part != now.part:
        found.append(f"from {PART_TITLES[Part(was.part)].lower()} to {PART_TITLES[Part(now.part)].lower()}")
    elif is_moved:
        found.append("moved")
    if was.is_obligatory != now.is_obligatory:
        found.append("now obligatory" if now.is_obligatory else "now of choice")
    if was.weight != now.weight:
        found.append(f"weighs {now.weight} instead of {was.weight}")
    if was.is_spared != now.is_spared:
        found.append("spared by the entry test" if now.is_spared else "no longer spared by the entry test")
    return found


@dataclass(frozen=True)
class EditionLine:
    """An edition in the journal of a course's editions: who released it, with which word, and what differs from the one before it (None:
    it is the first)."""

    edition: Edition
    by: str
    note: str
    before: Edition | None
    changed: int | None


def editions_of(course: Course, editions: Sequence[Edition]) -> list[EditionLine]:
    """Every one of a course's *editions* (as `editions_with_steps` has them), the newest first."""
    entries = Entry.objects.filter(verb="release_course", object_kind="course", object_id=course.public_id)
    released = {entry.data.get("number"): entry for entry in entries.order_by("number")}
    found, before = list[EditionLine](), None
    for edition in editions:
        entry = released.get(edition.number)
        by, note = (entry.actor_name, entry.data.get("note", "")) if entry else (edition.changed_by, "")
        changed = compare(before, edition).changed if before else None
        found.append(EditionLine(edition, by, note, before, changed))
        before = edition
    return found[::-1]
