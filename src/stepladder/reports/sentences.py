"""A report as a sentence that one changes in place: what its words mean today, and what is wrong with them. Rules: 1, 16."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from datetime import date
from typing import Any, Self

from django.utils.http import urlencode

from stepladder import clock
from stepladder.charts.models import Unit
from stepladder.core.days import DayError, resolve_day
from stepladder.core.reports import PERIODS, Figure, ReportPeriod, TooManyPeriods, periods_of
from stepladder.courses.models import Course, PathEdition
from stepladder.courses.paths import plan_of
from stepladder.people.permissions import people_seen
from stepladder.reaches.models import Group
from stepladder.reports.counted import Counted, Span, counted_named
from stepladder.reports.groupings import Grouping, grouping_named, groupings_of
from stepladder.reports.placing import Reach
from stepladder.topics.models import Topic
from stepladder.web.templatetags.web import day as written

__all__ = ["Asked", "Sentence", "asked_of"]

# Keys that say which kind of thing follows.
OF_GROUP, OF_TOPIC, OF_PATH = "g.", "t.", "p."
LONGEST = 200


@dataclass(frozen=True)
class Sentence:
    """The words of a report as they were written: a kept one keeps these, so that "start of this year" stays what it says.

    *figure* is "requirements.covered"; *of* a unit, or a group ("g."); *about* a course, a topic ("t.") or a path ("p.");
    *by* and *then* are groupings or periods. *known* is the day by whose knowledge it is told.
    """

    figure: str = "requirements.covered"
    of: str = ""
    about: str = ""
    by: str = ""
    then: str = ""
    first: str = "start of this year"
    last: str = "today"
    known: str = "today"

    @classmethod
    def read(cls, data: Mapping[str, Any], default: Sentence | None = None) -> Self:
        """From an address or from what was kept; what is missing is as in *default*. Whatever is no text is as if it were missing."""
        like = default or cls()
        said = {f.name: data.get(f.name, getattr(like, f.name)) for f in fields(cls)}
        return cls(**{name: text.strip()[:LONGEST] if isinstance(text, str) else "" for name, text in said.items()})

    def words(self) -> dict[str, str]:
        return {f.name: getattr(self, f.name) for f in fields(self)}

    @property
    def query(self) -> str:
        """For addresses, whole: what is empty is said too, as a ready report might have something there."""
        return urlencode(self.words())


@dataclass(frozen=True)
class Asked:
    """What a sentence means today, for whoever asks."""

    sentence: Sentence
    account: Any
    counted: Counted
    figure: Figure
    reach: Reach
    of_name: str
    courses: frozenset[int] | None
    about_name: str
    by: str
    then: str
    first: date
    last: date
    # By the knowledge of which day before today; None: of now.
    known_on: date | None
    # By one grouping: the figure that the lines are ordered by, "-" before it the highest first; "": as one reads the groups.
    order: str = ""
    # What is read for one period and serves the others.
    kept: dict[str, Any] = field(default_factory=dict, compare=False)

    @property
    def groupings(self) -> list[str]:
        """The keys by which it groups, periods among them."""
        return [key for key in (self.by, self.then) if key]

    @property
    def period(self) -> str:
        """The unit of its periods, "" where it has none."""
        return next((key for key in self.groupings if key in PERIODS), "")

    @property
    def periods(self) -> list[ReportPeriod]:
        if not self.period:
            return []
        return periods_of(self.period, self.first, self.last, today=clock.today(), calendar=clock.calendar())

    @property
    def is_board(self) -> bool:
        """Whether it is groups by groups, and no periods: it is drawn as the board is."""
        return len(self.groupings) == 2 and not self.period

    @property
    def span(self) -> Span:
        """The days of all; how things stand is taken on the last, today while they run."""
        today = clock.today()
        day = today if self.first <= today <= self.last else self.last
        return self._span(self.first, self.last, day)

    def span_of(self, period: ReportPeriod) -> Span:
        return self._span(period.first, period.last, period.day)

    def _span(self, first: date, last: date, day: date) -> Span:
        whole = (self.first, self.last)
        return Span(first, last, day, self.courses, whole, self.kept, known_on=self.known_on)

    @property
    def by_words(self) -> list[str]:
        return [key if key in PERIODS else _grouping(key).word for key in self.groupings]

    @property
    def description(self) -> list[tuple[str, str]]:
        """What it is, as (word, value), for who reads a print or a file without the page."""
        said = [
            ("counts", self.counted.word),
            ("figure", self.figure.label),
            ("of", self.of_name or "everybody"),
            ("in", self.about_name or "everything"),
            ("by", " and ".join(self.by_words)),
            ("on" if self.is_on_a_day else "from", written(self.span.day if self.is_on_a_day else self.first)),
            ("to", "" if self.is_on_a_day else written(self.last)),
            ("as known on", written(self.known_on) if self.known_on else ""),
        ]
        return [(word, value) for word, value in said if value]

    @property
    def is_on_a_day(self) -> bool:
        """Whether only its last day matters."""
        return self.counted.is_state and not self.period and self.counted.key == "requirements"


def _grouping(key: str) -> Grouping:
    found = grouping_named(key)
    assert found is not None, "a sentence is asked only by what there is"
    return found


def asked_of(sentence: Sentence, account: Any, *, order: str = "") -> tuple[Asked | None, list[str]]:
    """What a sentence means today for an account, and what is wrong with it; None where it can't be asked at all."""
    errors: list[str] = []
    counted_key, _, figure_key = sentence.figure.partition(".")
    counted = counted_named(counted_key)
    figure = counted.figure(figure_key) if counted else None
    if counted is None or figure is None:
        return None, ["There is no such figure. Choose what the report is to count."]
    reach, of_name = _reach(sentence.of, account, errors)
    courses, about_name = _about(sentence.about, errors)
    if sentence.about and "course" not in counted.groups:
        errors.append(f"{counted.word.capitalize()} are counted whatever they learn. Choose everything after “in”.")
    days = _days(sentence, errors)
    known_on = _known_on(sentence, counted, errors)
    by, then = _by(sentence, counted, errors)
    if days is None or reach is None:
        return None, errors
    # Questions are looked at for those that mislead: the lowest first.
    order = order if counted.figure(order.lstrip("-")) else figure.key if by == "question" else ""
    asked = Asked(
        sentence, account, counted, figure, reach, of_name, courses, about_name, by, then, *days, known_on, order
    )
    try:
        _ = asked.periods
    except TooManyPeriods as refusal:
        return None, [*errors, str(refusal)]
    return (None if errors else asked), errors


def _reach(of: str, account: Any, errors: list[str]) -> tuple[Reach | None, str]:
    scope = people_seen(account, "open records")
    if not of:
        return Reach(scope=scope), ""
    if of.startswith(OF_GROUP):
        group = Group.objects.filter(public_id=of.removeprefix(OF_GROUP)).first()
        if group:
            return Reach(group=group, scope=scope), group.name
    elif unit := Unit.objects.select_related("chart").filter(public_id=of).first():
        return Reach(unit=unit, scope=scope), unit.name
    errors.append("Whom this report is about is not there any more. Choose everybody, a unit or a group.")
    return None, ""


def _about(about: str, errors: list[str]) -> tuple[frozenset[int] | None, str]:
    if not about:
        return None, ""
    if about.startswith(OF_TOPIC):
        topic = Topic.objects.filter(public_id=about.removeprefix(OF_TOPIC)).first()
        if topic:
            below = Topic.objects.filter(parent=topic).values_list("pk", flat=True)
            courses = Course.objects.filter(topics__in=[topic.pk, *below])
            return frozenset(courses.values_list("pk", flat=True)), topic.name
    elif about.startswith(OF_PATH):
        edition = PathEdition.objects.known_now().filter(path__public_id=about.removeprefix(OF_PATH)).first()
        if edition:
            return frozenset(plan_of(edition).courses), edition.title
    elif course := Course.objects.filter(public_id=about).first():
        return frozenset({course.pk}), course.title
    errors.append("What this report is about is not there any more. Choose everything, a course, a topic or a path.")
    return None, ""


def _days(sentence: Sentence, errors: list[str]) -> tuple[date, date] | None:
    days = []
    for text in (sentence.first, sentence.last):
        try:
            days.append(resolve_day(text or "today", today=clock.today(), calendar=clock.calendar()))
        except DayError as error:
            errors.append(str(error))
    if len(days) < 2:
        return None
    if days[1] < days[0]:
        errors.append("It would end before it begins. Choose a later last day.")
        return None
    return days[0], days[1]


def _known_on(sentence: Sentence, counted: Counted, errors: list[str]) -> date | None:
    today = clock.today()
    try:
        day = resolve_day(sentence.known or "today", today=today, calendar=clock.calendar())
    except DayError as error:
        errors.append(str(error))
        return None
    if day > today:
        errors.append("What will be known is not known yet. As known: today, or a day before.")
    elif day < today and not counted.by_both_clocks:
        errors.append(f"Of {counted.word} only what is known today is told. Choose today after “as known”.")
    return day if day < today else None


def _by(sentence: Sentence, counted: Counted, errors: list[str]) -> tuple[str, str]:
    fits = {grouping.key for grouping in groupings_of(counted)} | set(PERIODS)
    keys: list[str] = []
    for key in (sentence.by, sentence.then):
        if not key or key in keys:
            continue
        if key not in fits:
            known = grouping_named(key)
            word = known.word if known else key
            errors.append(f"{counted.word.capitalize()} can’t be grouped by “{word}”. Choose another word after “by”.")
        elif key in PERIODS and any(other in PERIODS for other in keys):
            errors.append("Choose one kind of period only.")
        else:
            keys.append(key)
    by, then = (*keys, "", "")[:2]
    return by, then
