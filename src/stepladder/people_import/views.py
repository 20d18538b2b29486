"""Imports: the files that came in, what each would do, and carrying it out."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.charts.dated_charts import positions_tree, units_tree
from stepladder.charts.errors import NodeThere
from stepladder.charts.models import Chart, Position, Unit
from stepladder.core.numbers import whole_number
from stepladder.core.people_import import COLUMNS, FIELD
from stepladder.journal import undoing
from stepladder.journal.undoing import CannotTakeBack
from stepladder.people.actions import invite_many
from stepladder.people.actions.many import Done
from stepladder.people.errors import PeopleError
from stepladder.people.models import Person
from stepladder.people_import import actions as importing
from stepladder.people_import.errors import ImportUnready
from stepladder.people_import.forms import FileForm, MissingForm
from stepladder.people_import.models import Import
from stepladder.people_import.preview import EXAMPLES, MOST_WORDS, column_help, people_of, unknown_words
from stepladder.people_import.samples import XLSX, sample_csv, sample_xlsx
from stepladder.people_import.tasks import apply_import as apply_task
from stepladder.people_import.tasks import look_through_import
from stepladder.people_import.tasks import return_import as return_task
from stepladder.people_import.world import asked_fields
from stepladder.queue.actions import Queue, later
from stepladder.web import toasts
from stepladder.web.once import act_once
from stepladder.web.tables import page_of

BUSY = (Import.State.LOOKING, Import.State.APPLYING, Import.State.RETURNING)
VERDICTS = ("new", "changed", "ended", "wrong", "same")


def imports(request: HttpRequest) -> HttpResponse:
    """Every file that came in, the newest first; and a new one."""
    form = FileForm(request.POST or None, request.FILES or None)

    if request.method == "POST" and form.is_valid():
        file, by = form.cleaned_data["file"], account_of(request)
        job = importing.read_import(file_name=file.name or "file", body=file.read(), by=by)

        def act() -> str:
            importing.keep_import(job=job, by=by)
            return reverse("people_import:import", args=[job.public_id])

        onwards = act_once(request, act)
        if job.pk is None:
            # The form had been taken already.
            importing.path_of(job).unlink(missing_ok=True)
        return onwards
    heads = [("File", ""), ("When", ""), ("Who", ""), ("Rows", ""), ("State", "")]
    context = {
        "form": form,
        "known_columns": column_help(),
        "fields": [field.name for field in asked_fields()],
        "page": page_of(request, Import.objects.select_related("account"), heads),
    }
    return render(request, "people_import/imports.html", context, status=422 if form.errors else 200)


def sample(request: HttpRequest, kind: str) -> HttpResponse:
    """A file to fill in, as CSV or XLSX: every column that is known, and one row to be written over."""
    columns = [key for key in EXAMPLES if key != "name"]
    heads = [COLUMNS[key][0] for key in columns] + [field.name for field in asked_fields()]
    row = [EXAMPLES[key][0] for key in columns] + [""] * (len(heads) - len(columns))
    if kind == "csv":
        body, content = sample_csv(heads, row), "text/csv; charset=utf-8"
    else:
        body, content = sample_xlsx(heads, row), XLSX
    how = content_disposition_header(as_attachment=True, filename=f"people.{kind}")
    return HttpResponse(body, content_type=content, headers={"Content-Disposition": how or "attachment"})


def import_page(request: HttpRequest, public_id: str) -> HttpResponse:
    """One import at whatever it is at. Its progress is a part of the page."""
    job = get_object_or_404(Import, public_id=public_id)
    if request.htmx and request.GET.get("part") == "progress":  # type: ignore[attr-defined]  # set by the middleware
        busy = job.state in BUSY
        answer = render(request, "people_import/import_progress.html", {"job": job})
        if not busy:
            answer.headers["HX-Refresh"] = "true"
        return answer
    return render(request, "people_import/import.html", _context(request, job))


def _context(request: HttpRequest, job: Import) -> dict[str, Any]:
    counts = Counter(job.rows.values_list("verdict", flat=True))
    shown = request.GET.get("show", "")
    rows = job.rows.order_by("number")
    if shown == "missing":
        rows = rows.filter(is_missing=True)
    else:
        rows = rows.filter(verdict=shown) if shown in VERDICTS else rows.exclude(verdict="same")
    columns, yesterday = _columns(job), clock.today() - timedelta(days=1)
    first = {
        "missing": "leave" if job.missing_left_on else "stay",
        "last_day": job.missing_left_on or yesterday,
        "unit": job.missing_in_id,
    }
    return {
        "job": job,
        "busy": job.state in BUSY,
        "columns": columns,
        "choices": _choices(),
        "missing_form": MissingForm(initial=first),
        "counts": [(verdict, counts[verdict]) for verdict in VERDICTS if counts[verdict]],
        "usable": sum(counts[verdict] for verdict in ("new", "changed", "ended")),
        "wrong": counts["wrong"],
        "left_out": [column["head"] for column in columns if not column["is"]],
        "shown": shown,
        "page": (page := page_of(request, rows, [("Row", ""), ("What", ""), ("Who", ""), ("", "")])),
        "who": _who(job),
        "people": people_of(job, page.rows),
        "cells_asked": [(n, c["head"] or c["is"]) for n, c in enumerate(columns) if c["is"]],
        "unknown": unknown_words(job) if job.state == Import.State.LOOKED else [],
        "units": [(key, depth, units_tree().name[key]) for key, depth in units_tree().walk()],
        "positions": [(key, depth, positions_tree().name[key]) for key, depth in positions_tree().walk()],
        "in_doubt": job.rows.filter(notes__icontains="it could be").count() if job.days_in_doubt else 0,
        "to_invite": len(_to_invite(job, request)) if job.state == Import.State.DONE else 0,
    }


def _to_invite(job: Import, request: HttpRequest) -> list[Person]:
    """Those who came in by the file, have an e-mail and no sign-in, and whom the account may invite."""
    rows = job.rows.filter(verdict="new", is_applied=True).order_by("number")
    came = [person.pk for person in people_of(job, rows).values() if person.email and person.account_id is None]
    shown = policy.visible(request.user, "invite", Person.objects.filter(pk__in=came).select_related("account"))
    return list(shown.order_by("family_name", "given_name", "pk"))


def _choices() -> list[tuple[str, str]]:
    fields = [(f"{FIELD}{f.key}", f.name) for f in asked_fields()]
    return [("", "leave it out"), *((key, label) for key, (label, _) in COLUMNS.items()), *fields]


def _columns(job: Import) -> list[dict[str, Any]]:
    first = job.rows.order_by("number").values_list("cells", flat=True).first() or importing.first_cells(job)
    return [
        {"head": head, "is": column["is"], "by": column["by"], "doubt": column["doubt"], "sample": sample}
        for head, column, sample in zip(job.heads, job.columns, [*first, *[""] * len(job.heads)], strict=False)
    ]


def _who(job: Import) -> list[int]:
    """The places of the cells that tell who a row is about."""
    wanted = ("number", "given", "family", "name")
    return [n for n, column in enumerate(job.columns) if column["is"] in wanted]


@require_POST
def columns(request: HttpRequest, public_id: str) -> HttpResponse:
    """What each column is, and what of those who are missing; then the file is looked through."""
    job = get_object_or_404(Import, public_id=public_id)
    sent = [request.POST.get(f"column-{n}", "") for n in range(len(job.heads))]
    allowed = {key for key, _ in _choices()}
    chosen = [column if column in allowed else "" for column in sent]
    day_first, form, refused = request.POST.get("days") != "month", MissingForm(request.POST), ""
    if form.is_valid():
        try:
            with transaction.atomic():
                importing.choose_columns(
                    job=job, columns=chosen, day_first=day_first, missing=form.chosen(), by=account_of(request)
                )
                later(look_through_import, queue=Queue.BULK, job_id=job.pk)
            return redirect("people_import:import", public_id)
        except ImportUnready as refusal:
            refused = str(refusal)
    if job.state not in (Import.State.COLUMNS, Import.State.LOOKED):
        toasts.trouble(request, refused or "This import is under way or done.")
        return redirect("people_import:import", public_id)
    context = _context(request, job)
    shown = [
        {**column, "is": key, "by": "", "doubt": ""} for column, key in zip(context["columns"], chosen, strict=True)
    ]
    job.day_first = day_first
    context |= {"columns": shown, "missing_form": form, "refused": refused}
    return render(request, "people_import/import.html", context, status=422)


@require_POST
def sheet(request: HttpRequest, public_id: str) -> HttpResponse:
    """Another sheet of the workbook."""
    job = get_object_or_404(Import, public_id=public_id)
    wanted = request.POST.get("sheet", "")
    try:
        if wanted in job.sheets:
            importing.choose_sheet(job=job, sheet=wanted, by=account_of(request))
    except ImportUnready as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("people_import:import", public_id)


@require_POST
def meaning(request: HttpRequest, public_id: str) -> HttpResponse:
    """What words of the file mean: of each `kind-n`, `text-n` and `node-n`, the key of a node, "new" for one that is to be made, or
    nothing yet."""
    job = get_object_or_404(Import, public_id=public_id)
    meant: dict[str, Unit | Position] = {}
    new: list[tuple[str, str]] = []
    for n in range(MOST_WORDS):
        kind, text = (request.POST.get(f"{name}-{n}", "").strip() for name in ("kind", "text"))
        chosen = request.POST.get(f"node-{n}", "")
        if not text or not chosen or kind not in Chart.Kind.values:
            continue
        if chosen == "new":
            new.append((kind, text[:120]))
        else:
            of: type[Unit | Position] = Unit if kind == Chart.Kind.UNIT else Position
            node: Any = get_object_or_404(of, pk=whole_number(chosen) or 0)
            meant[text] = node
    if not meant and not new:
        toasts.trouble(request, "Choose first what a word means. Nothing was changed.")
        return redirect("people_import:import", public_id)
    return _look_again(
        request, job, lambda: importing.keep_meanings(job=job, meant=meant, new=new, by=account_of(request))
    )


@require_POST
def correct(request: HttpRequest, public_id: str) -> HttpResponse:
    """The cells of a row put right: `line`, and `cell-<number>` for each that was changed."""
    job = get_object_or_404(Import, public_id=public_id)
    line = whole_number(request.POST.get("line", ""))
    row = get_object_or_404(job.rows, number=line, is_missing=False)
    cells = {}
    for n in range(len(job.columns)):
        sent = request.POST.get(f"cell-{n}")
        if sent is not None and sent.strip() != (row.cells[n] if n < len(row.cells) else ""):
            cells[n] = sent.strip()
    return _look_again(
        request, job, lambda: importing.correct_row(job=job, line=row.number, cells=cells, by=account_of(request))
    )


def _look_again(request: HttpRequest, job: Import, do: Callable[[], None]) -> HttpResponse:
    try:
        with transaction.atomic():
            do()
            later(look_through_import, queue=Queue.BULK, job_id=job.pk)
    except (ImportUnready, NodeThere) as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("people_import:import", job.public_id)


@require_POST
def invite(request: HttpRequest, public_id: str) -> HttpResponse:
    """Invite all who came in by the file and can be."""
    job = get_object_or_404(Import, public_id=public_id)

    def act() -> str:
        with undoing.watched() as watched:
            done = invite_many(people=_to_invite(job, request), by=account_of(request))
        toasts.say(request, done_text(done), act=watched.act)
        return reverse("people_import:import", args=[public_id])

    try:
        return act_once(request, act)
    except PeopleError as refusal:
        toasts.trouble(request, str(refusal))
        return redirect("people_import:import", public_id)


def done_text(done: Done) -> str:
    """How many were invited, and who could not be."""
    over = (
        f" Passed over: {'; '.join(done.passed_over[:4])}{'…' if len(done.passed_over) > 4 else ''}."
        if done.passed_over
        else ""
    )
    return f"{done.count} invited; each has a link and what is asked of them.{over}"


@require_POST
def apply_import(request: HttpRequest, public_id: str) -> HttpResponse:
    """Carry it out."""
    job = get_object_or_404(Import, public_id=public_id)
    try:
        with transaction.atomic():
            importing.apply_import(job=job, by=account_of(request))
            later(apply_task, queue=Queue.BULK, job_id=job.pk)
    except ImportUnready as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("people_import:import", public_id)


@require_POST
def back(request: HttpRequest, public_id: str) -> HttpResponse:
    """Take the whole import back."""
    job = get_object_or_404(Import, public_id=public_id)
    try:
        with transaction.atomic():
            importing.return_import(job=job, by=account_of(request))
            later(return_task, queue=Queue.BULK, job_id=job.pk)
    except (CannotTakeBack, ImportUnready) as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("people_import:import", public_id)


def file(request: HttpRequest, public_id: str) -> HttpResponse:
    """The file as it came in."""
    job = get_object_or_404(Import, public_id=public_id)
    path = importing.path_of(job)
    if not path.exists():
        raise Http404
    how = content_disposition_header(as_attachment=True, filename=job.file_name)
    return HttpResponse(
        path.read_bytes(), content_type="application/octet-stream", headers={"Content-Disposition": how or "attachment"}
    )
