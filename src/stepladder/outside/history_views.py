"""Files of what people completed before or elsewhere."""

from __future__ import annotations

from django.db.models import Count
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts.signed_in import account_of
from stepladder.core.history_import import COLUMNS, RowVerdict
from stepladder.outside import history
from stepladder.outside.forms import HistoryForm
from stepladder.outside.models import HistoryFile
from stepladder.queue.queries import under_way
from stepladder.records.frames import plain_frame
from stepladder.refusals import Refusal
from stepladder.tabular.responses import table_response
from stepladder.web import toasts
from stepladder.web.once import act_once
from stepladder.web.tables import page_of

HEADS = [("Row", ""), ("Who", ""), ("What", ""), ("Done on", ""), ("Valid until", ""), ("What becomes of it", "")]


def files(request: HttpRequest) -> HttpResponse:
    """The files that came in, the newest first; and a new one, which is looked through."""
    form = HistoryForm(request.POST or None, request.FILES or None)
    if request.method == "POST" and form.is_valid():
        sent = form.cleaned_data["file"]

        def act() -> str:
            made = history.judge_file(
                sent=sent.file or sent, name=sent.name or "file", size=sent.size or 0, by=account_of(request)
            )
            return reverse("outside:file", args=[made.public_id])

        try:
            return act_once(request, act)
        except Refusal as refusal:
            form.add_error("file", str(refusal))
    page = page_of(request, HistoryFile.objects.all(), [("File", ""), ("When", ""), ("Who", ""), ("State", "")])
    context = {"form": form, "page": page, "columns": [label for label, _ in COLUMNS.values()], **plain_frame(request)}
    return render(request, "outside/files.html", context, status=422 if form.errors else 200)


def sample(request: HttpRequest, kind: str) -> HttpResponseBase:
    """A file to fill in."""
    heads, row = history.sample()
    if kind not in ("csv", "xlsx"):
        raise Http404
    return table_response(kind, "history-sample", title="History", heads=heads, pieces=iter([[row]]), about=[])


def file(request: HttpRequest, public_id: str) -> HttpResponseBase:
    """One file, its rows with what becomes of each; those that are wrong as a file to be put right."""
    found = get_object_or_404(HistoryFile, public_id=public_id)
    counted = dict(found.rows.order_by().values_list("verdict").annotate(n=Count("pk")))
    chosen = request.GET.get("verdict", "")
    rows = found.rows.select_related("person", "course", "training__completion").order_by("number")
    if chosen in counted:
        rows = rows.filter(verdict=chosen)
    if request.GET.get("as") in ("csv", "xlsx"):
        wrong = found.rows.filter(verdict=RowVerdict.WRONG.value).order_by("number").values_list("cells", "reason")
        pieces = ([[*cells, reason]] for cells, reason in wrong.iterator())
        return table_response(
            request.GET["as"],
            "rows-to-put-right",
            title="Rows to put right",
            heads=[*found.heads, "Why not"],
            pieces=pieces,
            about=[("file", found.name)],
        )
    context = {
        "file": found,
        "counts": [(verdict.value, counted.get(verdict.value, 0)) for verdict in RowVerdict],
        "good": counted.get(RowVerdict.COUNTS.value, 0) + counted.get(RowVerdict.HISTORY.value, 0),
        "chosen": chosen,
        "page": page_of(request, rows, HEADS, numeric=frozenset({"Row"})),
        "progress": under_way("history file", found.public_id),
        **plain_frame(request),
    }
    return render(request, "outside/file.html", context)


@require_POST
def carry_out(request: HttpRequest, public_id: str) -> HttpResponse:
    """Record a file, or take it back (`act`)."""
    found = get_object_or_404(HistoryFile, public_id=public_id)
    address = reverse("outside:file", args=[found.public_id])

    def act() -> str:
        if request.POST.get("act") == "return":
            count = history.return_file(file=found, by=account_of(request))
            toasts.say(request, f"{count} row{'s' if count != 1 else ''} taken back.")
        else:
            count = history.record_file(file=found, by=account_of(request))
            toasts.say(
                request, f"{count} row{'s' if count != 1 else ''} recorded; what follows from them comes in pieces."
            )
        return address

    try:
        return act_once(request, act)
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
        return redirect(address)
