"""Each role's first page."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.catalogue.queries import own_requests, posted_for, to_decide_count
from stepladder.courses.models import Course
from stepladder.courses.queries import course_sheet
from stepladder.desk import actions, queries
from stepladder.desk.as_somebody import look_as
from stepladder.desk.day_strips import scale
from stepladder.desk.team import SORTS, TEAM_HEADS, Narrowing, Team
from stepladder.desk.team_courses import COURSE_HEADS, COURSE_SORTS, TeamCourses
from stepladder.desk.up_next import up_next
from stepladder.leads.permissions import team_of_account
from stepladder.leads.queries import leads_held
from stepladder.messaging.queries import unread_by
from stepladder.people.models import Person
from stepladder.people.permissions import person_of
from stepladder.people.teams import TeamOfPeople
from stepladder.playing.linked import said_to_be_done
from stepladder.queue.queries import failed
from stepladder.signing.queries import asked_count
from stepladder.signing.signers import may_sign_anything
from stepladder.web import margin, toasts
from stepladder.web.tables import page_of


def desk(request: HttpRequest) -> HttpResponse:
    steps = queries.first_steps(request.user)
    context = {
        "lines": queries.desk_lines(request.user),
        "first_steps": steps,
        "next_step": next((step for step in steps if not step.done), None),
        "today": clock.today(),
        "sections": margin.sections("desk", request, None, clock.today()),
    }
    return render(request, "desk/desk.html", context)


QUEUE_HEADS = [("What", ""), ("Why it failed", ""), ("When", ""), ("", "")]


def queue(request: HttpRequest) -> HttpResponse:
    """What the background queue could not do, and had its tries at."""
    return render(request, "desk/queue.html", {"page": page_of(request, failed(), QUEUE_HEADS)})


@require_POST
def run_again(request: HttpRequest, key: UUID) -> HttpResponse:
    done = actions.run_again(key=str(key), by=account_of(request))
    return _seen_to(request, done, "It is run again. If it fails once more, it stands here again.")


@require_POST
def put_away(request: HttpRequest, key: UUID) -> HttpResponse:
    done = actions.put_away(key=str(key), by=account_of(request))
    return _seen_to(request, done, "It is put away.")


def _seen_to(request: HttpRequest, done: bool, description: str) -> HttpResponse:
    if done:
        toasts.say(request, description)
    else:
        toasts.trouble(request, "It is not there any more: somebody saw to it.")
    return redirect("desk:queue")


def team(request: HttpRequest) -> HttpResponse:
    """A manager's people, or what is asked of them course by course: what is late, what is soon, what was done, what is new."""
    person = person_of(request.user)
    assert person is not None, "only somebody who holds a lead is a manager"
    day = clock.today()
    by_course = request.GET.get("by") == "course"
    shown = _narrowing(request)
    found = Team(team_of_account(request.user), day, shown)
    if by_course:
        sort = _sort(request, COURSE_SORTS)
        page = page_of(request, TeamCourses(found.asked, day, sort), COURSE_HEADS, sort=sort, numeric=NUMBERS_BY_COURSE)
    else:
        page = page_of(request, found, TEAM_HEADS, sort=shown.sort, numeric=frozenset({"done"}))
    context = {
        "to_confirm": said_to_be_done(request.user).count(),
        "to_sign": asked_count(request.user),
        "to_decide": to_decide_count(request.user),
        "signs": may_sign_anything(request.user),
        "team": found,
        "page": page,
        "by_course": by_course,
        "shown": shown,
        "scale": scale(day),
        "change": found.month_change(),
        "notes": {} if by_course else margin.row_notes("team", [row.person.pk for row in page.rows], day),
        "leads": leads_held(person, day),
        "day": day,
        "sections": [
            *margin.sections("team", request, TeamOfPeople(found.keys, found.seen), day),
            *margin.sections("desk", request, None, day),
        ],
    }
    return render(request, "desk/team.html", context)


# Columns of figures, which stand to the right.
NUMBERS_BY_COURSE = frozenset({"asked", "late", "soon"})


def _narrowing(request: HttpRequest) -> Narrowing:
    only_direct, only_late, only_new = (request.GET.get(name) == "1" for name in ("direct", "late", "new"))
    return Narrowing(only_direct, only_late, only_new, _sort(request, SORTS))


def _sort(request: HttpRequest, allowed: Sequence[str]) -> str:
    """The sort asked for, where it is one of these; else the first of them."""
    asked = request.GET.get("sort", "")
    return asked if asked.lstrip("-") in allowed else allowed[0]


@never_cache
def learner_page(request: HttpRequest) -> HttpResponse:
    """What a learner does next."""
    person = Person.objects.filter(account=request.user.pk).first()
    hour = clock.now().astimezone(clock.zone()).hour
    greeting = "Good morning" if hour < 12 else "Good afternoon" if hour < 18 else "Good evening"
    signs = may_sign_anything(request.user)
    context = {
        "person": person,
        "next": up_next(person) if person else None,
        "greeting": greeting,
        "signs": signs,
        "to_sign": asked_count(request.user) if signs else 0,
        "to_decide": to_decide_count(request.user),
        "unread": unread_by(person),
        "asked_for": own_requests(person) if person else [],
        "posted": posted_for(request.user),
    }
    return render(request, "desk/up_next.html", context)


def try_course(request: HttpRequest, public_id: str) -> HttpResponse:
    """A course as a learner would see it; nothing is kept."""
    shown = policy.visible(request.user, "see courses", Course.objects.all())
    course = get_object_or_404(shown, public_id=public_id)
    return render(request, "desk/try_course.html", {"course": course, "sheet": course_sheet(course)})


@require_POST
def try_as(request: HttpRequest, public_id: str) -> HttpResponse:
    """A course as somebody real has it; what is opened from here is played with nothing kept."""
    shown = policy.visible(request.user, "see courses", Course.objects.all())
    course = get_object_or_404(shown, public_id=public_id)
    named = policy.visible(
        request.user, "read records", Person.objects.filter(public_id__in=request.POST.getlist("who"))
    )
    person = named.first()
    if person is None:
        toasts.trouble(request, "Name somebody whose record you may read.")
        return redirect("desk:try_course", public_id=public_id)
    context = {"course": course, "somebody": look_as(course=course, person=person, by=account_of(request))}
    return render(request, "desk/try_as.html", context)
