"""The catalogue as a magazine's page of contents: chapters by topic; or one list, where something else is asked. Rule: 14."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from django.db.models import Count
from django.db.models.functions import Coalesce
from django.urls import reverse

from stepladder import clock
from stepladder.catalogue.indexing import COURSE, PATH
from stepladder.catalogue.models import Following
from stepladder.catalogue.permissions import found_courses, found_paths
from stepladder.catalogue.things import Key, Thing, things_for, with_stills
from stepladder.core.catalogue import SHORT_BREAK, topics_to_show
from stepladder.core.finding import fold
from stepladder.core.lengths import LENGTHS
from stepladder.courses.models import Edition, Step
from stepladder.library.finding import Inside, hits_inside
from stepladder.people.models import Person, Placement
from stepladder.people.permissions import person_of
from stepladder.people.queries import valid_on
from stepladder.search import index
from stepladder.topics.models import Topic
from stepladder.web.tables import PER_PAGE

__all__ = ["ORDERS", "WAYS", "Asked", "Chapter", "Contents", "FoundThing", "contents", "found_by_words"]

WAYS = {
    "": "open to me or on asking",
    "open": "open to me",
    "ask": "on asking",
    "begun": "begun by me",
    "done": "done by me",
    "kept": "kept by me",
    "passed": "passed on to me",
}
ORDERS = {"": "topics", "new": "their newest release", "short": "length", "rated": "what others gave them"}
# In a chapter so many lines stand below the thing that leads it.
LINES = 4
# Kinds whose words give answers away.
WITH_CHECKS = frozenset({"lesson"})
# The chapter of what carries no topic.
ELSEWHERE = "elsewhere"


@dataclass(frozen=True)
class Asked:
    """What the sentence of the catalogue asks; what is empty is not asked."""

    topics: str = ""
    length: str = ""
    binder: str = ""
    way: str = ""
    order: str = ""
    text: str = ""

    @classmethod
    def of(cls, said: Mapping[str, str]) -> Asked:
        """As an address says it; what is none of the choices is not asked."""

        def known(name: str, choices: Mapping[str, Any]) -> str:
            value = said.get(name, "")
            return value if value in choices else ""

        return cls(
            said.get("topics", "")[:40],
            known("length", LENGTHS),
            said.get("from", "")[:200],
            known("way", WAYS),
            known("order", ORDERS),
            said.get("q", "").strip(),
        )

    def fits(self, thing: Thing) -> bool:
        """Whether a thing is what is asked, but for its topics and words."""
        if self.length:
            least, most = LENGTHS[self.length].bounds
            if not least < thing.minutes or (most is not None and thing.minutes > most):
                return False
        if self.binder and thing.binder != self.binder:
            return False
        return _ways[self.way](thing)


_ways: dict[str, Callable[[Thing], bool]] = {
    "": lambda thing: True,
    "open": lambda thing: bool(thing.place) or not (thing.on_asking or thing.by_nomination),
    "ask": lambda thing: thing.on_asking,
    "begun": lambda thing: thing.is_begun,
    "done": lambda thing: thing.done_on is not None,
    "kept": lambda thing: thing.is_kept,
    "passed": lambda thing: bool(thing.passed_by),
}


@dataclass(frozen=True)
class Chapter:
    """A topic with what stands under it: the thing that leads it, and the first few lines of the rest."""

    topic: str
    name: str
    total: int
    leads: Thing
    lines: Sequence[Thing]


@dataclass(frozen=True)
class Contents:
    """What is shown: *chapters*, or *rows* where one list is asked for."""

    total: int
    short: int
    chapters: list[Chapter] = field(default_factory=list)
    rows: list[Thing] | None = None
    topics: list[tuple[str, str]] = field(default_factory=list)
    binders: list[str] = field(default_factory=list)
    follows: bool = False
    # Whether the chapters are those that people at the same position follow.
    by_peers: bool = False


def contents(account: Any, asked: Asked) -> Contents:
    """The catalogue of an account, as far as it fits what is asked."""
    person = person_of(account)
    everything = things_for(account)
    fitting = [thing for thing in everything if asked.fits(thing)]
    tops = {topic.pk: topic for topic in Topic.objects.filter(parent__isnull=True)}
    followed = _followed(person)
    named = {topic.public_id: topic for topic in tops.values()}
    listing = [(topic.public_id, topic.name) for topic in sorted(tops.values(), key=lambda t: fold(t.name))]
    base: dict[str, Any] = {
        "topics": listing,
        "binders": sorted({thing.binder for thing in everything}, key=fold),
        "follows": bool(followed),
    }
    if asked.topics == ELSEWHERE or asked.topics in named or asked.order or asked.way:
        if asked.topics in named:
            fitting = [thing for thing in fitting if named[asked.topics].pk in thing.topics]
        elif asked.topics == ELSEWHERE:
            fitting = [thing for thing in fitting if not thing.topics]
        rows = sorted(fitting, key=_orders[asked.order]) if asked.order else fitting
        return Contents(len(fitting), _short(fitting), rows=rows, **base)
    order, by_peers = _chapters(person, followed, tops, everything=asked.topics == "all")
    chapters, leading = list[Chapter](), set[Key]()
    for key in order:
        if under := [thing for thing in fitting if key in thing.topics]:
            chapters.append(_chapter(tops[key].public_id, tops[key].name, under, leading))
    shown = set(order)
    if set(tops) <= shown:
        if rest := [thing for thing in fitting if not thing.topics]:
            chapters.append(_chapter(ELSEWHERE, "Elsewhere", rest, leading))
    else:
        fitting = [thing for thing in fitting if thing.topics & shown]
    pictured = with_stills([chapter.leads for chapter in chapters])
    chapters = [replace(chapter, leads=leads) for chapter, leads in zip(chapters, pictured, strict=True)]
    return Contents(len(fitting), _short(fitting), chapters, by_peers=by_peers, **base)


def _short(things: Sequence[Thing]) -> int:
    return sum(0 < thing.minutes <= SHORT_BREAK for thing in things)


_orders: dict[str, Callable[[Thing], Any]] = {
    "new": lambda thing: (-thing.released_on.toordinal(), fold(thing.title)),
    "short": lambda thing: (thing.minutes or 10**6, fold(thing.title)),
    "rated": lambda thing: (-(thing.rated.mean if thing.rated else 0), fold(thing.title)),
}


def _chapter(topic: str, name: str, things: Sequence[Thing], leading: set[Key]) -> Chapter:
    """The first that leads no chapter above leads; the others stand below it in their order."""
    leads = next((thing for thing in things if thing.key not in leading), things[0])
    leading.add(leads.key)
    return Chapter(topic, name, len(things), leads, [thing for thing in things if thing is not leads][:LINES])


def _followed(person: Person | None) -> set[int]:
    """The top topics that somebody follows: whoever follows one below it follows it."""
    rows = Following.objects.filter(person=person).values_list("topic_id", "topic__parent_id") if person else ()
    return {parent or topic for topic, parent in rows}


def _chapters(
    person: Person | None, followed: set[int], tops: Mapping[int, Topic], *, everything: bool
) -> tuple[list[int], bool]:
    """The topics that are chapters, in order; and whether they are those of one's peers."""
    names = {key: topic.name for key, topic in tops.items()}
    if everything or person is None:
        return topics_to_show([], {}, names), False
    if followed:
        return topics_to_show(sorted(followed & set(tops)), {}, names), False
    by_peers = _by_peers(person)
    return topics_to_show([], by_peers, names), bool(by_peers)


def _by_peers(person: Person) -> dict[int, int]:
    """Top topic → how many others at the same positions follow it."""
    today = clock.today()
    at = Placement.objects.filter(valid_on(today), person=person, position__isnull=False).values("position")
    peers = Placement.objects.filter(valid_on(today), position__in=at).exclude(person=person).values("person")
    # Whoever follows two topics below one follows that one, once.
    rows = Following.objects.filter(person__in=peers).annotate(top=Coalesce("topic__parent_id", "topic_id"))
    return dict(rows.values_list("top").annotate(n=Count("person", distinct=True)).order_by())


@dataclass(frozen=True)
class FoundThing:
    """A thing that was found by words, and where in it they stand: the place, its module's public id and title."""

    thing: Thing
    inside: Inside | None = None
    module: str = ""
    module_title: str = ""

    @property
    def where(self) -> str:
        """The module and the place in it, in words."""
        return ", ".join(filter(None, (self.module_title, self.inside.words if self.inside else "")))

    @property
    def address(self) -> str:
        """There, for whoever has a place in it; none for others."""
        if not self.thing.place or self.inside is None:
            return ""
        return f"{reverse('playing:step', args=[self.thing.place, self.module])}?at={self.inside.place:g}"


def found_by_words(account: Any, asked: Asked, *, limit: int = PER_PAGE) -> tuple[list[FoundThing], list[str]]:
    """What has every word, the best first; and the words that were taken instead of those that found nothing. Rule: 14."""
    # Joined, since a course has one released edition: what is grouped would be read whole for each hit.
    released = found_courses(account).filter(editions__state=Edition.State.RELEASED)
    courses = index.rank(COURSE, asked.text, released, order=["-editions__released_on", "title"], limit=limit)
    climbs = found_paths(account)
    # A word that finds nothing is held against every word there is: not for things that are not there.
    paths = index.rank(PATH, asked.text if climbs.exists() else "", climbs, order=["title"], limit=limit)
    scores: dict[Key, int] = {("course", row.key): row.score for row in courses.rows}
    scores |= {("path", row.key): row.score for row in paths.rows}
    things = [thing for thing in things_for(account, only=list(scores), are_found=True) if asked.fits(thing)]
    things.sort(key=lambda t: (-scores[t.key], -t.released_on.toordinal(), fold(t.title)))
    shown = things[:limit]
    inside = _inside([key for kind, key in (t.key for t in shown) if kind == "course"], courses.looked_for, shown)
    instead = list(dict.fromkeys(word for words in courses.instead.values() for word in words)) if courses.rows else []
    return [_found(thing, inside) for thing in shown], instead


def _found(thing: Thing, inside: Mapping[int, tuple[Inside, str, str]]) -> FoundThing:
    """The thing with the place where the words stand in it."""
    at = inside.get(thing.key[1]) if thing.is_course else None
    return FoundThing(thing, *at) if at else FoundThing(thing)


def _inside(courses: list[int], words: Sequence[str], shown: Sequence[Thing]) -> dict[int, tuple[Inside, str, str]]:
    """Course → where in its modules the words stand that its line does not show, the first step that has them."""
    if not courses:
        return {}
    steps = list(
        Step.objects.filter(edition__course__in=courses, edition__state=Edition.State.RELEASED)
        .select_related("module", "version", "edition")
        .order_by("edition", "-part", "place")
    )
    titles = {thing.key[1]: f"{thing.title} {thing.summary}" for thing in shown if thing.is_course}
    said = {step.module_id: titles.get(step.edition.course_id, "") for step in steps}
    hits = hits_inside([(step.module, step.version) for step in steps], words, said)
    found: dict[int, tuple[Inside, str, str]] = {}
    for step in steps:
        if (hit := hits.get(step.module_id)) and step.edition.course_id not in found:
            # The words of a lesson have its checks among them, pairs and orders as they are right: only the place is told.
            told = replace(hit, around="") if step.module.kind in WITH_CHECKS else hit
            found[step.edition.course_id] = told, step.module.public_id, step.title
    return found
