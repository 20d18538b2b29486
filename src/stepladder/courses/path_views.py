"""Learning paths: the list, a path's sheet with its stages, and its release."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.db import transaction
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.lengths import LENGTHS
from stepladder.courses import paths, queries, topics
from stepladder.courses.errors import CourseError
from stepladder.courses.forms import CopyPathForm, NewPathForm, PathForm, StageForm, StartsForm
from stepladder.courses.keeping import choosable, own_binder
from stepladder.courses.models import Course, Offer, Path
from stepladder.courses.path_sheet import ChoiceFilters, choices, path_sheet
from stepladder.courses.paths import StagePlan
from stepladder.courses.picking import begins_at, more_after
from stepladder.journal import undoing
from stepladder.journal.queries import history
from stepladder.library.details import DetailUnread
from stepladder.library.kinds import kinds
from stepladder.library.models import Binder
from stepladder.topics.naming import topic_names
from stepladder.web import margin, toasts
from stepladder.web.once import act_once
from stepladder.web.sheets import save_sheet
from stepladder.web.tables import page_of

HEADS = [("Title", ""), ("Binder", ""), ("Stages", ""), ("Courses", ""), ("", "")]


def _path(request: HttpRequest, public_id: str) -> Path:
    shown = policy.visible(request.user, "see paths", Path.objects.select_related("binder", "kept_by"))
    return get_object_or_404(shown, public_id=public_id)


def _index(request: HttpRequest) -> dict[str, Any]:
    return {"counts": queries.course_counts(request.user), "here_paths": True}


def path_list(request: HttpRequest) -> HttpResponse:
    """Every path one may see."""
    shown = policy.visible(request.user, "see paths", Path.objects.select_related("binder", "kept_by"))
    page = page_of(request, shown.order_by("title"), HEADS)
    rows = [(path, len(path.stages), sum(len(stage.every) for stage in paths.stages_of(path))) for path in page.rows]
    return render(request, "courses/paths.html", {"page": page, "rows": rows, **_index(request)})


def new(request: HttpRequest) -> HttpResponse:
    """A new path: its title and its binder, empty or like another; the rest on its sheet."""
    editable = policy.visible(request.user, "build paths", Binder.objects.all())
    like = _path(request, request.GET["like"]) if "like" in request.GET else None
    first = {"title": f"{like.title}, copy"[:160], "binder": like.binder_id} if like else {}
    kind, mine = CopyPathForm if like else NewPathForm, own_binder(request.user)
    if mine and not like:
        first = {"binder": mine, "pattern": "worth"}
    form = kind(request.POST or None, binders=editable, initial=first)
    if like and not policy.may(request.user, "assign"):
        del form.fields["with_assignments"]
    if request.method == "POST" and form.is_valid():

        def act() -> str:
            said = {"by": account_of(request), **form.cleaned_data}
            made = paths.copy_path(path=like, **said) if like else paths.create_path(**said)
            return reverse("courses:path", args=[made.public_id])

        return act_once(request, act)
    context = {
        "form": form,
        "binders": editable,
        "is_path": True,
        "like": like,
        "own_binder": mine,
        **_index(request),
    }
    return render(request, "courses/new.html", context, status=422 if form.errors else 200)


def path(request: HttpRequest, public_id: str) -> HttpResponse:
    """A path with its stages, and what it lacks for release."""
    found = _path(request, public_id)
    context = {
        "form": PathForm(instance=found),
        "panels": margin.panels("path", request, found),
        "sections": margin.sections("path", request, found, clock.today()),
        "verbs": margin.verb_links("path", request, found),
        "history": history("path", found.public_id),
        # What the picker can be narrowed by.
        "kinds": [kind.name for kind in kinds() if kind.is_played],
        "lengths": LENGTHS,
        "topics": topic_names().words,
        "levels": Offer.Level.choices,
        "binders": Binder.objects.filter(pk__in=choosable(request.user).values("binder")).order_by("name"),
        **_stages(request, found),
        **_index(request),
    }
    return render(request, "courses/path.html", context, status=422 if context["starts"].errors else 200)


def pick(request: HttpRequest, public_id: str) -> HttpResponse:
    """The choices of the picker, narrowed as one types."""
    found = _path(request, public_id)
    start = begins_at(request)
    listed = choices(request.user, found, ChoiceFilters.of(request.GET), start=start)
    more = more_after(start, len(listed), reverse("courses:pick_course", args=[public_id]))
    return render(request, "courses/path_choices.html", {"choices": listed, "start": start, "more": more})


def _stages(request: HttpRequest, found: Path) -> dict[str, Any]:
    starts = StartsForm(request.POST if request.method == "POST" else request.GET)
    sheet = path_sheet(request.user, found, starts.day())
    # What one puts into stays what it was, wherever it was moved; after a new stage it is that one.
    keys = [stage.plan.key for stage in sheet.stages]
    into = request.POST.get("into", "")
    is_kept = into in keys and request.POST.get("act") != "add"
    return {
        "path": found,
        "sheet": sheet,
        "starts": starts,
        "into": keys.index(into) if is_kept else max(0, len(keys) - 1),
        "next_number": paths.next_number(found),
        "findings": paths.check_path(found),
        "effects": events.propose(
            events.PathProposed(
                found.pk,
                tuple(c for s in paths.stages_of(found) for c in s.courses),
                tuple((tuple(s.courses), s.window_days) for s in paths.stages_of(found)),
            )
        ),
        "may_change": bool(policy.may(request.user, "build paths", found)),
    }


@require_POST
def set_topics(request: HttpRequest, public_id: str) -> HttpResponse:
    try:
        topics.set_topics(of=_path(request, public_id), by=account_of(request), **topics.read_sent(request))
    except DetailUnread as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("courses:path", public_id=public_id)


@require_POST
def edit(request: HttpRequest, public_id: str) -> HttpResponse:
    """Title, summary and order; saves itself."""
    found = _path(request, public_id)
    form = PathForm(request.POST, instance=Path.objects.get(pk=found.pk))
    by = account_of(request)
    return save_sheet(request, form, found, lambda data, rev: paths.edit_path(path=found, revision=rev, by=by, **data))


@require_POST
def stages(request: HttpRequest, public_id: str) -> HttpResponse:
    """One change to the stages: `act` is add, keep, remove, up, down, put, offer, take, elective or obligatory; `stage` its key,
    `course` whose it is. Several courses are put at once, or offered to choose from, in the order of ticking, and `into` says where.
    """
    found = _path(request, public_id)
    try:
        # Read where they are written: words of a stage and courses put into it are sent in the same moment.
        with transaction.atomic():
            found.refresh_from_db(from_queryset=Path.objects.select_for_update())
            wanted = _changed(paths.stages_of(found), request.POST, request.user)
            paths.change_stages(path=found, stages=wanted, by=account_of(request))
        trouble = ""
    except CourseError as refusal:
        trouble = str(refusal)
    if not request.headers.get("HX-Request"):
        if trouble:
            toasts.trouble(request, trouble)
        return redirect("courses:path", public_id=public_id)
    found.refresh_from_db()
    # Words are typed on while they are saved: what one types in is not swapped, only what stands beside it.
    part = "path_beside" if request.POST.get("act") == "keep" else "path_stages"
    response = render(request, f"courses/{part}.html", _stages(request, found))
    if request.POST.get("act") != "keep":
        toasts.tell_page(response, "steps-changed")
    return toasts.say_now(response, trouble, is_trouble=True) if trouble else response


def _changed(stages: list[StagePlan], sent: QueryDict, account: Any) -> list[StagePlan]:
    """The stages after one change. Raises CourseError for one that cannot be read, or puts in what the account does not see."""
    act = sent.get("act", "")
    if act == "add":
        return [*stages, StagePlan()]
    key = sent.get("into" if act in PUTS else "stage", "")
    number = next((at for at, stage in enumerate(stages) if stage.key == key), None)
    if number is None:
        raise CourseError("That stage is not there any more. Nothing was changed.")
    stage = stages[number]
    if act == "remove":
        return stages[:number] + stages[number + 1 :]
    if act in ("up", "down"):
        other = number + (-1 if act == "up" else 1)
        if 0 <= other < len(stages):
            stages[number], stages[other] = stages[other], stages[number]
        return stages
    if act == "keep":
        form = StageForm(sent, prefix=f"s{key}")
        if not form.is_valid():
            name, found = next(iter(form.errors.items()))
            raise CourseError(f"Not saved. Stage {number + 1}, {form.fields[name].label}: {found[0]}")
        said = form.cleaned_data
        # A number that was cleared leaves the one before: there is no choice of none.
        stages[number] = replace(stage, **{**said, "choose": said["choose"] or stage.choose})
        return stages
    wanted = sent.getlist("course")
    courses = choosable(account) if act in PUTS else Course.objects.all()
    keys = dict(courses.filter(public_id__in=wanted).values_list("public_id", "pk"))
    if not keys or act not in (*PUTS, *MOVES):
        raise CourseError("Choose a course first. Nothing was changed.")
    stages[number] = _moved(stage, [keys[course] for course in wanted if course in keys], act)
    return stages


# Into a stage come new courses; and of those in it, one becomes another.
PUTS = ("put", "offer")
MOVES = ("take", "elective", "obligatory")


def _moved(stage: StagePlan, moved: list[int], act: str) -> StagePlan:
    courses = [key for key in stage.courses if key not in moved]
    electives = [key for key in stage.electives if key not in moved]
    if act in ("put", "obligatory"):
        courses += moved
    elif act in ("offer", "elective"):
        electives += moved
    # Who makes the first elective has not said yet how many: one.
    choose = max(1, stage.choose) if electives else 0
    return replace(stage, courses=courses, electives=electives, choose=choose)


@require_POST
def release(request: HttpRequest, public_id: str) -> HttpResponse:
    """People are asked for the draft from now on."""
    found = _path(request, public_id)
    try:
        with undoing.watched() as watched:
            edition = paths.release_path(path=found, by=account_of(request))
    except CourseError as refusal:
        toasts.trouble(request, str(refusal))
    else:
        toasts.say(request, f"Edition {edition.number} of “{edition.title}” is released.", act=watched.act)
    return redirect("courses:path", public_id=public_id)


@require_POST
def withdraw(request: HttpRequest, public_id: str) -> HttpResponse:
    """No longer to be assigned."""
    found = _path(request, public_id)
    paths.withdraw_path(path=found, by=account_of(request))
    toasts.say(request, f"“{found.title}” is withdrawn. Whoever climbs it goes on.")
    return redirect("courses:path", public_id=public_id)
