"""The week and the lists of sessions."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.organisation import calendar
from stepladder.timetable import queries
from stepladder.timetable.calendar import draw_days, draw_rooms
from stepladder.timetable.forms import WeekForm
from stepladder.timetable.models import Room, Session
from stepladder.timetable.views.pages import frame, visible_sessions
from stepladder.web.tables import page_of

HEADS = [("When", ""), ("What", ""), ("Where", ""), ("Who teaches", ""), ("Seats", "")]


def week(request: HttpRequest) -> HttpResponse:
    """A week of sessions: a line a day; or, by room, a line a room for one day of it."""
    form = WeekForm(request.GET)
    day = form.day()
    first = calendar().start_of("week", day)
    days = [first + timedelta(days=n) for n in range(7)]
    room = Room.objects.filter(public_id=request.GET.get("room", "")).first()
    by_room = request.GET.get("by") == "room"
    rows = queries.between(visible_sessions(request), first, 7, room)
    rows.sort(key=lambda row: (row.starts_at, row.session.pk))
    busy = queries.busy_sessions(rows)
    on_day = [row for row in rows if _touches(row, day)]
    picture = (
        draw_rooms(on_day, day, Room.objects.select_related("venue"), busy)
        if by_room
        else draw_days(rows, first, 7, busy)
    )
    context = {
        "form": form,
        "day": day,
        "days": [(one, sum(_touches(row, one) for row in rows)) for one in days],
        "room": room,
        "by_room": by_room,
        "rows": on_day if by_room else rows,
        "busy": busy,
        "picture": picture,
        "next_row": None if rows else _next_after(request, first, room),
        "week_before": first - timedelta(days=7),
        "week_after": first + timedelta(days=7),
        "today": clock.today(),
        "here_week": True,
    }
    return render(request, "timetable/week.html", frame(request, **context), status=422 if form.errors else 200)


def _next_after(request: HttpRequest, first: date, room: Room | None) -> queries.SessionRow | None:
    """The first session after a week without any."""
    sessions = visible_sessions(request).filter(state=Session.State.PLANNED)
    if room is not None:
        sessions = sessions.filter(room=room)
    after = datetime.combine(first + timedelta(days=7), time(), tzinfo=clock.zone())
    found = sessions.filter(meetings__starts_at__gte=after).order_by("meetings__starts_at", "pk")[:1]
    return next(iter(queries.session_rows(queries.with_all(found))), None)


def _touches(row: queries.SessionRow, day: object) -> bool:
    zone = clock.zone()
    return any(
        m.starts_at.astimezone(zone).date() <= day <= (m.ends_at.astimezone(zone) - timedelta(microseconds=1)).date()  # type: ignore[operator]
        for m in row.meetings
    )


def session_list(request: HttpRequest) -> HttpResponse:
    """Sessions to come, to be signed off, with people waiting, held or cancelled."""
    show = request.GET.get("show", "")
    if show not in queries.SHOWS:
        show = queries.SHOWS[0]
    text = request.GET.get("q", "").strip()
    found = queries.find_sessions(visible_sessions(request), show=show, text=text)
    page = page_of(request, queries.with_all(found), HEADS)
    rows = queries.session_rows(page.rows)
    context = {
        "page": page,
        "rows": rows,
        "busy": queries.busy_sessions(rows),
        "show": show,
        "q": text,
        "may_see_all": policy.sees_every(request.user, "open sessions"),
    }
    return render(request, "timetable/list.html", frame(request, **context))
