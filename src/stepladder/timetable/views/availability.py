"""When rooms can be had, and when instructors teach and what."""

from __future__ import annotations

from django.db.models import Q
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse

from stepladder.accounts.signed_in import account_of
from stepladder.people.models import Person
from stepladder.timetable import actions
from stepladder.timetable.availability import WEEKDAYS
from stepladder.timetable.availability_forms import HoursForm, TeachingForm
from stepladder.timetable.models import Room, Session, Teaching
from stepladder.timetable.views.pages import act, frame
from stepladder.web.tables import page_of

HEADS = [("Instructor", ""), ("Teaches on", ""), ("A day, at most", ""), ("What", ""), ("In", "")]


def room(request: HttpRequest, public_id: str) -> HttpResponse:
    """The hours of a room, and the site of its venue."""
    found = get_object_or_404(Room.objects.select_related("venue"), public_id=public_id)
    form = HoursForm(request.POST or None, initial=HoursForm.initial_of(found))
    if form.is_bound and form.is_valid():

        def do() -> Room:
            actions.set_room_hours(room=found, hours=form.hours, site=form.cleaned_data["site"], by=account_of(request))
            return found

        return act(request, do, lambda one: f"{one}: its hours are kept.", lambda _: reverse("timetable:rooms"))
    context = {"form": form, "one_room": found, "here_rooms": True}
    return render(request, "timetable/room.html", frame(request, **context), status=422 if form.errors else 200)


def teachers(request: HttpRequest) -> HttpResponse:
    """Everybody who teaches a session, or of whom it is said when they do."""
    teach = Session.instructors.through.objects.values("person")
    rows = Person.objects.filter(Q(pk__in=teach) | Q(teaching__isnull=False)).order_by(
        "family_name", "given_name", "pk"
    )
    page = page_of(
        request,
        rows.select_related("teaching").prefetch_related("teaching__modules"),
        HEADS,
        numeric=frozenset({"most"}),
    )
    for person in page.rows:
        row = getattr(person, "teaching", None)
        person.days = ", ".join(WEEKDAYS[day] for day in row.weekdays) if row else ""
    return render(request, "timetable/teachers.html", frame(request, page=page, here_teachers=True))


def teacher(request: HttpRequest, person: str) -> HttpResponse:
    """When somebody teaches, and what."""
    found = get_object_or_404(Person, public_id=person)
    row = Teaching.objects.filter(person=found).first()
    form = TeachingForm(request.POST or None, initial=TeachingForm.initial_of(row))
    if form.is_bound and form.is_valid():

        def do() -> Teaching:
            return actions.set_teaching(person=found, by=account_of(request), **form.said)

        return act(
            request, do, lambda _: f"When {found.name} teaches is kept.", lambda _: reverse("timetable:teachers")
        )
    context = {"form": form, "person": found, "here_teachers": True}
    return render(request, "timetable/teacher.html", frame(request, **context), status=422 if form.errors else 200)
