"""Evidence packs: all of them, a new one, one with what its check says, and its file."""

from __future__ import annotations

from typing import Any

from django.http import FileResponse, Http404, HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.charts.models import Unit
from stepladder.core.requirements import COVERED, Status
from stepladder.courses.models import Course
from stepladder.evidence import actions, making
from stepladder.evidence.errors import EvidenceError
from stepladder.evidence.forms import PackForm
from stepladder.evidence.models import Pack
from stepladder.evidence.standing import standing_counts
from stepladder.people.models import Person
from stepladder.reaches.reach_forms import reach_context
from stepladder.records.frames import plain_frame
from stepladder.web import toasts
from stepladder.web.once import act_once
from stepladder.web.tables import page_of

HEADS = [("Pack", ""), ("Covered on", ""), ("As known on", ""), ("People", ""), ("Made", ""), ("State", "")]


def packs(request: HttpRequest) -> HttpResponse:
    """The packs that one has asked for; who sees everything sees those of others too. The newest first."""
    rows = policy.visible(request.user, "read evidence packs", Pack.objects.select_related("account"))
    page = page_of(request, rows, HEADS, numeric=frozenset({"People"}))
    return render(request, "evidence/packs.html", {"page": page, **plain_frame(request)})


def new(request: HttpRequest) -> HttpResponse:
    """A new pack; an address can bring the unit, courses and days of a view along."""
    data = request.POST if request.method == "POST" else _brought_along(request.GET)
    form = PackForm(request.POST or None, initial=_initial(request.GET))
    if request.method == "POST" and form.is_valid():

        def act() -> str:
            pack = actions.ask_pack(asked=form.asked(request.POST), name=form.called, by=account_of(request))
            toasts.say(request, f"“{pack.name}” is being made. You may leave its page and come back.")
            return reverse("evidence:pack", args=[pack.public_id])

        try:
            return act_once(request, act)
        except EvidenceError as refusal:
            form.add_error(refusal.field or None, str(refusal))
    context = {"form": form, **reach_context(data, request.user), **plain_frame(request)}
    return render(request, "evidence/new.html", context, status=422 if form.errors else 200)


def _brought_along(asked: QueryDict) -> QueryDict:
    """The reach of a view's filters, as the form would have sent it."""
    data = QueryDict(mutable=True)
    unit = Unit.objects.filter(public_id=asked.get("unit", "")).first()
    person = Person.objects.filter(public_id=asked.get("person", "")).first()
    if unit is not None:
        data["g0-unit"] = str(unit.pk)
    elif person is not None:
        data["named_in"] = person.public_id
    elif asked:
        data["everyone"] = "1"
    return data


def _initial(asked: QueryDict) -> dict[str, Any]:
    days = {"day": asked.get("day", ""), "known_on": asked.get("known", "")}
    found = {name: text for name, text in days.items() if text}
    courses = Course.objects.filter(public_id__in=asked.getlist("course")).values_list("public_id", flat=True)
    return {**found, "courses": list(courses)}


@require_POST
def effect(request: HttpRequest) -> HttpResponse:
    """What the pack would say, as the form stands."""
    form = PackForm(request.POST)
    context: dict[str, Any] = {}
    if not form.is_valid():
        context["waits"] = next(iter(form.errors.values()))[0]
        return render(request, "evidence/effect.html", context)
    asked = form.asked(request.POST)
    try:
        people = asked.check(account_of(request))
    except EvidenceError as refusal:
        context["waits"] = str(refusal)
    else:
        keys = [course.pk for course in asked.courses]
        counts = standing_counts(people, keys, day=asked.day, known_on=asked.known_on)
        context |= {
            "people": len(people),
            "courses": len(keys),
            "counts": [(status, counts[status]) for status in Status if counts.get(status)],
            "covered": sum(counts.get(status, 0) for status in COVERED),
            "asked": sum(counts.values()),
        }
    return render(request, "evidence/effect.html", context)


def _pack(request: HttpRequest, public_id: str) -> Pack:
    rows = policy.visible(request.user, "read evidence packs", Pack.objects.select_related("account"))
    found: Pack = get_object_or_404(rows, public_id=public_id)
    return found


def pack(request: HttpRequest, public_id: str) -> HttpResponse:
    """One pack: how far it is, then what its check says, with its seal and head."""
    found = _pack(request, public_id)
    context = {
        "pack": found,
        "courses": Course.objects.filter(pk__in=found.courses).order_by("title"),
        "kept_until": found.made_at + making.KEPT if found.made_at else None,
    }
    if request.GET.get("part"):
        return render(request, "evidence/pack_part.html", context)
    return render(request, "evidence/pack.html", {**context, **plain_frame(request)})


def fetch(request: HttpRequest, public_id: str) -> FileResponse:
    """The file of a pack that is ready."""
    found = _pack(request, public_id)
    path = making.file_of(found)
    if found.state != Pack.State.DONE or not path.exists():
        raise Http404
    return FileResponse(path.open("rb"), as_attachment=True, filename=found.file_name, content_type="application/zip")


@require_POST
def again(request: HttpRequest, public_id: str) -> HttpResponse:
    """Make a pack once more, from what is known by now."""
    found = _pack(request, public_id)
    address = reverse("evidence:pack", args=[found.public_id])

    def act() -> str:
        actions.make_again(pack=found, by=account_of(request))
        return address

    try:
        return act_once(request, act)
    except EvidenceError as refusal:
        toasts.trouble(request, str(refusal))
        return redirect(address)
