"""Each role's first page."""

from __future__ import annotations

from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.courses.models import Course
from stepladder.courses.queries import course_sheet
from stepladder.desk import actions, queries
from stepladder.desk.team import TEAM_HEADS, Team
from stepladder.desk.up_next import up_next
from stepladder.leads.permissions import team_of_account
from stepladder.leads.queries import leads_held
from stepladder.people.models import Person
from stepladder.people.permissions import person_of
from stepladder.queue.queries import failed
from stepladder.web import margin, toasts
from stepladder.web.tables import page_of


def desk(request: HttpRequest) -> HttpResponse:
    context = {
        "lines": queries.desk_lines(request.user),
        "first_steps": queries.first_steps(request.user),
        "today": clock.today(),
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
    """A manager's people: who is late, what is soon, what was done."""
    person = person_of(request.user)
    assert person is not None, "only somebody who holds a lead is a manager"
    day = clock.today()
    only_direct, only_late = request.GET.get("direct") == "1", request.GET.get("late") == "1"
    found = Team(team_of_account(request.user), day, only_direct=only_direct, only_late=only_late)
    page = page_of(request, found, TEAM_HEADS)
    context = {
        "team": found,
        "page": page,
        "notes": margin.row_notes("team", [row.person.pk for row in page.rows], day),
        "leads": leads_held(person, day),
        "only_direct": only_direct,
        "only_late": only_late,
        "day": day,
    }
    return render(request, "desk/team.html", context)


@never_cache
def learner_page(request: HttpRequest) -> HttpResponse:
    """What a learner does next."""
    person = Person.objects.filter(account=request.user.pk).first()
    hour = clock.now().astimezone(clock.zone()).hour
    greeting = "Good morning" if hour < 12 else "Good afternoon" if hour < 18 else "Good evening"
    context = {"person": person, "next": up_next(person) if person else None, "greeting": greeting}
    return render(request, "desk/up_next.html", context)


def try_course(request: HttpRequest, public_id: str) -> HttpResponse:
    """A course as a learner would see it; nothing is kept."""
    shown = policy.visible(request.user, "see courses", Course.objects.all())
    course = get_object_or_404(shown, public_id=public_id)
    return render(request, "desk/try_course.html", {"course": course, "sheet": course_sheet(course)})
