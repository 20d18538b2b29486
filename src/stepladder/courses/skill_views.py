"""Skills: the list, a skill's sheet, and what a course gives for them."""

from __future__ import annotations

from typing import Any

from django import forms
from django.db import transaction
from django.db.models import Count
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.numbers import whole_number
from stepladder.courses import queries, skills
from stepladder.courses.models import Course, Credit, Path, Skill, SkillLevel
from stepladder.courses.paths import stages_of
from stepladder.courses.skills import MOST_LEVELS, SkillError, add_skill
from stepladder.journal.queries import history
from stepladder.refusals import Refusal
from stepladder.web import margin, toasts
from stepladder.web.forms import CommonForm
from stepladder.web.margin import Panel
from stepladder.web.once import act_once
from stepladder.web.tables import page_of

__all__ = ["credits_panel", "edit", "give", "new", "path_skills_panel", "remove", "skill", "skill_list"]

# Below the levels there are, so many empty lines for further ones.
MORE_LINES = 2


class SkillForm(CommonForm, forms.Form):
    """A skill's name and what it is; its levels are sent beside it, as l1-name and l1-credits and so on."""

    name = forms.CharField(label="Skill", max_length=120)
    description = forms.CharField(
        label="What it is", max_length=2000, required=False, widget=forms.Textarea(attrs={"rows": 2})
    )
    revision = forms.IntegerField(required=False, widget=forms.HiddenInput)


def _index(request: HttpRequest) -> dict[str, Any]:
    return {"counts": queries.course_counts(request.user), "here_skills": True}


HEADS = [("Skill", ""), ("Levels", ""), ("Courses that give credits", "")]


def skill_list(request: HttpRequest) -> HttpResponse:
    rows = Skill.objects.annotate(
        level_count=Count("levels", distinct=True), course_count=Count("levels__given__course", distinct=True)
    ).order_by("name")
    context = {"page": page_of(request, rows, HEADS, numeric=frozenset()), **_index(request)}
    return render(request, "courses/skills.html", context)


def new(request: HttpRequest) -> HttpResponse:
    """A new skill with its levels."""
    form = SkillForm(request.POST or None)

    def act() -> str:
        said = form.cleaned_data
        made = add_skill(
            name=said["name"], description=said["description"], levels=read_levels(request.POST), by=account_of(request)
        )
        return reverse("courses:skill", args=[made.public_id])

    if request.method == "POST" and form.is_valid():
        try:
            return act_once(request, act)
        except SkillError as refusal:
            form.add_error(refusal.field or None, str(refusal))
    lines = _lines(request.POST) if request.method == "POST" else [(n, "", "") for n in range(1, 4)]
    context = {"form": form, "lines": lines, **_index(request)}
    return render(request, "courses/new_skill.html", context, status=422 if form.errors else 200)


def read_levels(data: QueryDict) -> list[tuple[str, int]]:
    """The levels as sent, from the lowest up; a line without credits is none. Raises SkillError."""
    found = []
    for number in range(1, MOST_LEVELS + MORE_LINES + 1):
        name, said = data.get(f"l{number}-name", ""), data.get(f"l{number}-credits", "").strip()
        if not said and not name.strip():
            continue
        credits = whole_number(said)
        if credits is None:
            raise SkillError(f"Say how many credits level {number} needs: a whole number from 1.")
        found.append((name, credits))
    return found


def _lines(data: QueryDict) -> list[tuple[int, str, str]]:
    count = sum(f"l{n}-credits" in data for n in range(1, MOST_LEVELS + MORE_LINES + 1))
    return [(n, data.get(f"l{n}-name", ""), data.get(f"l{n}-credits", "")) for n in range(1, count + 1)]


def skill(request: HttpRequest, public_id: str) -> HttpResponse:
    """A skill's sheet: its levels, the courses that give credits, and who holds it."""
    found = get_object_or_404(Skill, public_id=public_id)
    first = {"name": found.name, "description": found.description, "revision": found.revision}
    return _sheet(
        request, found, SkillForm(initial=first), [(r.number, r.name, str(r.credits)) for r in found.levels.all()]
    )


def _sheet(
    request: HttpRequest, found: Skill, form: SkillForm, lines: list[tuple[int, str, str]], *, status: int = 200
) -> HttpResponse:
    given = Credit.objects.filter(level__skill=found).select_related("course", "level")
    after = lines[-1][0] if lines else 0
    empty = [(n, "", "") for n in range(after + 1, min(after + MORE_LINES, MOST_LEVELS) + 1)]
    context = {
        "skill": found,
        "form": form,
        "lines": lines if form.is_bound else [*lines, *empty],
        "given": list(given.order_by("level__number", "course__title")),
        "may_keep": policy.may(request.user, "keep skills"),
        "sections": margin.sections("skill", request, found, clock.today()),
        "history": history("skill", found.public_id),
        **_index(request),
    }
    return render(request, "courses/skill.html", context, status=status)


@require_POST
def edit(request: HttpRequest, public_id: str) -> HttpResponse:
    found, form = get_object_or_404(Skill, public_id=public_id), SkillForm(request.POST)
    if form.is_valid():
        try:
            with transaction.atomic():
                skills.edit_skill(
                    skill=found, levels=read_levels(request.POST), by=account_of(request), **form.cleaned_data
                )
        except SkillError as refusal:
            form.add_error(refusal.field or None, str(refusal))
        except Refusal as refusal:
            form.add_error(None, str(refusal))
        else:
            toasts.say(request, "Saved. It holds at once.")
            return redirect("courses:skill", public_id=public_id)
    found.refresh_from_db()
    return _sheet(request, found, form, _lines(request.POST), status=422)


@require_POST
def remove(request: HttpRequest, public_id: str) -> HttpResponse:
    found = get_object_or_404(Skill, public_id=public_id)
    try:
        skills.remove_skill(skill=found, by=account_of(request))
    except SkillError as refusal:
        toasts.trouble(request, str(refusal))
        return redirect("courses:skill", public_id=public_id)
    toasts.say(request, f"“{found.name}” is taken out.")
    return redirect("courses:skills")


@require_POST
def give(request: HttpRequest, public_id: str) -> HttpResponse:
    """What a course gives towards a level, or (0) nothing."""
    shown = policy.visible(request.user, "see courses", Course.objects.select_related("binder"))
    course = get_object_or_404(shown, public_id=public_id)
    level = get_object_or_404(
        SkillLevel.objects.select_related("skill"), pk=whole_number(request.POST.get("level", ""))
    )
    credits = whole_number(request.POST.get("credits", "").strip())
    try:
        if credits is None:
            raise SkillError("Credits are a whole number: 0 gives none.")
        skills.give_credits(course=course, level=level, credits=credits, by=account_of(request))
    except SkillError as refusal:
        toasts.trouble(request, str(refusal))
    else:
        toasts.say(
            request,
            f"It gives {credits} of {level.credits} for {level}." if credits else f"It gives nothing for {level}.",
        )
    return redirect("courses:course", public_id=public_id)


def path_skills_panel(request: HttpRequest, path: Path) -> Panel | None:
    """What a path gives towards skills, by the courses that its sheet has now."""
    given = skills.towards([(stage.courses, stage.electives, stage.choose) for stage in stages_of(path)])
    return Panel("Skills", "courses/path_skills_panel.html", {"given": given}) if given else None


def credits_panel(request: HttpRequest, course: Course) -> Panel | None:
    """What a course gives towards skills, on its sheet."""
    may_change = bool(policy.may(request.user, "change courses", course))
    given = list(Credit.objects.filter(course=course).select_related("level__skill").order_by("level__skill__name"))
    levels = list(SkillLevel.objects.select_related("skill").order_by("skill__name", "number")) if may_change else []
    if not given and not levels:
        return None
    context = {"given": given, "levels": levels, "course": course, "may_change": may_change}
    return Panel("Skills", "courses/credits_panel.html", context)
