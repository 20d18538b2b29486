"""Everything that writes notice rules."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.actions import change_organisation
from stepladder.accounts.models import Organisation
from stepladder.assignments.models import Assignment
from stepladder.courses.models import Course, Path
from stepladder.journal.actions import Actor, Named, record
from stepladder.people.models import Person
from stepladder.queue.actions import later
from stepladder.telling.errors import TellingError
from stepladder.telling.findings import running_rules
from stepladder.telling.models import OF_NOBODY, NoticeRule
from stepladder.telling.tasks import settle_rule, told_today
from stepladder.telling.words import rule_in_words

__all__ = ["RuleSaid", "add_rule", "change_rule", "end_rule", "set_quiet_days"]

LONGEST_OFFSET = 365


@dataclass(frozen=True)
class RuleSaid:
    """What one says of a rule: the moment and the days after it, to whom it speaks, and what it adds."""

    moment: str
    offset: int
    to: Sequence[str]
    named: Sequence[Person] = ()
    words: str = ""


@transaction.atomic
def add_rule(*, of: Course | Path | Assignment | None, said: RuleSaid, by: Actor) -> NoticeRule:
    """A rule of a course, path or assignment, or (None) of the organisation; it speaks from the next run on. Raises TellingError."""
    policy.require(by, "keep notice rules")
    _check(said)
    _refuse_twice(of, said, but=None)
    rule = NoticeRule(begins_after=_last_run(), made_by=by.name, made_at=clock.now(), **_of(of))
    return _settled_soon(_save(rule, said, "add_notice_rule", by))


@transaction.atomic
def change_rule(*, rule: NoticeRule, said: RuleSaid, by: Actor) -> NoticeRule:
    """Another day, other readers or words. What it has told of is not told again, unless another day is meant. Raises TellingError."""
    policy.require(by, "keep notice rules", rule)
    _check(said)
    _refuse_twice(rule.of, said, but=rule)
    if (rule.moment, rule.offset) != (said.moment, said.offset):
        # Of days that are past it says nothing now.
        rule.begins_after, rule.settled_on = _last_run(), None
    return _settled_soon(_save(rule, said, "change_notice_rule", by))


@transaction.atomic
def end_rule(*, rule: NoticeRule, by: Actor) -> None:
    """It says nothing from now on; what it told stays told."""
    policy.require(by, "keep notice rules", rule)
    rule.ended_at = clock.now()
    rule.save(update_fields=["ended_at"])
    record("end_notice_rule", by=by, about=_named(rule), data={"rule": rule_in_words(rule)})


@transaction.atomic
def set_quiet_days(
    *, organisation: Organisation, weekdays: Sequence[int], dates: Sequence[tuple[date, str]], tells_at: int, by: Actor
) -> None:
    """On which days nothing is sent, and at what hour the others' notices are. Raises TellingError."""
    policy.require(by, "keep notice rules")
    if len(set(weekdays)) == 7:
        raise TellingError("Leave one weekday on which something is sent.", "weekdays")
    organisation.quiet_weekdays = sorted(set(weekdays))
    organisation.quiet_dates = [[day.isoformat(), name] for day, name in sorted(set(dates))]
    organisation.tells_at = tells_at
    change_organisation(organisation=organisation, by=by)


def _settled_soon(rule: NoticeRule) -> NoticeRule:
    """What everybody has done already is no news of a new rule: the queue looks for it, as that takes long where there is much."""
    if rule.moment == NoticeRule.Moment.ALL_DONE and rule.settled_on is None:
        later(settle_rule, rule=rule.pk)
    return rule


def _last_run() -> date:
    today = clock.today()
    return today if told_today() else today - timedelta(days=1)


def _check(said: RuleSaid) -> None:
    if not said.to and not said.named:
        raise TellingError("Say whom it tells: at least one of them.", "to")
    if said.moment in OF_NOBODY and {NoticeRule.To.PERSON, NoticeRule.To.LEADS} & set(said.to):
        raise TellingError("It is of nobody in particular: tell the contact, administrators, or people by name.", "to")
    if abs(said.offset) > LONGEST_OFFSET:
        raise TellingError(f"At most {LONGEST_OFFSET} days before or after.", "days")


def _refuse_twice(of: Course | Path | Assignment | None, said: RuleSaid, *, but: NoticeRule | None) -> None:
    own = {"course": None, "path": None, "assignment": None, **_of(of)}
    same = running_rules().filter(moment=said.moment, offset=said.offset, **own)
    if any(rule != but for rule in same):
        raise TellingError("There is a rule for that day already: change whom it tells instead.", "days")


def _of(of: Course | Path | Assignment | None) -> dict[str, Course | Path | Assignment]:
    if of is None:
        return {}
    return {{Course: "course", Path: "path", Assignment: "assignment"}[type(of)]: of}


def _save(rule: NoticeRule, said: RuleSaid, verb: str, by: Actor) -> NoticeRule:
    rule.moment, rule.offset, rule.to, rule.words = said.moment, said.offset, list(said.to), said.words
    rule.save()
    rule.named.set(said.named)
    record(verb, by=by, about=_named(rule), data={"rule": rule_in_words(rule)})
    return rule


def _named(rule: NoticeRule) -> Named:
    of = rule.of
    if of is None:
        return Named("organisation", "", "")
    kind = {Course: "course", Path: "path", Assignment: "assignment"}[type(of)]
    return Named(kind, of.public_id, str(of))
