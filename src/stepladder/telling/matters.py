"""What rules tell that is of nobody in particular: everybody of an assignment has done it, something waits to be marked. Rule: 13."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from stepladder.accounts.organisation import zone
from stepladder.assignments.models import Assignment
from stepladder.core.telling import all_done
from stepladder.people.queries import active_on
from stepladder.quizzes.to_mark import waiting_for_marks
from stepladder.telling.levels import asked_on
from stepladder.telling.models import NoticeRule, Said
from stepladder.telling.readers import administrators, contacts
from stepladder.web.templatetags.web import day as written

__all__ = ["Matter", "all_done_on", "matters_of", "settle"]

Moment, To = NoticeRule.Moment, NoticeRule.To
ONE_DAY = timedelta(days=1)
# On this day is said what was done before there was a rule: no run tells it.
LONG_AGO = date.min


@dataclass(frozen=True)
class Matter:
    """A line that a rule has for its readers on a day."""

    rule: NoticeRule
    line: str
    # The day with whose run it is told.
    on: date


def settle(rules: Sequence[NoticeRule], day: date, done: Collection[int]) -> None:
    """Write down what these rules have to say on a day, each once: it is told by the run of that day. What is undone again, because
    somebody came in, may be said anew. *done*: the assignments of which everything is (`all_done_on`)."""
    by_moment = {
        moment: [rule for rule in rules if rule.moment == moment] for moment in (Moment.ALL_DONE, Moment.MARKING)
    }
    if by_moment[Moment.ALL_DONE]:
        of = {row.pk: row for row in Assignment.objects.filter(pk__in=done)}
        for rule, own in _speaking(by_moment[Moment.ALL_DONE], of.values()):
            Said.objects.filter(rule=rule).exclude(thing__in=done).delete()
            # What everybody had done before there was the rule is no news: it is taken for said.
            _say(rule, (row.pk for row in own), day if rule.settled_on else LONG_AGO)
            if rule.settled_on is None:
                NoticeRule.objects.filter(pk=rule.pk).update(settled_on=day)
    for rule, papers in _marking(by_moment[Moment.MARKING], day):
        _say(rule, papers, day)


def all_done_on(rules: Sequence[NoticeRule], day: date) -> set[int]:
    """The assignments that ask something of somebody on a day, and of nobody anything that is still to be done; none where no rule
    asks. It takes long where there are many requirements: to be asked before a transaction."""
    if not any(rule.moment == Moment.ALL_DONE for rule in rules):
        return set()
    asked = asked_on(day)
    found = set[int]()
    for of_kind, is_path in ((asked.courses, False), (asked.paths, True)):
        done = all_done(of_kind.rows, of_kind.reasons)
        # The courses of a path are asked for with it: whether all of it is done is said of the path.
        found |= set(Assignment.objects.filter(pk__in=done, path__isnull=not is_path).values_list("pk", flat=True))
    return found


def _say(rule: NoticeRule, things: Iterable[int], day: date) -> None:
    Said.objects.bulk_create([Said(rule=rule, thing=thing, on=day) for thing in things], ignore_conflicts=True)


def _speaking(
    rules: Sequence[NoticeRule], assignments: Iterable[Assignment]
) -> Iterable[tuple[NoticeRule, list[Assignment]]]:
    """Of each rule the assignments of which it speaks: the narrowest that there is speaks instead of the wider ones."""
    found: dict[int, list[Assignment]] = {rule.pk: [] for rule in rules}
    for row in assignments:
        own = [rule for rule in rules if rule.assignment_id == row.pk]
        thing = [
            rule
            for rule in rules
            if (rule.course_id and rule.course_id == row.course_id) or (rule.path_id and rule.path_id == row.path_id)
        ]
        wide = [rule for rule in rules if rule.of is None]
        for rule in own or thing or wide:
            found[rule.pk].append(row)
    return [(rule, found[rule.pk]) for rule in rules]


def _marking(rules: Sequence[NoticeRule], day: date) -> Iterable[tuple[NoticeRule, list[int]]]:
    """Of each rule the papers that have waited as long as it says, or longer."""
    if not rules:
        return []
    waiting = list(waiting_for_marks().values_list("pk", "attempt__enrolment__course", "handed_in_at"))
    own = {rule.course_id for rule in rules if rule.course_id}
    found = []
    for rule in rules:
        by = datetime.combine(day - timedelta(days=rule.offset) + ONE_DAY, time(), tzinfo=zone())
        papers = [
            paper
            for paper, course, at in waiting
            if at is not None
            and at < by
            and (course == rule.course_id if rule.course_id else rule.of is None and course not in own)
        ]
        found.append((rule, papers))
    return found


def matters_of(rules: Collection[NoticeRule], day: date, *, back: Mapping[int, date]) -> dict[int, list[Matter]]:
    """Reader → what the run of a day has for them of these rules; whoever is *back* from leave has what runs from that day on told
    others, as far as it still holds."""
    by_key = {rule.pk: rule for rule in rules}
    said: dict[tuple[int, date], list[int]] = defaultdict(list)
    rows = Said.objects.filter(rule__in=rules, on__gte=min([day, *back.values()]), on__lte=day).order_by("on", "pk")
    for key, on, thing in rows.values_list("rule_id", "on", "thing"):
        said[key, on].append(thing)
    always = _always(rules)
    asked_about = contacts() if any(To.CONTACT in rule.to for rule in rules) else {}
    found: dict[int, list[Matter]] = defaultdict(list)
    for (key, on), things in said.items():
        rule = by_key[key]
        for line, about in _lines(rule, things):
            contact = asked_about.get(about) if To.CONTACT in rule.to else None
            for reader in always[key] | ({contact} if contact else set()):
                if on >= back.get(reader, day):
                    found[reader].append(Matter(rule, line, on))
    active = set(active_on(day).filter(person__in=found).values_list("person_id", flat=True))
    return {reader: matters for reader, matters in found.items() if reader in active}


def _always(rules: Collection[NoticeRule]) -> dict[int, set[int]]:
    """Of each rule whoever reads all that it tells: people by name, administrators."""
    every = set(administrators().values()) if any(To.ADMINISTRATORS in rule.to for rule in rules) else set()
    return {
        rule.pk: {person.pk for person in rule.named.all()} | (every if To.ADMINISTRATORS in rule.to else set())
        for rule in rules
    }


def _lines(rule: NoticeRule, things: Sequence[int]) -> list[tuple[str, tuple[bool, int]]]:
    """Each line with what it speaks of, as `contacts` names it."""
    if rule.moment == Moment.ALL_DONE:
        rows = Assignment.objects.filter(pk__in=things).select_related("course", "path").order_by("name")
        return [
            (
                f"Everybody has done “{row.title}”, as “{row.name}” asks.",
                (row.path_id is not None, row.path_id or row.course_id or 0),
            )
            for row in rows
        ]
    # Marked meanwhile, on the day of the run itself: it waits no more.
    papers = waiting_for_marks().filter(pk__in=things).select_related("attempt__module", "attempt__enrolment")
    by_quiz: dict[tuple[str, int], list[datetime]] = defaultdict(list)
    for paper in papers:
        assert paper.handed_in_at is not None, "waiting_for_marks"
        by_quiz[paper.attempt.module.title, paper.attempt.enrolment.course_id].append(paper.handed_in_at)
    return [
        (
            f"{len(days)} {'hand-in waits' if len(days) == 1 else 'hand-ins wait'} to be marked in “{quiz}”, "
            f"since {written(min(days).astimezone(zone()).date())}.",
            (False, course),
        )
        for (quiz, course), days in sorted(by_quiz.items())
    ]
