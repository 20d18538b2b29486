"""What the views of People share: a page with a form whose effect is told in the margin before it is sent."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any, TypeVar

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from stepladder import clock
from stepladder.accounts import policy
from stepladder.charts import queries
from stepladder.charts.models import Unit
from stepladder.charts.parts import part_of
from stepladder.charts.rehearsal import rehearse
from stepladder.events import EffectLine
from stepladder.journal import undoing
from stepladder.refusals import Refusal
from stepladder.web import toasts
from stepladder.web.once import act_once

__all__ = ["Act", "act_of_sheet", "act_page", "first_day", "the_day_after", "unit_rows"]

ONE_DAY = timedelta(days=1)

Done = TypeVar("Done")


@dataclass(frozen=True)
class Act:
    """An act on people as a page offers it: what it does, what is said when it is done, and where one goes on.

    *seen_on* gives, from the form's data, the day its effect is foretold for; None: the page foretells nothing. *trail* is the sheet
    that it is about, by name and address.
    """

    title: str
    verb: str
    do: Callable[[dict[str, Any]], Any]
    done_text: Callable[[Any], str]
    onwards: Callable[[Any], str]
    back: str
    seen_on: Callable[[dict[str, Any]], date] | None = None
    trail: tuple[str, str] | None = None
    # What it does where that is not about who answers to whom; None: the act is rehearsed by whoever compares.
    foretell: Callable[[dict[str, Any]], list[EffectLine]] | None = None
    extra: dict[str, Any] = field(default_factory=dict)

    @property
    def foretells(self) -> bool:
        """Whether its page tells the effect."""
        return self.seen_on is not None


def act_of_sheet(
    sheet: tuple[str, str],
    *,
    title: str,
    verb: str,
    do: Callable[[dict[str, Any]], Any],
    done_text: Callable[[Any], str],
    onwards: str = "",
    seen_on: Callable[[dict[str, Any]], date] | None = None,
    foretell: Callable[[dict[str, Any]], list[EffectLine]] | None = None,
    extra: dict[str, Any] | None = None,
) -> Act:
    """An act on what a sheet (name, address) is about: one comes from there and goes back there, unless *onwards* is another address."""
    address = sheet[1]
    return Act(
        title,
        verb,
        do,
        done_text,
        lambda _: onwards or address,
        address,
        seen_on,
        trail=sheet,
        foretell=foretell,
        extra=extra or {},
    )


def first_day(name: str) -> Callable[[dict[str, Any]], date]:
    """When an effect is foretold: on the first day of it, which a field says; today at the earliest."""
    return lambda data: max(data[name], clock.today())


def the_day_after(name: str) -> Callable[[dict[str, Any]], date]:
    """The same of a last day: what ends is gone on the next, and that is when its effect is seen."""
    return lambda data: max(data[name], clock.today()) + ONE_DAY


def act_page(request: HttpRequest, form: forms.Form, act: Act, template: str = "charts/act.html") -> HttpResponse:
    """The form; sent, the act. Asked for its effect, the form as it stands is rehearsed and nothing is kept."""
    if form.is_bound and act.foretells and request.POST.get("effect"):
        return render(request, "charts/effect.html", _effect(form, act))

    def run() -> str:
        with undoing.watched() as watched:
            done = act.do(form.cleaned_data)
        toasts.say(request, act.done_text(done), act=watched.act)
        return act.onwards(done)

    if form.is_bound and form.is_valid():
        try:
            return act_once(request, run)
        except Refusal as refusal:
            of = getattr(refusal, "field", "")
            form.add_error(of if of in form.fields else None, str(refusal))
    context = {"form": form, "act": act, **act.extra}
    return render(request, template, context, status=422 if form.errors else 200)


def _effect(form: forms.Form, act: Act) -> dict[str, Any]:
    if not form.is_valid():
        return {"waits": _waits_for(form)}
    assert act.seen_on is not None
    day = act.seen_on(form.cleaned_data)
    try:
        if act.foretell is not None:
            return {"lines": act.foretell(form.cleaned_data), "day": day}
        return {"lines": rehearse(lambda: act.do(form.cleaned_data), day=day), "day": day}
    except Refusal as refusal:
        # Not of People's own only: the act itself may have been sent and carried out while its effect was still being told.
        return {"refused": str(refusal)}


def _waits_for(form: forms.Form) -> str:
    """What keeps an effect from being told, with the fields by name: here none of them stands beside it."""
    missing = []
    for name, errors in form.errors.as_data().items():
        label = str(form.fields[name].label) if name in form.fields else ""
        for error in errors:
            if error.code != "required":
                return f"{label}: {error.messages[0]}" if label else str(error.messages[0])
            missing.append(label)
    return f"It stands here once these are given: {', '.join(missing)}."


def unit_rows(request: HttpRequest, day: date, around: Unit | None = None) -> list[queries.IndexRow]:
    """The units of the index, as far as the account sees them."""
    within = None if policy.may(request.user, "change charts") else part_of(request.user)
    return queries.index_rows(day, around=around, within=within)
