"""Notice rules: what is told in the year to come, one rule, and quiet days."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import urlencode
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts.models import Organisation
from stepladder.accounts.organisation import organisation
from stepladder.accounts.signed_in import account_of
from stepladder.assignments.models import Assignment
from stepladder.courses.models import Course, Path
from stepladder.refusals import Refusal
from stepladder.telling import actions
from stepladder.telling.drawing import year_line
from stepladder.telling.errors import TellingError
from stepladder.telling.findings import quiet_days, running_rules
from stepladder.telling.forecast import forecast
from stepladder.telling.forms import QuietForm, RuleForm
from stepladder.telling.models import NoticeRule
from stepladder.telling.words import readers_in_words, rule_in_words, when_in_words
from stepladder.web import toasts
from stepladder.web.once import act_once
from stepladder.web.templatetags.web import day as written

# A rule that would tell so many people with the next run is asked about before it is saved.
ASK_FROM = 200


def rules(request: HttpRequest) -> HttpResponse:
    """Every rule, and what they would tell in the year to come."""
    found = list(running_rules())
    coming = forecast() if found else None
    rows = [
        (rule, when_in_words(rule.moment, rule.offset), readers_in_words(rule), coming.rules.get(rule.pk))
        for rule in found
        if coming
    ]
    context = {
        "rows": rows,
        "coming": coming,
        "line": year_line(coming) if coming else "",
        "settings": organisation(),
        "quiet": _quiet_in_words(),
    }
    return render(request, "telling/rules.html", context)


def _quiet_in_words() -> str:
    quiet = quiet_days()
    names = ["Mondays", "Tuesdays", "Wednesdays", "Thursdays", "Fridays", "Saturdays", "Sundays"]
    days = [names[day] for day in sorted(quiet.weekdays)]
    coming = sum(day >= clock.today() for day in quiet.dates)
    said = [*days, *([f"{coming} date{'s' if coming != 1 else ''} to come"] if coming else [])]
    return " and ".join(filter(None, [", ".join(said[:-1]), said[-1]])) if said else ""


@require_POST
def begin(request: HttpRequest) -> HttpResponse:
    """Three rules to begin with, where there is none."""
    if running_rules().exists():
        toasts.trouble(request, "There are rules already. Nothing was added.")
        return redirect("telling:rules")

    def act() -> str:
        for said in BEGIN_WITH:
            actions.add_rule(of=None, said=said, by=account_of(request))
        toasts.say(request, "Three rules speak from the next run on.")
        return reverse("telling:rules")

    return act_once(request, act)


_TO = NoticeRule.To
BEGIN_WITH = [
    actions.RuleSaid(NoticeRule.Moment.DUE, -7, [_TO.PERSON]),
    actions.RuleSaid(NoticeRule.Moment.DUE, 1, [_TO.PERSON, _TO.LEADS]),
    actions.RuleSaid(NoticeRule.Moment.EXPIRY, -30, [_TO.PERSON]),
]


def new(request: HttpRequest) -> HttpResponse:
    """A new rule; `of` says whose, where it is not the organisation's."""
    return _answer(request, None, _named(request.GET.get("of", "")))


def rule(request: HttpRequest, public_id: str) -> HttpResponse:
    """A rule, to be changed."""
    found = _rule(public_id)
    return _answer(request, found, found.of)


def _rule(public_id: str) -> NoticeRule:
    return get_object_or_404(running_rules(), public_id=public_id)


def _named(public_id: str) -> Course | Path | Assignment | None:
    """The course, path or assignment of a public id; None for none."""
    if not public_id:
        return None
    for kind in (Course, Path):
        if (found := kind._default_manager.filter(public_id=public_id).first()) is not None:
            return found
    return get_object_or_404(Assignment, public_id=public_id)


def _answer(request: HttpRequest, found: NoticeRule | None, of: Course | Path | Assignment | None) -> HttpResponse:
    form = RuleForm(request.POST or None, initial=RuleForm.first_of(found))
    asks_first = 0
    if request.method == "POST" and form.is_valid():
        asks_first = _asks_first(form, found, of)

    def act() -> str:
        by = account_of(request)
        if found is None:
            made = actions.add_rule(of=of, said=form.said(), by=by)
        else:
            made = actions.change_rule(rule=found, said=form.said(), by=by)
        toasts.say(request, f"Told from the next run on: {rule_in_words(made)}.")
        return reverse("telling:rules")

    if request.method == "POST" and form.is_valid() and not asks_first:
        try:
            return act_once(request, act)
        except TellingError as refusal:
            form.add_error(refusal.field, str(refusal))
        except Refusal as refusal:
            form.add_error(None, str(refusal))
    context = {
        "form": form,
        "rule": found,
        "of": of,
        "asks_first": asks_first,
        "boxes": form.boxes(list(found.named.all()) if found else []),
        "preview_url": f"{reverse('telling:preview')}?{urlencode(_who(found, of))}",
    }
    status = 422 if form.errors or asks_first else 200
    return render(request, "telling/rule.html", context, status=status)


def _who(found: NoticeRule | None, of: Course | Path | Assignment | None) -> dict[str, str]:
    return {"rule": found.public_id} if found else {"of": of.public_id} if of else {}


def _draft(form: RuleForm, found: NoticeRule | None, of: Course | Path | Assignment | None) -> NoticeRule:
    """The rule as it is said, unsaved."""
    said = form.said()
    draft = NoticeRule(moment=said.moment, offset=said.offset, to=list(said.to), pk=found.pk if found else None)
    if of is not None:
        setattr(draft, {Course: "course", Path: "path", Assignment: "assignment"}[type(of)], of)
    return draft


def _asks_first(form: RuleForm, found: NoticeRule | None, of: Course | Path | Assignment | None) -> int:
    """How many people the rule would tell with the next run, where that has to be confirmed and is not yet; else 0."""
    if form.cleaned_data["many"]:
        return 0
    many = forecast(_draft(form, found, of)).rules[found.pk if found else None].next_run
    return many if many >= ASK_FROM else 0


def preview(request: HttpRequest) -> HttpResponse:
    """What a rule would tell, beside the others, as it is said so far."""
    found = _rule(request.GET["rule"]) if request.GET.get("rule") else None
    of = found.of if found else _named(request.GET.get("of", ""))
    form = RuleForm(request.GET)
    context: dict[str, Any] = {}
    if form.is_valid():
        coming = forecast(_draft(form, found, of))
        context = {"coming": coming, "own": coming.rules[found.pk if found else None]}
    else:
        context["waits"] = next(iter(form.errors.values()))[0]
    return render(request, "telling/preview.html", context)


@require_POST
def end(request: HttpRequest, public_id: str) -> HttpResponse:
    """It says nothing from now on."""
    found = _rule(public_id)
    actions.end_rule(rule=found, by=account_of(request))
    toasts.say(request, f"Told no longer: {rule_in_words(found)}.")
    return redirect("telling:rules")


def quiet(request: HttpRequest) -> HttpResponse:
    """On which days nothing is sent, and from which hour on the others."""
    saved = Organisation.objects.get()
    lines = [f"{written(day)} {name}".strip() for day, name in _dates(saved)]
    first = {"weekdays": saved.quiet_weekdays, "tells_at": saved.tells_at, "dates": "\n".join(lines)}
    form = QuietForm(request.POST or None, initial=first)
    if request.method == "POST" and form.is_valid():
        try:
            actions.set_quiet_days(organisation=saved, by=account_of(request), **form.cleaned_data)
        except TellingError as refusal:
            form.add_error(refusal.field, str(refusal))
        else:
            toasts.say(request, "The quiet days are saved.")
            return redirect("telling:rules")
    return render(request, "telling/quiet.html", {"form": form}, status=422 if form.errors else 200)


def _dates(saved: Organisation) -> list[tuple[date, str]]:
    return [(date.fromisoformat(day), name) for day, name in saved.quiet_dates]
