"""What goes wrong with a package, in words, from what was recorded of its launches: for its author, and for who helps learners."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta

from django.http import HttpRequest

from stepladder import clock
from stepladder.accounts import policy
from stepladder.learning.models import Attempt
from stepladder.library.models import Module, ModuleVersion
from stepladder.playing.models import ScoState
from stepladder.web.margin import Panel

__all__ = ["Trouble", "keep_refused", "trouble_of", "trouble_panel"]

# Whoever came back for it as late as that does not come back; a launch that nobody ended by then was not ended.
NEVER_FINISHED, NOT_ENDED = timedelta(days=14), timedelta(hours=12)
# So many different sentences are kept of a part of an attempt.
MOST_SENTENCES, LONGEST = 10, 160


@dataclass(frozen=True)
class Trouble:
    """One kind of trouble: how often of how many, what it is, and what an author can do."""

    count: int
    of: int
    what: str
    advice: str


def keep_refused(attempt: Attempt, part: str, why: str) -> None:
    """What a part sent could not be read: kept with it, to be told on the package's sheet."""
    row = ScoState.objects.filter(attempt=attempt, part=part).first()
    if row is None:
        return
    said = why[:LONGEST]
    if said in row.refused or len(row.refused) < MOST_SENTENCES:
        row.refused = row.refused | {said: row.refused.get(said, 0) + 1}
        row.save(update_fields=["refused"])


def trouble_of(version: ModuleVersion) -> list[Trouble]:
    """What of a version's launches went wrong, the most frequent first."""
    states = ScoState.objects.filter(attempt__version=version, launches__gt=0)
    total, now = states.count(), clock.now()
    if not total:
        return []
    silent = states.filter(seqs={}).count()
    old = states.exclude(seqs={}).filter(attempt__last_at__lt=now - NOT_ENDED, is_done=False)
    unended = old.filter(final_seq=None, has_left=False).count()
    attempts = Attempt.objects.filter(version=version)
    begun = attempts.count()
    stale = attempts.filter(last_at__lt=now - NEVER_FINISHED, ended_at=None, enrolment__closed_on=None)
    unfinished = stale.exclude(status__in=["completed", "passed"]).exclude(scos__seqs={}).distinct().count()
    found = [
        Trouble(
            silent, total, "launches in which it said nothing at all",
            "It may not find the interface that it reports by: export it for its standard, and try it here.",
        ),
        Trouble(
            unended, total, "launches that were left without an end being saved",
            "What was done since it last saved is lost then: have it save at every page, and end when its window closes.",
        ),
        Trouble(
            unfinished, begun, "people began, said something, and have not finished for two weeks",
            "If they had gone through, it does not say so: look at when it counts as done.",
        ),
    ]  # fmt: skip
    found += _refused(states, total)
    return sorted((one for one in found if one.count), key=lambda one: -one.count)


def _refused(states: object, total: int) -> list[Trouble]:
    counts: dict[str, int] = {}
    rows = states.exclude(refused={}).values_list("refused", flat=True)  # type: ignore[attr-defined]
    for said in rows[:2000]:
        for why, times in said.items():
            counts[why] = counts.get(why, 0) + times
    return [
        Trouble(times, total, f"times it sent what is no value: {why}", "Tell whoever made it; the value was not kept.")
        for why, times in sorted(counts.items(), key=lambda one: -one[1])[:5]
    ]


def trouble_panel(request: HttpRequest, module: Module) -> Panel | None:
    """On the sheet of a package, for who may change it."""
    version = module.versions.order_by("-number").first()
    if module.kind != "package" or version is None or not policy.may(request.user, "change modules", module):
        return None
    launches = ScoState.objects.filter(attempt__version=version, launches__gt=0).count()
    context = {"trouble": trouble_of(version), "launches": launches, "version": version}
    return Panel("How it behaves", "playing/package_trouble.html", context)
