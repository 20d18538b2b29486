"""The catalogue of one of many people among many things, and words looked for in it, beside the bare query."""

from __future__ import annotations

import random
from collections.abc import Callable
from datetime import timedelta

from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from bench import check, company
from bench.finding import _bare, _middle, _page, _times
from stepladder import clock
from stepladder.accounts.actions import create_account
from stepladder.accounts.models import Account
from stepladder.catalogue.contents import Asked, contents, found_by_words
from stepladder.catalogue.models import Following
from stepladder.catalogue.permissions import found_courses
from stepladder.catalogue.things import things_for
from stepladder.core.admission import Admission
from stepladder.courses.models import Course, CourseState, Edition, Offer, OfferReach, Step
from stepladder.learning.models import Completion
from stepladder.learning.validity import refresh
from stepladder.library.actions import create_binder
from stepladder.library.models import Binder, Module, ModuleVersion
from stepladder.people.models import Person
from stepladder.search import index
from stepladder.topics.models import Topic

TOPICS, REACHES, ROUNDS = 40, 60, 20


def run(things: int, count: int = 50_000) -> list[str]:
    """Lines of what it came to with so many things for so many people, who completed five times as many courses."""
    units, positions = company.found(60)
    company.people(count, units, positions)
    admin = company.administrator()
    dice = random.Random(11)  # noqa: S311 - made-up things
    words = [f"{a}{b}{n}" for n in range(40) for a in ("fir", "mor", "lin", "dek", "val") for b in "abcdefgh"]
    _things(things, create_binder(name="Deck", owner=admin, is_shared=True, by=company.BY), dice, words, units[3].pk)
    _done(count, dice)
    index.rebuild()
    me = _somebody(count)
    client = Client()
    client.force_login(me)
    _page(client, reverse("catalogue:catalogue"))
    # A request forgets what was asked before it: asked here, as a page asks.
    with CaptureQueriesContext(connection) as asked:
        contents(_fresh(me), Asked())
    # Counted at once: the next request forgets them.
    queries = len(asked)
    page = _times([lambda: _page(client, reverse("catalogue:catalogue")) for _ in range(ROUNDS)])
    listed = _middle([lambda: things_for(_fresh(me)) for _ in range(ROUNDS)])
    bare = _middle([lambda: _rows(_fresh(me)) for _ in range(ROUNDS)])
    texts = [" ".join(dice.choices(words[:200], k=dice.choice((1, 2)))) for _ in range(ROUNDS)]
    looked = _times([_looking(me, text) for text in texts])
    plain = _times([_plainly(text) for text in texts])
    return [
        f"{things:,} things, {count:,} people: the page of contents, 95 of 100 within {page:.0f} ms, {queries} queries",
        f"all that is in it, in order: {listed:.0f} ms; the bare query of its rows {bare:.0f} ms, ratio {listed / bare:.1f}",
        f"words: 95 of 100 within {looked:.0f} ms; the bare query of the index {plain:.0f} ms, ratio {looked / plain:.1f}",
    ]


def _fresh(account: Account) -> Account:
    """As a request has it: nothing of it is known yet."""
    return Account.objects.get(pk=account.pk)


def _rows(account: Account) -> list[tuple[object, ...]]:
    """The bare query: every column that the page shows of its things, and nothing beside it."""
    rows = found_courses(account).filter(editions__state=Edition.State.RELEASED)
    return list(rows.values_list("pk", "public_id", "editions__title", "editions__summary", "offer__admission"))


def _looking(account: Account, text: str) -> Callable[[], object]:
    return lambda: found_by_words(_fresh(account), Asked(text=text))


def _plainly(text: str) -> Callable[[], object]:
    return lambda: _bare(text)


def _things(count: int, binder: Binder, dice: random.Random, words: list[str], unit: int) -> None:
    now, today = clock.now(), clock.today()
    topics = Topic.objects.bulk_create([Topic(name=f"Topic {n:02d}") for n in range(TOPICS)])
    reaches = OfferReach.objects.bulk_create(
        [
            OfferReach(
                digest=f"{n:064d}",
                reach={"in": {"kind": "unit", "unit": unit + n % 7, "below": True}, "named_in": [], "named_out": [n]},
            )
            for n in range(REACHES)
        ]
    )

    def text(length: int) -> str:
        return " ".join(words[min(int(dice.paretovariate(0.6)) - 1, len(words) - 1)] for _ in range(length))

    modules = Module.objects.bulk_create(
        [
            Module(binder=binder, kind="document", title=text(3), minutes=5 + n % 90, changed_at=now)
            for n in range(count)
        ],
        batch_size=500,
    )
    versions = ModuleVersion.objects.bulk_create(
        [ModuleVersion(module=m, number=1, data={"pages": 2}, made_at=now, made_by="Bench") for m in modules],
        batch_size=500,
    )
    courses = Course.objects.bulk_create(
        [Course(binder=binder, title=f"{text(4)} {n}", state=CourseState.RELEASED) for n in range(count)],
        batch_size=500,
    )
    editions = Edition.objects.bulk_create(
        [
            Edition(
                course=course,
                number=1,
                title=course.title,
                summary=text(12),
                state=Edition.State.RELEASED,
                released_on=today - timedelta(days=dice.randint(1, 900)),
                changed_at=now,
            )
            for course in courses
        ],
        batch_size=500,
    )
    Step.objects.bulk_create(
        [
            Step(edition=edition, place=1, module=module, version=version)
            for edition, module, version in zip(editions, modules, versions, strict=True)
        ],
        batch_size=500,
    )
    Offer.objects.bulk_create(
        [
            Offer(
                course=course,
                admission=dice.choice((Admission.OPEN, Admission.OPEN, Admission.ON_APPROVAL)),
                # Two of three are for everybody.
                found_by=reaches[n % REACHES] if n % 3 == 0 else None,
            )
            for n, course in enumerate(courses)
        ],
        batch_size=500,
    )
    Course.topics.through.objects.bulk_create(
        [Course.topics.through(course=c, topic=topics[n % TOPICS]) for n, c in enumerate(courses)], batch_size=500
    )


def _done(count: int, dice: random.Random) -> None:
    """Five completions a person within the last year."""
    now, today = clock.now(), clock.today()
    editions = list(Edition.objects.values_list("pk", "course_id"))
    people = list(Person.objects.values_list("pk", flat=True)[:count])
    rows = []
    for n, person in enumerate(people):
        for k, (edition, course) in enumerate(dice.sample(editions, 5)):
            day = today - timedelta(days=dice.randint(1, 360))
            rows.append(
                Completion(
                    person_id=person, course_id=course, edition_id=edition, day=day, at=now, number=f"B{n:07d}-{k}"
                )
            )
    Completion.objects.bulk_create(rows, batch_size=500)


def _somebody(count: int) -> Account:
    """One of the people, with a sign-in, who follows three topics and has done a few things."""
    person = Person.objects.order_by("pk")[count // 2]
    refresh(people=[person.pk])
    account = create_account(email="me@bench.example", name=person.name, roles=["learner"], by=company.BY)
    Person.objects.filter(pk=person.pk).update(account=account)
    for topic in Topic.objects.order_by("pk")[:3]:
        Following.objects.create(person=person, topic=topic)
    check(found_courses(account).count() > 0, "nothing is found")
    return account
