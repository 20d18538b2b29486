"""Getting in: taking up what is open, asking for what is on approval, deciding. Rule: 12."""

from __future__ import annotations

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.assignments.models import Wish
from stepladder.assignments.paths import electives_of
from stepladder.assignments.wishing import running_wish, wish
from stepladder.catalogue.circles import circles_for
from stepladder.catalogue.errors import CatalogueError
from stepladder.catalogue.models import Decider, Request
from stepladder.catalogue.notices import DECIDED, REQUEST, path_of_thing, path_to_decide
from stepladder.catalogue.permissions import may_find
from stepladder.core.admission import Admission, ask_again_from, asked_circles
from stepladder.courses.models import Course, Path
from stepladder.courses.offers import offer_of
from stepladder.events import Doer
from stepladder.journal.actions import Actor, Machine, Named, record
from stepladder.learning.actions import missing_prerequisites
from stepladder.notices.actions import Message, tell
from stepladder.people.models import Person
from stepladder.people.queries import active_on
from stepladder.web.templatetags.web import day as written

__all__ = ["ask", "ask_further", "decide", "take_up", "withdraw_request"]

DAILY = Machine("Daily run")


@transaction.atomic
def take_up(*, person: Person, thing: Course | Path, by: Actor) -> Wish:
    """Somebody takes up what is open to them. A prerequisite that is missing opens it later. Raises CatalogueError."""
    policy.require(by, "learn", person)
    if isinstance(thing, Course) and thing.pk in electives_of(person):
        # The path asks for so many of them: which, is the person's own choice, however the course is offered to others.
        return wish(person=person, wanted=thing, by=by)
    offer = offer_of(thing)
    if not may_find([person], thing) or offer.admission == Admission.ASSIGNED_ONLY:
        raise CatalogueError(f"“{thing.title}” is not offered to you.")
    if offer.admission != Admission.OPEN:
        raise CatalogueError(f"“{thing.title}” is not open to everybody: {_how(offer.admission)}.")
    return wish(person=person, wanted=thing, by=by, due_days=offer.wish_days)


def _how(admission: str) -> str:
    return (
        "ask for it, and your lead decides" if admission == Admission.ON_APPROVAL else "your lead names people for it"
    )


@transaction.atomic
def ask(*, person: Person, thing: Course | Path, words: str, by: Actor) -> Request:
    """Somebody asks to get in; asking twice is asking once. Raises CatalogueError."""
    policy.require(by, "learn", person)
    of = {"course": thing} if isinstance(thing, Course) else {"path": thing}
    if (waiting := Request.objects.filter(person=person, state=Request.State.WAITS, **of).first()) is not None:
        return waiting
    if not may_find([person], thing) or offer_of(thing).admission != Admission.ON_APPROVAL:
        raise CatalogueError(f"“{thing.title}” is not to be asked for.")
    if running_wish(person, thing) is not None:
        raise CatalogueError(f"You are in “{thing.title}” already.")
    if isinstance(thing, Course) and (missing := missing_prerequisites(person, thing)):
        first = " and ".join(f"“{title}”" for title in missing)
        raise CatalogueError(f"First comes {first}: complete that, then ask for “{thing.title}”.")
    last = (
        Request.objects.filter(person=person, state=Request.State.REFUSED, **of).order_by("-decided_on", "-pk").first()
    )
    if last is not None and last.decided_on and not last.may_ask_again:
        again = ask_again_from(last.decided_on)
        if clock.today() < again:
            raise CatalogueError(
                f"It was refused on {written(last.decided_on)}. You can ask again from {written(again)}, "
                "or at once when somebody who decides says so."
            )
    made = Request.objects.create(
        person=person, words=words.strip()[:2000], asked_at=clock.now(), asked_on=clock.today(), **of
    )
    data = {"title": thing.title}
    record("ask_to_get_in", by=by, about=Named("person", person.public_id, person.name), data=data)
    _ask_circles(made)
    return made


def _ask_circles(request: Request) -> list[int]:
    """Whoever has to be asked by today, by today's charts, and has not been, is asked; whoever stands in no such circle any more no
    longer decides. The accounts that were asked now."""
    today = clock.today()
    found = circles_for(request.person, today)
    reached = found[: asked_circles(request.asked_on, today, of=len(found))]
    wanted = {account: number for number, circle in enumerate(reached) for account in circle}
    rows = Decider.objects.filter(request=request)
    rows.exclude(account__in=wanted).delete()
    have = set(rows.values_list("account_id", flat=True))
    new = sorted(set(wanted) - have)
    Decider.objects.bulk_create(
        Decider(request=request, account_id=account, circle=wanted[account], asked_on=today) for account in new
    )
    thing = request.thing
    fields = {"name": request.person.name, "title": thing.title, "words": request.words}
    people = Person.objects.filter(account__in=new).order_by("pk")
    tell(REQUEST.name, [Message(one, path_to_decide(request), fields) for one in people])
    return new


@transaction.atomic
def ask_further(*, request: Request) -> None:
    """The daily run: on each seventh day the next circle is asked as well; whoever has left is asked no more."""
    policy.require(DAILY, "decide", request)
    if request.state != Request.State.WAITS:
        return
    if not active_on(clock.today()).filter(person=request.person).exists():
        _close(request, Request.State.WITHDRAWN, by=DAILY, answer="They are not here any more.")
        return
    if new := _ask_circles(request):
        data = {"count": len(new), "title": request.thing.title}
        person = request.person
        record("ask_further", by=DAILY, about=Named("person", person.public_id, person.name), data=data)


def _close(request: Request, state: Request.State, *, by: Actor, answer: str = "", may_ask_again: bool = False) -> None:
    """The first decision counts. Raises CatalogueError where there was one."""
    changed = Request.objects.filter(pk=request.pk, state=Request.State.WAITS).update(
        state=state, decided_on=clock.today(), decided_by=by.name, answer=answer, may_ask_again=may_ask_again
    )
    if not changed:
        request.refresh_from_db()
        how = {"approved": "approved it", "refused": "refused it", "withdrawn": "withdrew it"}[request.state]
        raise CatalogueError(f"{request.decided_by} {how} on {written(request.decided_on)}: the first decision counts.")
    request.refresh_from_db()


@transaction.atomic
def decide(*, request: Request, is_approved: bool, answer: str, by: Actor, may_ask_again: bool = False) -> Request:
    """The decision, which is final; a refusal says why. Approved on a day is enrolled on that day. Raises CatalogueError."""
    policy.require(by, "decide", request)
    person, thing = request.person, request.thing
    if not is_approved and not answer.strip():
        raise CatalogueError("Say why it is refused: the words go to them.", "answer")
    state = Request.State.APPROVED if is_approved else Request.State.REFUSED
    _close(request, state, by=by, answer=answer.strip()[:2000], may_ask_again=may_ask_again)
    own = person.account_id is not None and getattr(by, "pk", None) == person.account_id
    data = {"title": thing.title, "outcome": state.label, "own": ", their own: nobody else could" if own else ""}
    record("decide", by=by, about=Named("person", person.public_id, person.name), data=data)
    if is_approved:
        if not active_on(clock.today()).filter(person=person).exists():
            raise CatalogueError(f"{person.name} is not here any more: refuse it, or let it rest.")
        wish(
            person=person,
            wanted=thing,
            by=Doer(by.public_id, by.name),
            how=Wish.How.APPROVED,
            due_days=offer_of(thing).wish_days,
        )
    fields = {"title": thing.title, "outcome": state.label, "decider": by.name, "words": request.answer}
    tell(DECIDED.name, [Message(person, path_of_thing(thing), fields)])
    return request


@transaction.atomic
def withdraw_request(*, request: Request, by: Actor) -> None:
    """Somebody no longer asks. Raises CatalogueError where it is decided."""
    policy.require(by, "learn", request.person)
    _close(request, Request.State.WITHDRAWN, by=by)
    person = request.person
    record(
        "withdraw_request",
        by=by,
        about=Named("person", person.public_id, person.name),
        data={"title": request.thing.title},
    )
