"""Getting in: taking up, asking, deciding."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.assignments import wishing
from stepladder.catalogue import queries
from stepladder.catalogue.actions import entering
from stepladder.catalogue.errors import CatalogueError
from stepladder.catalogue.forms import AskForm, DecisionForm
from stepladder.catalogue.models import Request
from stepladder.catalogue.views import thing_of, thing_page
from stepladder.courses.models import Course
from stepladder.learning.models import Enrolment
from stepladder.people.models import Person
from stepladder.refusals import Refusal
from stepladder.web import toasts
from stepladder.web.frame import own_pages
from stepladder.web.once import act_once
from stepladder.web.tables import page_of


def _me(request: HttpRequest) -> Person:
    return get_object_or_404(Person, account=request.user.pk)


@require_POST
def take_up(request: HttpRequest, public_id: str) -> HttpResponse:
    """Take up what is open: on to the course, or to what is next."""
    person, of = _me(request), thing_of(request, public_id)
    try:
        entering.take_up(person=person, thing=of, by=account_of(request))
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
        return redirect("catalogue:thing", public_id=public_id)
    if isinstance(of, Course):
        place = Enrolment.objects.filter(
            person=person, course=of, completed_at__isnull=True, closed_on__isnull=True
        ).first()
        if place is not None:
            return redirect(queries.opens_at(of, place.public_id))
    toasts.say(request, f"“{of.title}” is before you now.")
    return redirect(own_pages()[0].address)


@require_POST
def give_up(request: HttpRequest, public_id: str) -> HttpResponse:
    """No longer want it; what was done in it stays."""
    person, of = _me(request), thing_of(request, public_id)
    running = wishing.running_wish(person, of)
    if running is None:
        toasts.trouble(request, f"“{of.title}” is not of your own choice, so it is not yours to give up.")
    else:
        wishing.give_up(wish=running, by=account_of(request))
        toasts.say(request, f"“{of.title}” is given up. What you did in it stays, and counts if you take it up again.")
    return redirect("catalogue:thing", public_id=public_id)


@require_POST
def ask(request: HttpRequest, public_id: str) -> HttpResponse:
    """Ask to get in."""
    person, of, form = _me(request), thing_of(request, public_id), AskForm(request.POST)
    if form.is_valid():

        def act() -> str:
            made = entering.ask(person=person, thing=of, words=form.cleaned_data["words"], by=account_of(request))
            names = list(made.deciders.order_by("circle", "account__name").values_list("account__name", flat=True))
            whom = " or ".join(names[:3]) or "an administrator"
            toasts.say(request, f"You asked for “{of.title}”: {whom} decides, and you are told.")
            return reverse("catalogue:thing", args=[public_id])

        try:
            return act_once(request, act)
        except CatalogueError as refusal:
            form.add_error(refusal.field, str(refusal))
    return thing_page(request, person, of, status=422, ask_form=form)


HEADS = [("Who", ""), ("What", ""), ("Asked", ""), ("", "")]


@never_cache
def requests(request: HttpRequest) -> HttpResponse:
    """What waits for one's decision, decided here."""
    return _requests(request)


def _requests(
    request: HttpRequest, *, status: int = 200, refused: str = "", form: DecisionForm | None = None
) -> HttpResponse:
    context = {
        "page": page_of(request, queries.to_decide(request.user), HEADS),
        "refused": refused,
        "form": form,
    }
    return render(request, "catalogue/requests.html", context, status=status)


@require_POST
def decide(request: HttpRequest, public_id: str) -> HttpResponse:
    """Approve or refuse a request; refused is with words."""
    shown = policy.visible(request.user, "decide", Request.objects.select_related("person", "course", "path"))
    found = get_object_or_404(shown.distinct(), public_id=public_id)
    form = DecisionForm(request.POST)
    if form.is_valid():
        said = form.cleaned_data
        try:
            entering.decide(
                request=found,
                is_approved=said["decision"] == "yes",
                answer=said["answer"],
                may_ask_again=said["may_ask_again"],
                by=account_of(request),
            )
        except CatalogueError as refusal:
            form.add_error(refusal.field, str(refusal))
        except Refusal as refusal:
            form.add_error(None, str(refusal))
        else:
            how = "has it before them" if said["decision"] == "yes" else "is told why not"
            toasts.say(request, f"Decided: {found.person.name} {how}.")
            return redirect("catalogue:requests")
    return _requests(request, status=422, refused=public_id, form=form)


@require_POST
def withdraw(request: HttpRequest, public_id: str) -> HttpResponse:
    """Ask no longer."""
    found = get_object_or_404(
        Request.objects.select_related("person"), public_id=public_id, person__account=request.user.pk
    )
    try:
        entering.withdraw_request(request=found, by=account_of(request))
    except CatalogueError as refusal:
        toasts.trouble(request, str(refusal))
    else:
        toasts.say(request, f"You no longer ask for “{found.thing.title}”.")
    return redirect("catalogue:thing", public_id=found.thing.public_id)
