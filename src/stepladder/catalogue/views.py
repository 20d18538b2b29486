"""The catalogue, and a thing in it."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST
from icalendar import Calendar, Event

from stepladder import clock
from stepladder.accounts.signed_in import account_of
from stepladder.catalogue import queries
from stepladder.catalogue.actions import keeping, passing
from stepladder.catalogue.contents import ORDERS, WAYS, Asked, contents, found_by_words
from stepladder.catalogue.errors import CatalogueError
from stepladder.catalogue.forms import AskForm, HourForm, PassOnForm, RateForm
from stepladder.catalogue.programmes import programme_paths, programmes_for
from stepladder.core.finding import fold
from stepladder.core.lengths import LENGTHS
from stepladder.courses.models import Course, Edition, Path, Step
from stepladder.identity import new_public_id
from stepladder.library import storage
from stepladder.people.models import Person
from stepladder.people.naming import named_people
from stepladder.people.permissions import person_of
from stepladder.reaches.models import Group
from stepladder.reaches.queries import members_of
from stepladder.topics.models import Topic
from stepladder.web import margin, toasts
from stepladder.web.onwards import asked_address
from stepladder.web.tables import page_of


# What one keeps, begins or follows changes it: the browser's way back asks anew.
@never_cache
def catalogue(request: HttpRequest) -> HttpResponse:
    """The catalogue: chapters by topic, one list, or what was found by words."""
    asked = Asked.of(request.GET)
    context: dict[str, Any] = {"asked": asked, "lengths": LENGTHS, "ways": WAYS, "orders": ORDERS}
    context["person"] = person_of(request.user)
    shown = contents(request.user, asked)
    context["shown"] = shown
    context["programmes"] = programmes_for(request.user)
    if fold(asked.text).strip():
        context["found"], context["instead"] = found_by_words(request.user, asked)
    elif shown.rows is not None:
        context["page"] = page_of(request, shown.rows, [])
        named = Topic.objects.filter(public_id=asked.topics).first()
        context["topic"] = named
        context["follows_it"] = named is not None and named.pk in _followed(context["person"])
    return render(request, "catalogue/catalogue.html", context)


def programme(request: HttpRequest, public_id: str) -> HttpResponse:
    """A programme: its paths in order, and how far one is with each."""
    found = get_object_or_404(programmes_for(request.user), public_id=public_id)
    paths = programme_paths(request.user, found)
    context = {"programme": found, "paths": paths, "done": sum(one.is_done for one in paths)}
    return render(request, "catalogue/programme.html", context)


def _followed(person: Person | None) -> set[int]:
    return set(person.following.values_list("topic_id", flat=True)) if person else set()


def _me(request: HttpRequest) -> Person:
    person = person_of(request.user)
    if person is None:
        raise Http404
    return person


def thing_of(request: HttpRequest, public_id: str) -> Course | Path:
    """The thing of an address, where it is in the asker's catalogue."""
    found = queries.find_thing(request.user, public_id)
    if found is None:
        raise Http404
    return found


@never_cache
def thing(request: HttpRequest, public_id: str) -> HttpResponse:
    """What it is, how long, what comes before, and how one gets in."""
    person, of = _me(request), thing_of(request, public_id)
    passing.open_passed(person=person, thing=of, by=account_of(request))
    return thing_page(request, person, of)


def thing_page(
    request: HttpRequest, person: Person, of: Course | Path, *, status: int = 200, **forms: Any
) -> HttpResponse:
    """The page of a thing, with a form as it was sent where one was refused."""
    page = queries.one_thing(request.user, of, person)
    if page is None:
        raise Http404
    own = page.own_rating
    context = {
        "page": page,
        "thing": page.thing,
        "person": person,
        "panels": margin.panels("thing", request, of),
        "ask_form": AskForm(),
        "rate_form": RateForm(initial={"points": own.points, "words": own.words} if own else None),
        "pass_form": PassOnForm(),
        "hour_form": HourForm(initial={"day": clock.today() + timedelta(days=1), "minutes": page.thing.minutes or 60}),
        **forms,
    }
    return render(request, "catalogue/thing.html", context, status=status)


def still(request: HttpRequest, public_id: str) -> FileResponse:
    """The picture of the content of a module that is offered by itself."""
    of = thing_of(request, public_id)
    step = Step.objects.filter(edition__course__public_id=of.public_id, edition__state=Edition.State.RELEASED)
    first = step.filter(edition__course__alone__isnull=False).select_related("version").first()
    if first is None or not storage.has_derived(first.version, "still.jpg"):
        raise Http404
    picture = storage.derived_folder(first.version) / "still.jpg"
    response = FileResponse(picture.open("rb"), content_type="image/jpeg")
    # The address names its version: for a while it is not asked for again.
    response.headers["Cache-Control"] = "private, max-age=600"
    return response


@require_POST
def follow(request: HttpRequest) -> HttpResponse:
    """Follow the topic that is sent, or no longer."""
    topic = get_object_or_404(Topic, public_id=request.POST.get("topic", ""))
    is_on = request.POST.get("on") == "1"
    keeping.follow(person=_me(request), topic=topic, is_on=is_on, by=account_of(request))
    toasts.say(request, f"You follow “{topic.name}”." if is_on else f"You no longer follow “{topic.name}”.")
    return redirect(_back(request) or "catalogue:catalogue")


def _back(request: HttpRequest) -> str:
    return asked_address(request, request.POST.get("back", ""))


@require_POST
def keep(request: HttpRequest, public_id: str) -> HttpResponse:
    """Put a thing by for later, or no longer."""
    of, is_on = thing_of(request, public_id), request.POST.get("on") == "1"
    keeping.keep(person=_me(request), thing=of, is_on=is_on, by=account_of(request))
    toasts.say(request, f"“{of.title}” is kept for later." if is_on else f"“{of.title}” is no longer kept.")
    return redirect("catalogue:thing", public_id=public_id)


@require_POST
def rate(request: HttpRequest, public_id: str) -> HttpResponse:
    """What one gives a thing that one did; `points=0` takes it back."""
    person, of = _me(request), thing_of(request, public_id)
    if request.POST.get("points") == "0":
        keeping.rate(person=person, thing=of, points=0, words="", by=account_of(request))
        toasts.say(request, "Your rating is taken back.")
        return redirect("catalogue:thing", public_id=public_id)
    form = RateForm(request.POST)
    if form.is_valid():
        try:
            keeping.rate(person=person, thing=of, by=account_of(request), **form.cleaned_data)
        except CatalogueError as refusal:
            form.add_error(refusal.field, str(refusal))
        else:
            toasts.say(request, "Thank you. You can change it whenever you like.")
            return redirect("catalogue:thing", public_id=public_id)
    return thing_page(request, person, of, status=422, rate_form=form)


@require_POST
def pass_on(request: HttpRequest, public_id: str) -> HttpResponse:
    """Point a thing out to people, with a word."""
    person, of, form = _me(request), thing_of(request, public_id), PassOnForm(request.POST)
    if form.is_valid():
        try:
            told = passing.pass_on(
                person=person,
                thing=of,
                to=_named(form.cleaned_data["to"], person),
                words=form.cleaned_data["words"],
                by=account_of(request),
            )
        except CatalogueError as refusal:
            form.add_error(refusal.field, str(refusal))
        else:
            names = ", ".join(one.name for one in told[:3]) or "nobody new"
            more = f" and {len(told) - 3} more" if len(told) > 3 else ""
            toasts.say(request, f"Passed on to {names}{more}.")
            return redirect("catalogue:thing", public_id=public_id)
    return thing_page(request, person, of, status=422, pass_form=form)


def _named(text: str, person: Person) -> list[Person]:
    """The people whom a text names; a group by its name, where *person* is in it. Raises CatalogueError where one of its parts names
    nobody, or several."""
    found = named_people(text)
    in_groups: list[Person] = []
    for name in found.unknown:
        group = Group.objects.filter(name__iexact=name).first()
        members = list(members_of(group, clock.today())) if group else []
        # Of a group that one is not in nothing is told, not even that there is one.
        if person not in members:
            raise CatalogueError(f"“{name[:60]}” is nobody’s name, number or address here, nor a group of yours.", "to")
        in_groups += members
    if found.several:
        raise CatalogueError(f"“{found.several[0][:60]}” is the name of several: write the number.", "to")
    return [*found.people, *(one for one in in_groups if one not in found.people)]


def hour(request: HttpRequest, public_id: str) -> HttpResponse:
    """An hour to learn, as a file that any calendar takes."""
    person, of, form = _me(request), thing_of(request, public_id), HourForm(request.GET)
    if not form.is_valid():
        return thing_page(request, person, of, status=422, hour_form=form)
    said = form.cleaned_data
    begins = datetime.combine(said["day"], said["at"], tzinfo=clock.zone())
    event = Event()
    event.add("uid", f"{new_public_id()}@stepladder")
    event.add("dtstamp", clock.now())
    event.add("dtstart", begins)
    event.add("dtend", begins + timedelta(minutes=said["minutes"]))
    event.add("summary", f"Learning: {of.title}")
    event.add("url", request.build_absolute_uri(reverse("catalogue:thing", args=[public_id])))
    calendar = Calendar()
    calendar.add("prodid", "-//Stepladder//EN")
    calendar.add("version", "2.0")
    calendar.add_component(event)
    response = HttpResponse(calendar.to_ical(), content_type="text/calendar; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="an-hour-to-learn.ics"'
    return response
