"""Records: the board, lists, training records, why, certificates."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.http import (
    Http404,
    HttpRequest,
    HttpResponse,
    HttpResponseBase,
    JsonResponse,
    StreamingHttpResponse,
)
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import urlencode
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.organisation import organisation
from stepladder.accounts.signed_in import account_of
from stepladder.accounts.switches import is_on
from stepladder.assignments import actions as assigning
from stepladder.charts.models import Chart, Unit
from stepladder.core.numbers import whole_number
from stepladder.core.requirements import Status
from stepladder.courses.models import Course, Path
from stepladder.learning.queries import completions_of, open_enrolments, views_of
from stepladder.messaging.switching import MESSAGES
from stepladder.people.models import Person
from stepladder.people.permissions import people_seen
from stepladder.people.queries import first_days, person_sheet
from stepladder.records import board as boards
from stepladder.records import queries, strips, transcripts
from stepladder.records.board_drawing import EVERYONE, BoardLinks, drawn
from stepladder.records.board_whole import whole_board
from stepladder.records.forms import DAY_WORDS, PRESETS, UNTIL, Clocks, read_clocks, read_filters, read_until
from stepladder.records.hours import hours_of
from stepladder.records.list_columns import Filters, cells_of, list_columns, values_of
from stepladder.records.lists import StatusRows, status_rows
from stepladder.records.machine_readable import machine_readable
from stepladder.records.seats import seat_flags
from stepladder.records.skills import own_skills
from stepladder.records.units import unit_choices
from stepladder.records.why import explain
from stepladder.tabular import writing
from stepladder.tabular.responses import table_response
from stepladder.web import margin, toasts
from stepladder.web.once import act_once
from stepladder.web.tables import page_of

RATES = ("covered", "on time", "running out")


def board(request: HttpRequest) -> HttpResponse:
    """Units, positions or people × courses or paths on any day."""
    clocks = read_clocks(request.GET)
    day, known_on = clocks.asked.day, clocks.known.day
    rate = next((r for r in RATES if r == request.GET.get("rate")), RATES[0])
    of = next((o for o in boards.OF if o == request.GET.get("of")), boards.OF[0])
    by_paths = request.GET.get("by") == "paths"
    until, trouble = read_until(request.GET, clocks) if rate == "running out" else (None, "")
    kind = Chart.Kind.POSITION if of == "positions" else Chart.Kind.UNIT
    charts = list(Chart.objects.filter(kind=kind).order_by("-is_main", "name"))
    chart = next((c for c in charts if str(c.pk) == request.GET.get("chart")), charts[0] if charts else None)
    scope = people_seen(request.user, "open records")
    unit = Unit.objects.select_related("chart").filter(public_id=request.GET.get("unit", "")).first()
    asked = boards.BoardAsked(
        day=day,
        known_on=known_on,
        of=of,
        by_paths=by_paths,
        chart=chart,
        unit=unit,
        only=request.GET.getlist("course"),
        scope=scope,
        attending=clocks.attending,
        unfolded=frozenset(request.GET.getlist("open")),
        page=whole_number(request.GET.get("courses", "")) or 1,
        people_page=whole_number(request.GET.get("people", "")) or 1,
        until=until,
        whole=request.GET.get("view") == "all",
    )
    found = boards.board(asked)
    narrowing = (
        urlencode([("status", "current"), ("status", "renew"), ("expires_to", until.isoformat())]) if until else ""
    )
    links = BoardLinks(request, clocks, asked.unfolded, found.page, of, found.people_page, narrowing)
    to_come = day > clock.today()
    errors = [*clocks.errors, *([trouble] if trouble else [])]
    context = {
        "board": found,
        "rows": [] if asked.whole else drawn(found, rate, links),
        "whole": whole_board(found, links, reverse("records:standing")) if asked.whole else None,
        "links": links,
        "forecast": boards.forecast(day=day, known_on=known_on, rate=rate, scope=scope, by_paths=by_paths)
        if to_come and until is None
        else None,
        "rate": rate,
        "rates": RATES,
        "of": of,
        "of_choices": boards.OF,
        "by_paths": by_paths,
        "until": until,
        "until_text": request.GET.get("until", "").strip() or UNTIL,
        "errors": errors,
        "chart": chart,
        "charts": charts,
        "unit": unit,
        "units": unit_choices(unit) if of == "people" else [],
        "only": asked.only,
        "unfolded": sorted(asked.unfolded),
        "all_courses": (Path.objects if by_paths else Course.objects).exclude(state="draft").order_by("title"),
        "verbs": margin.verb_links("board", request, clocks),
        **frame(request, clocks),
    }
    return render(request, "records/board.html", context, status=422 if errors else 200)


def frame(request: HttpRequest, clocks: Clocks) -> dict[str, Any]:
    """What every page of records has around it: its clocks, and the index by them."""
    scope = people_seen(request.user, "open records")
    late_now = queries.late_count(clocks.asked.day, scope, known_on=clocks.known.day)
    return {"clocks": clocks, "late": late_now, "day_words": DAY_WORDS}


def at(request: HttpRequest, unit: str, course: str) -> HttpResponse:
    """A cell's people, by its short address on the board."""
    query = request.GET.copy()
    person = Person.objects.filter(public_id=unit).first()
    thing = Course.objects.filter(public_id=course).first()
    if person is not None and thing is not None:
        clocks = read_clocks(request.GET)
        return redirect(reverse("records:why", args=[unit, course]) + clocks.suffix)
    if unit != EVERYONE:
        query["unit"] = unit
    query["course"] = course
    return redirect(f"{reverse('records:standing')}?{query.urlencode()}")


def cell(request: HttpRequest) -> HttpResponse:
    """A cell of the board for the margin: its people, the late first."""
    filters, clocks, _ = read_filters(request.GET, preset=None, scope=people_seen(request.user, "open records"))
    rows = status_rows(filters, sort="status")
    context = {
        "filters": filters,
        "clocks": clocks,
        "counts": list(rows.counts().items()),
        "total": len(rows),
        "rows": rows.without(Status.CURRENT)[:10],
        "expiring": rows.expiring(filters.day, filters.day + timedelta(days=180)),
        "query": request.GET.urlencode(),
        "verbs": margin.verb_links("cell", request, clocks),
    }
    return render(request, "records/cell.html", context)


def late(request: HttpRequest) -> HttpResponseBase:
    return _list(request, "late")


def status_list(request: HttpRequest) -> HttpResponseBase:
    return _list(request, "all")


def _list(request: HttpRequest, preset: str) -> HttpResponseBase:
    """Who stands how; as CSV or XLSX with the same filters and order."""
    filters, clocks, errors = read_filters(
        request.GET, preset=PRESETS[preset], scope=people_seen(request.user, "open records")
    )
    sort = request.GET.get("sort", "late" if preset == "late" else "status")
    rows = status_rows(filters, sort=sort)
    if request.GET.get("as") in ("csv", "xlsx") and not errors:
        return _file(rows, filters, clocks, request.GET["as"], "late" if preset == "late" else "standing")
    columns = list_columns(on_screen=True)
    page = page_of(
        request,
        rows,
        [(column.label, column.key if column.sort else "") for column in columns],
        sort=sort,
        numeric=frozenset(column.key for column in columns if column.css == "n"),
    )
    context = {
        "page": page,
        "filters": filters,
        "errors": errors,
        "preset": preset,
        "lines": list(zip(page.rows, cells_of(page.rows, filters), strict=True)),
        "ticked": filters.statuses if request.GET.getlist("status") else frozenset(),
        "statuses": list(Status),
        "units": unit_choices(filters.unit),
        "courses": Course.objects.exclude(state="draft").order_by("title"),
        "query": _query(request),
        "verbs": margin.verb_links("standing", request, clocks),
        "may_remind": clocks.is_today and policy.may(request.user, "remind"),
        "may_write": is_on(MESSAGES.name) and policy.may(request.user, "write to"),
        **frame(request, clocks),
    }
    return render(request, "records/list.html", context, status=422 if errors else 200)


@require_POST
def remind(request: HttpRequest) -> HttpResponse:
    """Tell the chosen people again: row=<person>:<course>."""
    chosen = [row.partition(":") for row in request.POST.getlist("row")]
    shown = policy.visible(request.user, "remind", Person.objects.filter(public_id__in=[p for p, _, _ in chosen]))
    people = dict(shown.values_list("public_id", "pk"))
    courses = dict(Course.objects.filter(public_id__in=[c for _, _, c in chosen]).values_list("public_id", "pk"))
    pairs = [(people[p], courses[c]) for p, _, c in chosen if p in people and c in courses]

    def act() -> str:
        told = assigning.remind(pairs=pairs, by=account_of(request))
        left_out = len(set(pairs)) - told
        why = f" {left_out} left out: reminded today already, or nothing is asked any more." if left_out else ""
        toasts.say(request, f"{told} reminder{'s' if told != 1 else ''} on the way.{why}")
        return reverse("records:late")

    return act_once(request, act)


def _query(request: HttpRequest) -> str:
    query = request.GET.copy()
    for name in ("page", "as"):
        query.pop(name, None)
    return query.urlencode()


def _file(rows: StatusRows, filters: Filters, clocks: Clocks, kind: str, name: str) -> HttpResponseBase:
    """The list as a file."""
    heads = [column.label for column in list_columns()]
    pieces = (values_of(piece, filters) for piece in rows.pieces())
    known = "" if filters.known_on == clock.today() else f"-known-{filters.known_on}"
    return table_response(
        kind,
        f"{name}-{filters.day}{known}",
        title="Who stands how",
        heads=heads,
        pieces=pieces,
        about=[("As of", clocks.description), *filters.description],
    )


def _record_person(request: HttpRequest, public_id: str) -> Person:
    return get_object_or_404(policy.visible(request.user, "read records", Person.objects.all()), public_id=public_id)


def record(request: HttpRequest, person: str) -> HttpResponse:
    """Everything one person has done, and what is asked of them."""
    return _record(request, _record_person(request, person), "records/record.html")


def own_record(request: HttpRequest) -> HttpResponse:
    """One's own training record."""
    found = Person.objects.filter(account=request.user.pk).first()
    if found is None:
        return render(request, "records/own_record.html", {"person": None})
    return _record(request, found, "records/own_record.html")


def _record(request: HttpRequest, person: Person, template: str) -> HttpResponse:
    clocks = read_clocks(request.GET)
    day, known_on = clocks.asked.day, clocks.known.day
    # Of somebody to come what will be asked is shown as of their first day.
    starts_on = first_days([person.pk], day).get(person.pk) if day >= clock.today() else None
    rows = queries.requirements_of(person, starts_on or day, known_on)
    context = {
        "person": person,
        "sheet": person_sheet(person, starts_on or day),
        "starts_on": starts_on,
        "is_own": person.account_id == getattr(request.user, "pk", None),
        "rows": rows,
        "flags": seat_flags(rows, starts_on or day, known_on),
        "strips": strips.strips_of(person, day=day, known_on=known_on),
        "completions": completions_of(person, day=day, known_on=known_on),
        # How far somebody had come on a past day is not kept.
        "under_way": [v for v in views_of(open_enrolments(person)) if v.enrolment.begun_at] if clocks.is_today else [],
        "hours": hours_of(person, day=day, known_on=known_on),
        "skills": own_skills(person, day=starts_on or day, known_on=known_on),
        "may_change": clocks.is_today and policy.may(request.user, "change records", person),
        "sections": margin.sections("record", request, person, day),
        "verbs": margin.verb_links("record", request, person),
        **frame(request, clocks),
    }
    return render(request, template, context)


def transcript(request: HttpRequest, person: str, kind: str) -> HttpResponseBase:
    """Everything that one person has done, as PDF, CSV or JSON, by the clocks of the page it is asked from."""
    found = _record_person(request, person)
    clocks = read_clocks(request.GET)
    day, known_on = clocks.asked.day, clocks.known.day
    rows = transcripts.transcript_rows(found, day=day, known_on=known_on)
    hours = hours_of(found, day=day, known_on=known_on)
    name = f"transcript-{found.employee_number}-{day}"
    if kind == "csv":
        body = writing.as_csv(transcripts.HEADS, [[row.values for row in rows]])
        headers = {"Content-Disposition": f'attachment; filename="{name}.csv"'}
        return StreamingHttpResponse(body, content_type="text/csv; charset=utf-8", headers=headers)
    if kind == "json":
        return JsonResponse(
            machine_readable(found, rows, hours, day=day, known_on=known_on, organisation=organisation().name),
            headers={"Content-Disposition": f'attachment; filename="{name}.json"'},
            json_dumps_params={"indent": 2, "ensure_ascii": False},
        )
    if kind != "pdf":
        raise Http404
    places = person_sheet(found, day).present
    where = "; ".join(f"{p.position.name}, {p.unit.name}" if p.position else p.unit.name for p in places)
    pdf = transcripts.transcript_pdf(
        found, rows, hours, organisation=organisation().name, where=where, description=clocks.description
    )
    headers = {"Content-Disposition": f'inline; filename="{name}.pdf"'}
    return HttpResponse(pdf, content_type="application/pdf", headers=headers)


def why(request: HttpRequest, person: str, course: str) -> HttpResponse:
    """Why somebody stands so with a course."""
    found = _record_person(request, person)
    about = get_object_or_404(Course, public_id=course)
    clocks = read_clocks(request.GET)
    context = {
        "why": explain(found, about, day=clocks.asked.day, known_on=clocks.known.day),
        **frame(request, clocks),
    }
    is_own = found.account_id == getattr(request.user, "pk", None) and not policy.may(request.user, "open records")
    return render(request, "records/own_why.html" if is_own else "records/why.html", context)
