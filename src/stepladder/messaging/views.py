"""Writing to people, what they answer, and a message as one reads it."""

from __future__ import annotations

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.courses.models import Course
from stepladder.learning.models import Enrolment
from stepladder.messaging import actions, queries
from stepladder.messaging.errors import MessagingError
from stepladder.messaging.models import Message, Thread
from stepladder.people.choosing import chosen_people
from stepladder.people.models import Person
from stepladder.timetable.models import Booking, Session
from stepladder.web import toasts
from stepladder.web.forms import CommonForm
from stepladder.web.once import act_once
from stepladder.web.tables import page_of
from stepladder.web.templatetags.web import day as written_day

# So many are named where one reads to whom a message goes.
NAMED = 8


class MessageForm(CommonForm, forms.Form):
    """A message: what it is called, and its words."""

    subject = forms.CharField(label="Subject", max_length=160)
    text = forms.CharField(
        label="Message",
        max_length=actions.LONGEST,
        widget=forms.Textarea(attrs={"rows": 8, "data-letters": actions.LONGEST}),
    )


class AnswerForm(CommonForm, forms.Form):
    text = forms.CharField(
        label="Your answer",
        max_length=actions.LONGEST,
        widget=forms.Textarea(attrs={"rows": 4, "data-letters": actions.LONGEST}),
    )


def _asked(request: HttpRequest) -> tuple[list[Person], str]:
    """To whom one writes, and what they are the people of: of a course, of a session, one person, or who was chosen in a list."""
    said = request.POST if request.method == "POST" else request.GET
    rows, about = Person.objects.none(), ""
    if said.get("course"):
        course = get_object_or_404(Course, public_id=said["course"])
        open_places = Enrolment.objects.filter(course=course, completed_at__isnull=True, closed_on__isnull=True)
        rows, about = Person.objects.filter(pk__in=open_places.values("person")), f"the course “{course.title}”"
    elif said.get("session"):
        session = get_object_or_404(Session.objects.select_related("module"), public_id=said["session"])
        seats = Booking.objects.known_now().filter(session=session).exclude(state=Booking.State.CANCELLED)
        first = session.meetings.order_by("starts_at").first()
        on = f", {written_day(first.starts_at.date())}" if first else ""
        rows, about = Person.objects.filter(pk__in=seats.values("person")), f"“{session.module.title}”{on}"
    elif said.get("person"):
        rows = Person.objects.filter(public_id=said["person"])
    elif said.getlist("row"):
        rows = Person.objects.filter(public_id__in=_ticked(request))
    elif request.method == "POST":
        return chosen_people(request, "write to"), ""
    shown = policy.visible(request.user, "write to", rows)
    return list(shown.order_by("family_name", "given_name", "pk")), about


def _ticked(request: HttpRequest) -> list[str]:
    """Who was ticked in a list of people and courses: row=<person>:<course>, somebody once for each of theirs."""
    return list(dict.fromkeys(row.partition(":")[0] for row in request.POST.getlist("row")))


def write(request: HttpRequest) -> HttpResponse:
    """A message to people; from a list they come as they were ticked."""
    people, about = _asked(request)
    is_sent = request.method == "POST" and "go" in request.POST
    form = MessageForm(request.POST if is_sent else None)

    def act() -> str:
        made = actions.write(people=people, about=about, by=account_of(request), **form.cleaned_data)
        toasts.say(request, f"“{made.subject}” goes to {made.people} {'people' if made.people != 1 else 'person'}.")
        return reverse("messaging:message", args=[made.public_id])

    if is_sent and form.is_valid():
        try:
            return act_once(request, act)
        except MessagingError as refusal:
            form.add_error(refusal.field, str(refusal))
    named = [person.name for person in people[:NAMED]]
    sent = request.POST if request.method == "POST" else request.GET
    context = {
        "form": form,
        "people": people,
        "named": named,
        "more": len(people) - len(named),
        "about": about,
        # What says to whom it goes, to be sent along.
        "hidden": [
            (name, value) for name in ("course", "session", "person", "fits", "query") for value in sent.getlist(name)
        ],
        "chosen": [] if sent.get("fits") else sent.getlist("chosen") or _ticked(request),
    }
    return render(request, "messaging/write.html", context, status=422 if form.errors else 200)


def written(request: HttpRequest) -> HttpResponse:
    """What one wrote, the newest first."""
    heads = [("Subject", ""), ("To", ""), ("Sent", ""), ("Read", ""), ("Answered", ""), ("Wait", "")]
    page = page_of(request, queries.written_by(account_of(request)), heads)
    return render(request, "messaging/written.html", {"page": page})


def message(request: HttpRequest, public_id: str) -> HttpResponse:
    """A message that one wrote, and what each answered."""
    mine = policy.visible(request.user, "read messages", Message.objects.all())
    found = get_object_or_404(mine, public_id=public_id)
    page = page_of(request, queries.threads_of(found), [("To", ""), ("Read", ""), ("Answered", "")])
    return render(request, "messaging/message.html", {"message": found, "page": page})


def answers(request: HttpRequest) -> HttpResponse:
    """The answers that wait for one, the oldest first."""
    page = page_of(
        request, queries.waiting_answers(account_of(request)), [("From", ""), ("Message", ""), ("Since", "")]
    )
    return render(request, "messaging/answers.html", {"page": page})


def _thread(request: HttpRequest, public_id: str) -> Thread:
    rows = policy.visible(request.user, "read messages", Thread.objects.select_related("message__by", "person"))
    return get_object_or_404(rows, public_id=public_id)


def thread(request: HttpRequest, public_id: str) -> HttpResponse:
    """A message as one person has it, with the answers, and where one answers."""
    found = _thread(request, public_id)
    actions.mark_read(thread=found, by=account_of(request))
    return _thread_page(request, found, AnswerForm())


def _thread_page(request: HttpRequest, found: Thread, form: AnswerForm) -> HttpResponse:
    context = {
        "thread": found,
        "answers": found.answers.all(),
        "form": form,
        "is_mine": found.message.by_id == account_of(request).pk,
    }
    return render(request, "messaging/thread.html", context, status=422 if form.errors else 200)


@require_POST
def answer(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _thread(request, public_id)
    form = AnswerForm(request.POST)
    here = reverse("messaging:thread", args=[public_id])

    def act() -> str:
        actions.answer(thread=found, by=account_of(request), **form.cleaned_data)
        toasts.say(request, "Your answer is sent.")
        return here

    if form.is_valid():
        try:
            return act_once(request, act)
        except MessagingError as refusal:
            form.add_error(refusal.field, str(refusal))
    return _thread_page(request, found, form)


@require_POST
def put_away(request: HttpRequest, public_id: str) -> HttpResponse:
    """It needs no answer."""
    found = _thread(request, public_id)
    actions.put_away_answer(thread=found, by=account_of(request))
    return redirect("messaging:answers")
