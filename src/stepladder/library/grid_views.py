"""The grid, and tables of it as files: out, and in again."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

from django.core.exceptions import BadRequest
from django.db import transaction
from django.http import HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts.signed_in import account_of
from stepladder.library import bringing, columns, finding, grid, queries
from stepladder.library.details import DETAILS, PICTURE, details_of, suggestions
from stepladder.library.errors import LibraryError
from stepladder.library.list_views import editable_binders, filters_of, list_choices
from stepladder.library.models import DetailTable, Module
from stepladder.library.tasks import change_by_table, look_through_table, return_table
from stepladder.queue.actions import Queue, later
from stepladder.tabular.responses import table_response
from stepladder.topics.naming import topic_names
from stepladder.web import toasts
from stepladder.web.tables import page_of

# So many modules stand in the grid at once.
ROWS = 100
# A save of the grid has at most so many cells: what is pasted into a page.
MOST_CELLS = ROWS * (len(DETAILS) + 1)
MOST_BYTES = 20 * 1024**2
HEADS = ["Id", "Binder", "Folder", "Kind", "File", *(detail.heading for detail in DETAILS.values())]
BUSY = (DetailTable.State.LOOKING, DetailTable.State.CHANGING, DetailTable.State.RETURNING)


def _modules(request: HttpRequest, filters: finding.Filters) -> Any:
    found = finding.find(request.user, filters)
    if isinstance(found, finding.FoundModules):
        # Words narrow the grid; its order is that of titles.
        keys = [row.module.pk for row in found[: ROWS * 20]]
        found = Module.objects.filter(pk__in=keys)
    return queries.newest_versions(found).select_related("binder", "folder").order_by("title", "pk")


def show_grid(request: HttpRequest) -> HttpResponse:
    """Modules as a sheet of cells to be edited."""
    filters = filters_of(request)
    page = page_of(request, _modules(request, filters), [], per_page=ROWS)
    editable = frozenset(binder.pk for binder in editable_binders(request))
    context = {
        **list_choices(request, filters),
        "binders": queries.binders(request.user),
        "binder": filters.binder,
        "page": page,
        "rows": grid.grid_rows(page.rows, editable),
        "columns": list(DETAILS.values()),
        "told": columns.headings(),
        "suggested": suggestions(topic_names()),
        "query": request.GET.urlencode(),
        "tables": DetailTable.objects.filter(account=account_of(request))[:5],
    }
    return render(request, "library/grid.html", context)


@require_POST
def save_grid(request: HttpRequest) -> JsonResponse:
    """Cells of the grid, as JSON: {"cells": [[module, detail, text, text that was given]]}; what became of each."""
    try:
        sent = json.loads(request.body)["cells"]
        cells = [grid.Cell(*map(str, cell)) for cell in sent]
    except (ValueError, KeyError, TypeError) as error:
        raise BadRequest("These are no cells.") from error
    if len(cells) > MOST_CELLS or any(cell.detail not in (*DETAILS, PICTURE) for cell in cells):
        raise BadRequest("More cells than a page of the grid has, or others.")
    try:
        saved = grid.save_cells(cells, by=account_of(request))
    except LibraryError as refusal:
        return JsonResponse({"kept": [], "wrong": [], "says": str(refusal)})
    kept = [[cell.module, cell.detail, cell.text] for cell in saved.kept]
    wrong = [[cell.module, cell.detail, cell.message, cell.kept] for cell in saved.wrong]
    return JsonResponse({"kept": kept, "wrong": wrong, "says": ""})


def _pieces(modules: Any) -> Iterator[list[list[Any]]]:
    """Rows for a file, piece by piece, so that a list of any length takes no more memory."""
    names, keys = topic_names(), list(modules.values_list("pk", flat=True))
    for start in range(0, len(keys), 500):
        piece = {m.pk: m for m in modules.filter(pk__in=keys[start : start + 500])}
        told = columns.told_of(list(piece))
        yield [[*_line(piece[key], names), *told[key]] for key in keys[start : start + 500] if key in piece]


def _line(module: Module, names: Any) -> list[Any]:
    values, newest = details_of(module), queries.newest_of(module)
    folder = module.folder.name if module.folder else ""
    file = newest[0].file_name if newest else ""
    said = [values[n] if n == "minutes" else DETAILS[n].said(values[n], names) for n in DETAILS]
    return [module.public_id, module.binder.name, folder, module.kind, file, *said]


def grid_file(request: HttpRequest) -> HttpResponseBase:
    """What the grid shows, all of it, as CSV or as a workbook; edited, it can be brought in again."""
    filters = filters_of(request)
    modules = _modules(request, filters)
    about = [
        ("What this is", "Details of modules. Change them, and bring this file in again on the page of the grid."),
        ("Id", "says which module a row is about; leave it as it is."),
        *((d.heading, "; ".join(words)) for n, words in suggestions(topic_names()).items() if (d := DETAILS[n])),
    ]
    return table_response(
        "xlsx" if request.GET.get("as") == "xlsx" else "csv",
        f"modules-{clock.today()}",
        title="Modules",
        heads=[*HEADS, *columns.headings()],
        pieces=_pieces(modules),
        about=about,
    )


@require_POST
def bring_table(request: HttpRequest) -> HttpResponse:
    """A table that was edited elsewhere; it is looked through, and nothing changes yet."""
    sent = request.FILES.get("table")
    if sent is None or (sent.size or 0) > MOST_BYTES:
        toasts.trouble(request, "Choose a table (.csv or .xlsx) of at most 20 MB.")
        return redirect("library:grid")
    with transaction.atomic():
        table = bringing.keep_table(file_name=sent.name or "table", body=sent.read(), by=account_of(request))
        later(look_through_table, queue=Queue.NOW, table_id=table.pk)
    return redirect("library:table", public_id=table.public_id)


def _table(request: HttpRequest, public_id: str) -> DetailTable:
    return get_object_or_404(DetailTable, public_id=public_id, account=account_of(request))


def show_table(request: HttpRequest, public_id: str) -> HttpResponse:
    """A table that was brought in: every change that it makes, what is wrong in it, and how far it is."""
    table = _table(request, public_id)
    busy = table.state in BUSY
    if request.htmx and request.GET.get("part") == "progress":  # type: ignore[attr-defined]  # set by the middleware
        answer = render(request, "library/table_progress.html", {"table": table})
        if not busy:
            answer.headers["HX-Refresh"] = "true"
        return answer
    context = {
        "table": table,
        "busy": busy,
        "unknown": [
            head for head, meaning in table.columns if not meaning and head not in (*HEADS, *columns.headings())
        ],
        "page": page_of(request, table.changes, [("Row", ""), ("Module", ""), ("What changes", "")]),
        "binders": queries.binders(request.user),
    }
    return render(request, "library/table.html", context)


@require_POST
def settle_table(request: HttpRequest, public_id: str) -> HttpResponse:
    """Carry a table out, or take it back, as `do` says."""
    table, by = _table(request, public_id), account_of(request)
    try:
        with transaction.atomic():
            if request.POST.get("do") == "back":
                bringing.set_returning(table=table, by=by)
                later(return_table, queue=Queue.NOW, table_id=table.pk)
            else:
                bringing.set_changing(table=table, by=by)
                later(change_by_table, queue=Queue.NOW, table_id=table.pk)
    except LibraryError as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("library:table", public_id=public_id)
