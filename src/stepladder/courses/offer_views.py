"""How a course or a path is offered: the page where it is said, and what the margin says of it."""

from __future__ import annotations

from typing import Any

from django import forms
from django.db import transaction
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.accounts.signed_in import account_of
from stepladder.core.admission import Admission
from stepladder.courses.errors import CourseError
from stepladder.courses.models import Course, Offer, Path
from stepladder.courses.offers import offer_alone, offer_of, set_offer
from stepladder.courses.permissions import to_change
from stepladder.library.details import LANGUAGES
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.reaches.reach_forms import chosen_reach, form_of, reach_context, sentence_of
from stepladder.refusals import Refusal
from stepladder.web import toasts
from stepladder.web.forms import CommonForm
from stepladder.web.margin import Panel
from stepladder.web.once import act_once

__all__ = ["ADMISSIONS", "alone_panel", "course_offer", "offer_panel", "path_offer", "take_alone"]

ADMISSIONS = {
    Admission.OPEN: "whoever finds it takes it up themselves",
    Admission.ON_APPROVAL: "whoever finds it asks, and their lead decides",
    Admission.BY_NOMINATION: "whoever finds it is named by their lead",
    Admission.ASSIGNED_ONLY: "nobody finds it: it is for those to whom it is assigned",
}


class OfferForm(CommonForm, forms.Form):
    """How it is offered. Whom the reach means is sent beside it."""

    admission = forms.ChoiceField(
        label="How one gets in", choices=[(a.value, words) for a, words in ADMISSIONS.items()], widget=forms.RadioSelect
    )
    who = forms.ChoiceField(
        label="Who may find it",
        choices=[("all", "everybody"), ("reach", "whoever is in this reach")],
        widget=forms.RadioSelect,
    )
    wish_days = forms.IntegerField(
        label="Days to do it in, for who chose it",
        min_value=1,
        max_value=730,
        required=False,
        help_text="Empty: without a day. It makes nobody late.",
    )
    level = forms.ChoiceField(label="It is", choices=[("", "for everybody"), *Offer.Level.choices], required=False)
    language = forms.ChoiceField(label="Language", choices=[("", "not said"), *LANGUAGES.items()], required=False)
    begins_early = forms.ChoiceField(
        label="Who has their first day ahead",
        choices=[("", "as the organisation says of all courses"), *Offer.Early.choices],
        required=False,
    )
    contact = forms.CharField(
        label="Whom to ask about it",
        max_length=120,
        required=False,
        help_text="An employee number or an e-mail address. Learners see the name.",
    )

    def only_for(self, whom: str) -> None:
        """Of a path for its builder's people: nobody else finds it, whatever the reach."""
        field: Any = self.fields["who"]
        field.choices = [("all", whom), ("reach", "those of them who are in this reach")]

    def clean_contact(self) -> Person | None:
        said = self.cleaned_data["contact"].strip()
        if not said:
            return None
        found = Person.objects.filter(employee_number=said).first() or Person.objects.filter(email__iexact=said).first()
        if found is None:
            raise forms.ValidationError(f"Nobody here has “{said}” as their number or address.")
        return found


def course_offer(request: HttpRequest, public_id: str) -> HttpResponse:
    """The page of how a course is offered."""
    shown = policy.visible(request.user, "change courses", Course.objects.select_related("binder"))
    course = get_object_or_404(shown, public_id=public_id)
    return _answer(request, course, reverse("courses:course", args=[public_id]))


def path_offer(request: HttpRequest, public_id: str) -> HttpResponse:
    """The page of how a path is offered."""
    shown = policy.visible(request.user, "build paths", Path.objects.select_related("binder"))
    path = get_object_or_404(shown, public_id=public_id)
    return _answer(request, path, reverse("courses:path", args=[public_id]))


def _answer(request: HttpRequest, of: Course | Path, sheet: str) -> HttpResponse:
    offer = offer_of(of)
    form = OfferForm(request.POST or None, initial=_initial(offer))
    if isinstance(of, Path):
        # Its courses say it.
        del form.fields["begins_early"]
        if of.kept_by is not None:
            form.only_for(f"the people of {of.kept_by.name}")
    reach = offer.found_by.reach if offer.found_by else None
    data = request.POST if request.method == "POST" else form_of(reach) if reach else QueryDict()

    def act() -> str:
        said = dict(form.cleaned_data)
        chosen = chosen_reach(request.POST, said.pop("who"))
        said["admission"] = Admission(said["admission"])
        if "begins_early" not in request.POST:
            # A page that was opened before this was asked leaves it as it is.
            said["begins_early"] = offer.begins_early
        set_offer(of=of, found_by=chosen, by=account_of(request), **said)
        toasts.say(request, "It is saved, and holds at once.")
        return sheet

    if request.method == "POST" and form.is_valid():
        try:
            return act_once(request, act)
        except Refusal as refusal:
            form.add_error(None, str(refusal))
    context = {
        "of": of,
        "is_path": isinstance(of, Path),
        "sheet_address": sheet,
        "form": form,
        "reach": reach,
        "by_name_only": False,
        **reach_context(data, request.user),
    }
    return render(request, "courses/offer.html", context, status=422 if form.errors else 200)


def _initial(offer: Offer) -> dict[str, Any]:
    person = offer.contact
    return {
        "admission": offer.admission,
        "who": "reach" if offer.found_by else "all",
        "wish_days": offer.wish_days,
        "level": offer.level,
        "language": offer.language,
        "begins_early": offer.begins_early,
        "contact": (person.employee_number or person.email) if person else "",
    }


def offer_panel(request: HttpRequest, of: Course | Path) -> Panel | None:
    """How it is offered, on its sheet, with the way to say it otherwise."""
    offer, may_change = offer_of(of), bool(policy.may(request.user, to_change(of), of))
    if offer.pk is None and not may_change:
        return None
    kind = "path" if isinstance(of, Path) else "course"
    context = {
        "offer": offer,
        "is_offered": offer.admission != Admission.ASSIGNED_ONLY,
        "how": ADMISSIONS[Admission(offer.admission)],
        "whom": _whom(of, offer),
        "language": LANGUAGES.get(offer.language, ""),
        "address": reverse(f"courses:{kind}_offer", args=[of.public_id]) if may_change else "",
    }
    return Panel("In the catalogue", "courses/offer_panel.html", context)


def _whom(of: Course | Path, offer: Offer) -> str:
    keeper = of.kept_by if isinstance(of, Path) else None
    if offer.found_by is None:
        return f"The people of {keeper.name}." if keeper else "Everybody."
    sentence = sentence_of(offer.found_by.reach)
    return f"Of the people of {keeper.name}: {sentence}" if keeper else sentence


def alone_panel(request: HttpRequest, module: Module) -> Panel | None:
    """Whether a module is offered by itself, on its sheet."""
    course = Course.objects.filter(alone=module).select_related("binder").first()
    if course is None and not policy.may(request.user, "change modules", module):
        return None
    seen = course is not None and bool(policy.may(request.user, "see courses", course))
    if course is not None and not seen:
        return None
    offer = offer_of(course) if course else None
    context = {"course": course, "module": module, "how": ADMISSIONS[Admission(offer.admission)] if offer else ""}
    return Panel("By itself", "courses/alone_panel.html", context)


@require_POST
def take_alone(request: HttpRequest, public_id: str) -> HttpResponse:
    """A module is offered by itself from now on: on to how."""
    shown = policy.visible(request.user, "change modules", Module.objects.select_related("binder"))
    module = get_object_or_404(shown, public_id=public_id)
    by: Account = account_of(request)
    try:
        with transaction.atomic():
            course = offer_alone(module=module, by=by)
    except CourseError as refusal:
        toasts.trouble(request, str(refusal))
        return redirect("library:module", public_id=public_id)
    return redirect("courses:course_offer", public_id=course.public_id)
