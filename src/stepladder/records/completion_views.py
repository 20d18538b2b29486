"""Completions on their own: certificates, revoking and correcting them, and checking a certificate."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.organisation import organisation
from stepladder.accounts.signed_in import account_of
from stepladder.charts.pages import act_of_sheet, act_page
from stepladder.core.days import FOREVER
from stepladder.core.validity import link_on
from stepladder.learning import actions as learning
from stepladder.learning.models import Completion
from stepladder.learning.queries import completions_of
from stepladder.learning.validity import links_of
from stepladder.people.models import Person
from stepladder.records import certificates
from stepladder.records.forms import read_clocks
from stepladder.records.revoking import CorrectForm, RevokeForm, foretold
from stepladder.records.views import frame
from stepladder.web import toasts
from stepladder.web.templatetags.web import day as written


def certificate(request: HttpRequest, public_id: str) -> HttpResponse:
    """The certificate as a PDF, for whom it is of and whoever may read records."""
    shown = policy.visible(
        request.user, "read records", Completion.objects.known_now().select_related("person", "course", "edition")
    )
    completion = get_object_or_404(shown, public_id=public_id)
    body = certificates.certificates_pdf([_page(completion)], organisation=organisation().name)
    name = f"certificate-{completion.number}.pdf"
    return _pdf(body, name)


def _pdf(body: bytes, name: str) -> HttpResponse:
    return HttpResponse(
        body, content_type="application/pdf", headers={"Content-Disposition": f'inline; filename="{name}"'}
    )


def _page(completion: Completion) -> certificates.CertificatePage:
    check_url = settings.PUBLIC_ADDRESS + reverse("records:check", args=[completion.number])
    return certificates.CertificatePage(completion, _valid_until(completion), check_url)


def every_certificate(request: HttpRequest, person: str) -> HttpResponse:
    """All certificates of one person in one PDF, the newest first; by the clocks of the page it is asked from."""
    found = get_object_or_404(policy.visible(request.user, "read records", Person.objects.all()), public_id=person)
    clocks = read_clocks(request.GET)
    rows = completions_of(found, day=clocks.asked.day, known_on=clocks.known.day)
    if not rows:
        raise Http404
    body = certificates.certificates_pdf([_page(row) for row in rows], organisation=organisation().name)
    name = f"certificates-{found.employee_number}-{clocks.asked.day}.pdf"
    return _pdf(body, name)


def _to_change(request: HttpRequest, public_id: str) -> Completion:
    rows = Completion.objects.select_related("person", "course", "edition")
    found: Completion = get_object_or_404(policy.visible(request.user, "change records", rows), public_id=public_id)
    return found


def revoke(request: HttpRequest, public_id: str) -> HttpResponse:
    """A completion that never was: why, and what that does."""
    completion = _to_change(request, public_id)
    person, by = completion.person, account_of(request)
    address = reverse("records:record", args=[person.public_id])
    if completion.is_revoked:
        toasts.trouble(request, "It is revoked already.")
        return redirect(address)

    def do(data: dict[str, Any]) -> None:
        learning.revoke_completion(completion=completion, because=data["because"], by=by)

    act = act_of_sheet(
        (f"Training record of {person.name}", address),
        title=f"Revoke “{completion.course.title}” of {written(completion.day)}",
        verb="Revoke it",
        do=do,
        done_text=lambda _: f"The completion of “{completion.course.title}” is revoked.",
        seen_on=lambda _: clock.today(),
        foretell=lambda data: foretold(completion, lambda: do(data)),
        extra=frame(request, read_clocks(request.GET)),
    )
    return act_page(request, RevokeForm(request.POST or None), act, "records/revoke.html")


def correct(request: HttpRequest, public_id: str) -> HttpResponse:
    """A completion that was on another day: which, why, and what that does."""
    completion = _to_change(request, public_id)
    person, by = completion.person, account_of(request)
    address = reverse("records:record", args=[person.public_id])
    if completion.is_revoked:
        toasts.trouble(request, "It is revoked, or corrected, already.")
        return redirect(address)

    def do(data: dict[str, Any]) -> None:
        # A row of its own each time: an effect that is told is rolled back, and leaves the row that it used as if revoked.
        row = Completion.objects.select_related("person", "course").get(pk=completion.pk)
        learning.correct_completion(completion=row, by=by, **data)

    act = act_of_sheet(
        (f"Training record of {person.name}", address),
        title=f"Correct “{completion.course.title}” of {written(completion.day)}",
        verb="Correct it",
        do=do,
        done_text=lambda _: f"The completion of “{completion.course.title}” is corrected.",
        seen_on=lambda _: clock.today(),
        foretell=lambda data: foretold(completion, lambda: do(data), is_revoked=False),
        extra=frame(request, read_clocks(request.GET)),
    )
    said = {"day": completion.day, "own_expiry": completion.own_expiry}
    return act_page(request, CorrectForm(request.POST or None, initial=said), act, "records/revoke.html")


def _valid_until(completion: Completion) -> date:
    """The last day that this completion counts; a later one has a certificate of its own."""
    link = link_on(links_of(completion.person_id, completion.course_id, known_on=clock.today()), completion.day)
    return link.valid_until if link else FOREVER


def check(request: HttpRequest, number: str = "") -> HttpResponse:
    """The public page that checks a certificate: course, days, validity; the name only to who also gives the surname."""
    number = (number or request.GET.get("number", "")).strip().upper()
    surname = request.GET.get("surname", "").strip()
    context: dict[str, Any] = {"number": number, "surname": surname}
    if number:
        completion = (
            Completion.objects.filter(number=number)
            .select_related("person", "course", "edition")
            .order_by("-pk")
            .first()
        )
        context["completion"] = completion
        if completion:
            valid_until = _valid_until(completion)
            context["revoked"] = completion.is_revoked
            context["valid_until"] = written(valid_until)
            context["is_valid"] = not completion.is_revoked and valid_until >= clock.today()
            matches = surname.casefold() == completion.person.family_name.casefold()
            context["name"] = completion.person.name if surname and matches else ""
    return render(request, "records/check.html", context)
