"""Courses: the list, a course's sheet, its steps, terms and release."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.sequence import Part
from stepladder.core.validity import Terms
from stepladder.courses import actions, planned, queries, topics
from stepladder.courses.comparing import compare, editions_of, editions_with_steps
from stepladder.courses.errors import CourseError
from stepladder.courses.forms import (
    CourseFromPatternForm,
    EditionForm,
    NewCourseForm,
    RelationsForm,
    ReleaseForm,
    StepForm,
    TermsForm,
    read_order,
    read_part,
)
from stepladder.courses.models import Course, Edition, Step
from stepladder.courses.picking import begins_at, more_after
from stepladder.journal.queries import history
from stepladder.library.details import DetailUnread
from stepladder.library.kinds import kinds
from stepladder.library.models import Binder
from stepladder.web import margin, toasts
from stepladder.web.once import act_once
from stepladder.web.sheets import save_sheet
from stepladder.web.tables import page_of, sorted_by
from stepladder.web.templatetags.web import day as written

SORTS = {"title": ("title",), "binder": ("binder__name", "title"), "steps": ("step_count",)}
HEADS = [("Title", "title"), ("Binder", "binder"), ("Edition", ""), ("Steps", "steps"), ("", "")]


def _course(request: HttpRequest, public_id: str) -> Course:
    shown = policy.visible(request.user, "see courses", Course.objects.select_related("binder"))
    return get_object_or_404(shown, public_id=public_id)


def _index(request: HttpRequest, course: Course | None = None) -> dict[str, Any]:
    beside = queries.courses_seen(request.user)
    if course:
        beside = beside.filter(binder=course.binder)
    return {"counts": queries.course_counts(request.user), "beside": beside.order_by("title")[:40] if course else []}


def course_list(request: HttpRequest) -> HttpResponse:
    state, text = request.GET.get("state", ""), request.GET.get("q", "")
    sort, order = sorted_by(request, SORTS, "title")
    rows = queries.list_rows(request.user, state=state, text=text).order_by(*order, "pk")
    page = page_of(request, rows, HEADS, sort=sort, numeric=frozenset({"steps"}))
    context = {
        "page": page,
        "state": state,
        "q": text,
        "verbs": margin.verb_links("courses", request, None),
        "notes": margin.row_notes("course", [c.pk for c in page.rows], clock.today()),
        **_index(request),
    }
    return render(request, "courses/list.html", context)


def new(request: HttpRequest) -> HttpResponse:
    """A new course: its title and its binder, empty or like another; the rest on its sheet."""
    editable = policy.visible(request.user, "change courses", Binder.objects.all())
    like = _course(request, request.GET["like"]) if "like" in request.GET else None
    first = {"title": f"{like.title}, copy"[:160], "binder": like.binder_id} if like else {}
    kind = NewCourseForm if like else CourseFromPatternForm
    form = kind(request.POST or None, binders=editable, initial=first)
    if request.method == "POST" and form.is_valid():

        def act() -> str:
            said = {"by": account_of(request), **form.cleaned_data}
            made = actions.copy_course(course=like, **said) if like else actions.create_course(**said)
            return reverse("courses:course", args=[made.public_id])

        return act_once(request, act)
    context = {"form": form, "binders": editable, "like": like, **_index(request)}
    return render(request, "courses/new.html", context, status=422 if form.errors else 200)


def course(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _course(request, public_id)
    return render(request, "courses/course.html", _sheet_context(request, found))


def _sheet_context(request: HttpRequest, found: Course) -> dict[str, Any]:
    sheet = queries.course_sheet(found, released=request.GET.get("edition") == "released")
    others = queries.courses_seen(request.user).order_by("title")
    return {
        "course": found,
        "sheet": sheet,
        "form": EditionForm(instance=sheet.edition),
        "terms_form": TermsForm(initial=_terms_initial(sheet.terms)),
        "relations_form": RelationsForm(course=found, others=others),
        "release_form": ReleaseForm(initial={"size": "large" if sheet.small_refused_by else "small"}),
        "prerequisites": list(found.prerequisites.all()),
        "equivalents": list(found.satisfied_by.all()),
        "may_change": policy.may(request.user, "change courses", found),
        "kinds": [kind.name for kind in kinds()],
        "panels": margin.panels("course", request, found),
        "sections": margin.sections("course", request, found, clock.today()),
        "verbs": margin.verb_links("course", request, found),
        "history": history("course", found.public_id),
        **_index(request, found),
    }


def _terms_initial(terms: Terms) -> dict[str, Any]:
    first = {"window_days": terms.window_days, "grace_days": terms.grace_days, "from_day": clock.today()}
    if terms.calendar_year:
        return first | {"lasts": "year"}
    if terms.validity is None:
        return first
    if terms.validity.months:
        return first | {"lasts": "months", "count": terms.validity.months}
    return first | {"lasts": "days", "count": terms.validity.days}


@require_POST
def edit(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _course(request, public_id)
    draft = actions.draft_of(found)
    form = EditionForm(request.POST, instance=Edition.objects.get(pk=draft.pk))
    by = account_of(request)
    response = save_sheet(
        request, form, draft, lambda data, rev: actions.edit_edition(course=found, revision=rev, by=by, **data)
    )
    if response.status_code == 200:
        sheet = queries.course_sheet(found)
        context = {"course": found, "sheet": sheet, "oob": True}
        response.content += render(request, "courses/before_release.html", context).content
    return response


@require_POST
def set_topics(request: HttpRequest, public_id: str) -> HttpResponse:
    try:
        topics.set_topics(of=_course(request, public_id), by=account_of(request), **topics.read_sent(request))
    except DetailUnread as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("courses:course", public_id=public_id)


@require_POST
def terms(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _course(request, public_id)
    form = TermsForm(request.POST)
    if form.is_valid():
        data = form.cleaned_data
        actions.set_terms(
            course=found,
            months=data["count"] if data["lasts"] == "months" else 0,
            days=data["count"] if data["lasts"] == "days" else 0,
            is_calendar_year=data["lasts"] == "year",
            window_days=data["window_days"],
            grace_days=data["grace_days"],
            from_day=data["from_day"],
            by=account_of(request),
        )
        toasts.say(request, "How long it is valid is saved.")
        return redirect("courses:course", public_id=public_id)
    context = _sheet_context(request, found) | {"terms_form": form}
    return render(request, "courses/course.html", context, status=422)


@require_POST
def prerequisites(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _course(request, public_id)
    others = queries.courses_seen(request.user).order_by("title")
    form = RelationsForm(request.POST, course=found, others=others)
    if form.is_valid():
        try:
            actions.set_relations(course=found, by=account_of(request), **form.cleaned_data)
        except CourseError as refusal:
            form.add_error(refusal.field, str(refusal))
        else:
            for warning in queries.shorter_equivalents(found):
                toasts.trouble(request, warning)
            toasts.say(request, "Saved.")
            return redirect("courses:course", public_id=public_id)
    context = _sheet_context(request, found) | {"relations_form": form}
    return render(request, "courses/course.html", context, status=422)


def pick(request: HttpRequest, public_id: str) -> HttpResponse:
    """The choices of the picker, narrowed as one types."""
    found = _course(request, public_id)
    start = begins_at(request)
    text, kind = request.GET.get("q", ""), request.GET.get("kind", "")
    choices = queries.pickable(request.user, found, text=text, kind=kind, start=start)
    more = more_after(start, len(choices), reverse("courses:pick", args=[public_id]))
    return render(request, "courses/choices.html", {"choices": choices, "start": start, "more": more})


@require_POST
def add_steps(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _course(request, public_id)

    def act() -> str:
        part = read_part(request.POST.get("part", Part.MAIN.value))
        modules = queries.modules_by_ids(request.user, request.POST.getlist("module"))
        added = actions.add_steps(course=found, part=part, modules=modules, by=account_of(request))
        return f"{added} step{'s' if added != 1 else ''} added."

    return _change_outline(request, found, act)


@require_POST
def order_steps(request: HttpRequest, public_id: str) -> HttpResponse:
    """The new order: step=<id>:<part>, from top to bottom."""
    found = _course(request, public_id)

    def act() -> None:
        placed = read_order(request.POST.getlist("step"))
        actions.order_steps(course=found, placed=placed, by=account_of(request))

    return _change_outline(request, found, act)


@require_POST
def edit_step(request: HttpRequest, public_id: str, step: int) -> HttpResponse:
    found = _course(request, public_id)
    changed = get_object_or_404(Step.objects.select_related("module"), pk=step, edition__course=found)

    def act() -> None:
        meant = StepForm(request.POST, initial={"weight": changed.weight, "is_spared": changed.is_spared}).meant()
        actions.edit_step(course=found, step=changed, by=account_of(request), **meant)

    return _change_outline(request, found, act)


@require_POST
def remove_step(request: HttpRequest, public_id: str, step: int) -> HttpResponse:
    found = _course(request, public_id)
    gone = get_object_or_404(Step.objects.select_related("module"), pk=step, edition__course=found)
    return _change_outline(request, found, lambda: actions.remove_step(course=found, step=gone, by=account_of(request)))


def _change_outline(request: HttpRequest, found: Course, act: Callable[[], str | None]) -> HttpResponse:
    """The outline after an act on it, with what the act says or why it was refused."""
    try:
        says = act()
    except CourseError as refusal:
        return toasts.say_now(_outline(request, found), str(refusal), is_trouble=True)
    response = _outline(request, found)
    return toasts.say_now(response, says) if says else response


def _outline(request: HttpRequest, found: Course) -> HttpResponse:
    """The steps as they are now, and with them the list of what is missing."""
    context = {"course": found, "sheet": queries.course_sheet(found), "may_change": True, "oob": True}
    response = render(request, "courses/outline.html", context)
    response.content += render(request, "courses/before_release.html", context).content
    return toasts.tell_page(response, "steps-changed")


def release(request: HttpRequest, public_id: str) -> HttpResponse:
    """What the release would do, then the release."""
    found = _course(request, public_id)
    sheet = queries.course_sheet(found)
    form = ReleaseForm(request.POST or None, initial={"size": "large" if sheet.small_refused_by else "small"})
    if request.method == "POST" and form.is_valid():

        def act() -> str:
            size, on = form.cleaned_data["size"], form.cleaned_data["on"]
            if on is not None and on != clock.today():
                said = {name: form.cleaned_data[name] for name in ("retake_by", "note")}
                planned.plan_release(course=found, on=on, size=size, by=account_of(request), **said)
                toasts.say(request, f"“{sheet.edition.title}” is released on {written(on)}, as it stands then.")
                return reverse("courses:course", args=[found.public_id])
            actions.release_course(
                course=found,
                size=size,
                retake_by=form.cleaned_data["retake_by"],
                note=form.cleaned_data["note"],
                by=account_of(request),
            )
            toasts.say(request, f"“{found.title}” is released. Learners see it from now on.")
            return reverse("courses:course", args=[found.public_id])

        try:
            return act_once(request, act)
        except CourseError as refusal:
            form.add_error(None, str(refusal))
    context = {
        "course": found,
        "sheet": sheet,
        "form": form,
        "effects": _effects(found, sheet, form),
        **_index(request, found),
    }
    return render(request, "courses/release.html", context, status=422 if form.errors else 200)


@require_POST
def drop_plan(request: HttpRequest, public_id: str) -> HttpResponse:
    """It is released on no day by itself any more."""
    planned.drop_plan(course=_course(request, public_id), by=account_of(request))
    return redirect("courses:course", public_id=public_id)


@require_POST
def release_effect(request: HttpRequest, public_id: str) -> HttpResponse:
    """What the release would do, with the day as it is being typed."""
    found = _course(request, public_id)
    sheet = queries.course_sheet(found)
    form = ReleaseForm(request.POST)
    context = {"sheet": sheet, "form": form, "effects": _effects(found, sheet, form)}
    return render(request, "courses/release_effect.html", context)


def _effects(
    course: Course, sheet: queries.CourseSheet, form: ReleaseForm
) -> list[tuple[str, list[events.EffectLine]]]:
    if not sheet.is_draft:
        return []
    form.is_valid()
    retake_by = form.cleaned_data.get("retake_by") if form.is_bound else None
    return [
        (size, events.propose(events.EditionProposed(course.pk, sheet.edition.pk, size, day)))
        for size, day in (("small", None), ("large", retake_by))
    ]


def compare_editions(request: HttpRequest, public_id: str) -> HttpResponse:
    """Two editions beside each other: the two newest where none are asked for."""
    found = _course(request, public_id)
    editions = editions_with_steps(found)
    by_number = {str(edition.number): edition for edition in editions}
    after = by_number.get(request.GET.get("to", ""), editions[-1])
    before = by_number.get(request.GET.get("from", ""), editions[-2] if len(editions) > 1 else editions[-1])
    context = {
        "course": found,
        "editions": editions,
        "found": compare(before, after),
        "lines": editions_of(found, editions),
        **_index(request, found),
    }
    return render(request, "courses/compare.html", context)


@require_POST
def new_edition(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _course(request, public_id)
    draft = actions.new_edition(course=found, by=account_of(request))
    toasts.say(
        request, f"This is the draft of edition {draft.number}. Learners keep the released one until you release it."
    )
    return redirect("courses:course", public_id=public_id)


@require_POST
def discard(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _course(request, public_id)
    try:
        actions.discard_draft(course=found, by=account_of(request))
    except CourseError as refusal:
        toasts.trouble(request, str(refusal))
    else:
        toasts.say(request, "The draft is dropped.")
    return redirect("courses:course", public_id=public_id)


@require_POST
def withdraw(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _course(request, public_id)
    actions.withdraw_course(course=found, by=account_of(request))
    toasts.say(request, f"“{found.title}” is withdrawn. What was completed stays.")
    return redirect("courses:course", public_id=public_id)
