"""Quizzes as they are planned and released."""

from __future__ import annotations

from typing import Any

from django.db.models import Q
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.numbers import whole_number
from stepladder.core.quizzes import Pick, read_plan
from stepladder.library.errors import LibraryError
from stepladder.library.models import Binder
from stepladder.library.queries import binders
from stepladder.quizzes import editing, planned
from stepladder.quizzes.actions import plans as actions
from stepladder.quizzes.errors import QuizError
from stepladder.quizzes.forms import ConditionsForm, DrawForm, NewQuizForm, ReleaseForm, SectionForm
from stepladder.quizzes.models import Bank, Question, Quiz
from stepladder.quizzes.releasing import problems_of_quiz, release_quiz, worth_a_thought
from stepladder.quizzes.views.finding import quiz_for
from stepladder.refusals import Refusal
from stepladder.web import margin, toasts
from stepladder.web.once import act_once
from stepladder.web.tables import page_of


def new_quiz(request: HttpRequest, public_id: str) -> HttpResponse:
    """A quiz, in a binder."""
    mine = policy.visible(request.user, "change modules", Binder.objects.all())
    binder = get_object_or_404(mine, public_id=public_id)
    form = NewQuizForm(request.POST or None)
    if form.is_bound and form.is_valid():

        def make() -> str:
            made = actions.create_quiz(binder=binder, by=account_of(request), **form.cleaned_data)
            return reverse("quizzes:plan", args=[made.module.public_id])

        try:
            return act_once(request, make)
        except LibraryError as refusal:
            form.add_error("title", str(refusal))
    context = {"form": form, "binder": binder, "binders": binders(request.user), "here": "library"}
    return render(request, "quizzes/new_quiz.html", context, status=422 if form.errors else 200)


def _around(request: HttpRequest, quiz: Quiz) -> dict[str, Any]:
    plan = read_plan(quiz.plan)
    newest = quiz.module.versions.order_by("-number").first()
    return {
        "quiz": quiz,
        "module": quiz.module,
        "plan": plan,
        "sections": planned.sections_of(plan),
        "newest": newest,
        "next_number": (newest.number if newest else 0) + 1,
        "panels": margin.panels("quiz", request, quiz.module),
        "here": "library",
    }


def _banks(request: HttpRequest) -> list[Bank]:
    mine = policy.visible(request.user, "change modules", Binder.objects.all())
    return list(Bank.objects.filter(binder__in=mine).select_related("binder").order_by("name", "pk"))


@never_cache
def plan(request: HttpRequest, public_id: str) -> HttpResponse:
    """What a quiz asks, section by section, and how it is taken."""
    quiz = quiz_for(request, public_id)
    context = _around(request, quiz)
    names = [(one.public_id, f"{one.name} ({one.binder.name})") for one in _banks(request)]
    context |= {
        "draw_form": DrawForm(banks=names),
        "has_banks": bool(names),
        "topics": planned.topics_of([key for key, _ in names]),
        "conditions_form": ConditionsForm.of(context["plan"].conditions),
        "problems": problems_of_quiz(context["plan"]),
    }
    return render(request, "quizzes/plan.html", context)


def _to(quiz: Quiz, section: int | None = None) -> HttpResponse:
    address = reverse("quizzes:plan", args=[quiz.module.public_id])
    return redirect(address if section is None else f"{address}#section-{section + 1}")


def _number(request: HttpRequest, name: str) -> int:
    found = whole_number(request.POST.get(name, ""))
    if found is None:
        raise Http404
    return found


@require_POST
def change_sections(request: HttpRequest, public_id: str) -> HttpResponse:
    """Add, take out, move a section, or say what stands above it, as `do` says."""
    quiz, by = quiz_for(request, public_id), account_of(request)
    section, do = _number(request, "section"), request.POST.get("do", "")
    if do not in ("add", "remove", "up", "down", "set"):
        raise Http404
    said = None
    if do == "set":
        form = SectionForm(request.POST)
        if not form.is_valid():
            toasts.trouble(request, f"Nothing was saved: {next(iter(form.errors.values()))[0]}")
            return _to(quiz, section)
        said = form.cleaned_data
    try:
        actions.change_section(quiz=quiz, section=section, do=do, said=said, by=by)
    except QuizError as refusal:
        toasts.trouble(request, str(refusal))
    return _to(quiz, section + (do in ("add", "down")) - (do == "up"))


@require_POST
def change_picks(request: HttpRequest, public_id: str) -> HttpResponse:
    """Draw from a bank, take a question or draw out, move it, or give it other points, as `do` says."""
    quiz, by = quiz_for(request, public_id), account_of(request)
    section, do = _number(request, "section"), request.POST.get("do", "")
    try:
        if do == "draw":
            _draw(request, quiz, section)
        elif do == "choose":
            chosen = [Pick(question=key) for key in request.POST.getlist("chosen")[:200]]
            actions.add_picks(quiz=quiz, section=section, picks=chosen, by=by)
        elif do == "remove":
            actions.remove_pick(quiz=quiz, section=section, place=_number(request, "place"), by=by)
        elif do in ("up", "down", "points"):
            place = _number(request, "place")
            to = place + {"up": -1, "down": 1, "points": 0}[do]
            points = _number(request, "points") if do == "points" else None
            actions.move_pick(quiz=quiz, section=section, place=place, to=to, points=points, by=by)
        else:
            raise Http404
    except QuizError as refusal:
        toasts.trouble(request, str(refusal))
    return _to(quiz, section)


def _draw(request: HttpRequest, quiz: Quiz, section: int) -> None:
    form = DrawForm(request.POST, banks=[(one.public_id, one.name) for one in _banks(request)])
    if not form.is_valid():
        name, errors = next(iter(form.errors.items()))
        toasts.trouble(request, f"Nothing was added. {form.fields[name].label}: {errors[0]}")
        return
    said = form.cleaned_data
    pick = Pick(said["points"], "", said["bank"], said["topic"], said["difficulty"], said["skill"], said["count"])
    actions.add_picks(quiz=quiz, section=section, picks=[pick], by=account_of(request))


def choose(request: HttpRequest, public_id: str) -> HttpResponse:
    """Questions to be asked one by one, chosen from the banks."""
    quiz = quiz_for(request, public_id)
    rows = Question.objects.filter(bank__in=_banks(request), removed_at=None).select_related("bank")
    if bank := request.GET.get("bank", "")[:20]:
        rows = rows.filter(bank__public_id=bank)
    for word in request.GET.get("q", "")[:200].split()[:6]:
        rows = rows.filter(Q(asked__icontains=word) | Q(topic__icontains=word) | Q(skill__icontains=word))
    heads = [("Question", ""), ("Kind", ""), ("Topic", ""), ("Difficulty", ""), ("Bank", "")]
    context = {
        **_around(request, quiz),
        "page": page_of(request, rows.order_by("bank__name", "topic", "pk"), heads),
        "section": whole_number(request.GET.get("section", "")) or 0,
        "banks": _banks(request),
        "kinds": editing.KIND_WORDS,
        "chosen": {pick.question for one in read_plan(quiz.plan).sections for pick in one.picks if pick.question},
    }
    return render(request, "quizzes/choose.html", context)


@require_POST
def conditions(request: HttpRequest, public_id: str) -> HttpResponse:
    """How the quiz is taken, passed and told."""
    quiz, form = quiz_for(request, public_id), ConditionsForm(request.POST)
    if form.is_valid():
        try:
            actions.set_conditions(quiz=quiz, conditions=form.conditions(), by=account_of(request))
            toasts.say(request, "Kept. It holds from the next release.")
        except QuizError as refusal:
            toasts.trouble(request, f"Nothing was saved: {refusal}")
    else:
        name, errors = next(iter(form.errors.items()))
        toasts.trouble(request, f"Nothing was saved. {form.fields[name].label}: {errors[0]}")
    return _to(quiz)


def release(request: HttpRequest, public_id: str) -> HttpResponse:
    """What is wrong first; then the next version."""
    quiz = quiz_for(request, public_id)
    form = ReleaseForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            version = release_quiz(quiz=quiz, note=form.cleaned_data["note"], by=account_of(request))
        except Refusal as refusal:
            toasts.trouble(request, str(refusal))
            return redirect("quizzes:release", public_id=public_id)
        toasts.say(
            request,
            f"That is version {version.number}. Released editions keep theirs; drafts of courses may take this one.",
        )
        return redirect("library:module", public_id=public_id)
    around = _around(request, quiz)
    context = {
        **around,
        "form": form,
        "problems": problems_of_quiz(around["plan"]),
        "thoughts": worth_a_thought(around["plan"]),
    }
    return render(request, "quizzes/release.html", context)
