"""Charts as trees on any day, a unit's or position's sheet, and changing them from a day on."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.charts import actions, queries
from stepladder.charts.forms import (
    ChartForm,
    CloseNodeForm,
    MoveNodeForm,
    NodeForm,
    RenameChartForm,
    RenameForm,
    SiteForm,
)
from stepladder.charts.models import Chart, Position, Unit
from stepladder.charts.pages import Act, act_of_sheet, act_page, first_day, the_day_after
from stepladder.charts.parts import part_of
from stepladder.journal.queries import history
from stepladder.web import margin, toasts
from stepladder.web.day_fields import OnDayForm

__all__ = [
    "chart",
    "charts",
    "close_node",
    "lock_node",
    "move_node",
    "new_chart",
    "new_node",
    "node",
    "order_nodes",
    "rename_chart",
    "rename_node",
    "site_node",
]


def _node(chart: Chart, public_id: str) -> Any:
    return get_object_or_404(queries.nodes_of(chart), public_id=public_id)


def _sheet(node: Unit | Position) -> str:
    return reverse("charts:node", args=[node.chart_id, node.public_id])


def charts(request: HttpRequest) -> HttpResponse:
    """To the main chart of units."""
    first = next(iter(queries.charts()), None)
    if first is None:
        raise Http404("No chart was made yet.")
    return redirect("charts:chart", first.pk)


def chart(request: HttpRequest, chart: int) -> HttpResponse:
    """One chart as a tree, on any day; today's and later ones are changed by dragging and by keys."""
    shown = get_object_or_404(Chart, pk=chart)
    day_form = OnDayForm(request.GET)
    day = day_form.day()
    may_change = bool(policy.may(request.user, "change charts"))
    around = queries.nodes_of(shown).filter(public_id=request.GET.get("in", "")).first()
    rows = queries.chart_rows(shown, day, around=around, part=None if may_change else part_of(request.user))
    context = {
        "chart": shown,
        "charts": queries.charts() if may_change else [shown],
        "rows": rows,
        "notes": margin.row_notes(shown.kind, [row.node.pk for row in rows], day),
        "verbs": margin.verb_links("chart", request, shown),
        "day": day,
        "day_form": day_form,
        "is_past": day < clock.today(),
        "may_change": may_change,
    }
    return render(request, "charts/chart.html", context, status=422 if day_form.errors else 200)


def new_chart(request: HttpRequest) -> HttpResponse:
    act = Act(
        title="New chart",
        verb="Make it",
        do=lambda data: actions.add_chart(by=account_of(request), **data),
        done_text=lambda made: f"“{made.name}” is there. Add its first node.",
        onwards=lambda made: reverse("charts:chart", args=[made.pk]),
        back=reverse("charts:charts"),
    )
    return act_page(request, ChartForm(request.POST or None), act)


def rename_chart(request: HttpRequest, chart: int) -> HttpResponse:
    found = get_object_or_404(Chart, pk=chart)
    address = reverse("charts:chart", args=[found.pk])
    act = Act(
        title=f"Rename {found.name}",
        verb="Rename it",
        do=lambda data: actions.rename_chart(chart=found, by=account_of(request), **data),
        done_text=lambda _: "The chart has its new name.",
        onwards=lambda _: address,
        back=address,
    )
    return act_page(request, RenameChartForm(request.POST or None, initial={"name": found.name}), act)


def new_node(request: HttpRequest, chart: int) -> HttpResponse:
    """A unit or position more in a chart."""
    found = get_object_or_404(Chart, pk=chart)
    under = queries.nodes_of(found).filter(public_id=request.GET.get("under", "")).first()
    form = NodeForm(request.POST or None, chart=found, initial={"under": under})
    address = reverse("charts:chart", args=[found.pk])
    act = Act(
        title=f"New {found.kind} in {found.name}",
        verb="Add it",
        do=lambda data: actions.add_node(chart=found, by=account_of(request), **data),
        done_text=lambda made: f"{made.name} is in the chart.",
        onwards=lambda made: address,
        back=address,
    )
    return act_page(request, form, act)


def node(request: HttpRequest, chart: int, node: str) -> HttpResponse:
    """A unit's or a position's sheet: what is handed in of it on a day, what hangs below it, where it hung when."""
    on_chart = get_object_or_404(Chart, pk=chart)
    found = _node(on_chart, node)
    may_change = bool(policy.may(request.user, "change charts"))
    if not may_change and not (isinstance(found, Unit) and found.pk in part_of(request.user)):
        raise Http404
    day_form = OnDayForm(request.GET)
    day = day_form.day()
    context = {
        "node": found,
        "chart": on_chart,
        "sheet": queries.node_sheet(found, day),
        "lines": margin.lines(on_chart.kind, request, found, day),
        "verbs": margin.verb_links(on_chart.kind, request, found),
        "branches": queries.branches_of(found),
        "day": day,
        "day_form": day_form,
        "may_change": may_change,
        "panels": margin.panels(on_chart.kind, request, found),
        "sections": margin.sections(on_chart.kind, request, found, day),
        "history": history(on_chart.kind, found.public_id),
        "unit": found,
    }
    return render(request, "charts/node.html", context, status=422 if day_form.errors else 200)


def move_node(request: HttpRequest, chart: int, node: str) -> HttpResponse:
    """Hang it somewhere else from a day on; what that would do stands in the margin."""
    found = _node(get_object_or_404(Chart, pk=chart), node)
    under = queries.nodes_of(found.chart).filter(public_id=request.GET.get("under", "")).first()
    form = MoveNodeForm(request.POST or None, node=found, initial={"under": under})
    act = act_of_sheet(
        (found.name, _sheet(found)),
        title=f"Move {found.name}",
        verb="Move it",
        do=lambda data: actions.move_node(node=found, by=account_of(request), **data),
        done_text=lambda _: f"{found.name} moves, and all below it.",
        onwards=reverse("charts:chart", args=[found.chart_id]),
        seen_on=first_day("from_day"),
    )
    return act_page(request, form, act)


def rename_node(request: HttpRequest, chart: int, node: str) -> HttpResponse:
    """Another name for a unit or a position from a day on."""
    found = _node(get_object_or_404(Chart, pk=chart), node)
    act = act_of_sheet(
        (found.name, _sheet(found)),
        title=f"Rename {found.name}",
        verb="Rename it",
        do=lambda data: (actions.rename_node(node=found, by=account_of(request), **data), data),
        done_text=lambda done: f"It is called {done[1]['name']} from then on.",
    )
    return act_page(request, RenameForm(request.POST or None, initial={"name": found.name}), act)


def site_node(request: HttpRequest, chart: int, node: str) -> HttpResponse:
    """Where a unit is from a day on."""
    found = _node(get_object_or_404(Chart, pk=chart, kind=Chart.Kind.UNIT), node)
    act = act_of_sheet(
        (found.name, _sheet(found)),
        title=f"Where {found.name} is",
        verb="Save it",
        do=lambda data: actions.change_site(node=found, by=account_of(request), **data),
        done_text=lambda _: f"{found.name} has its site.",
        seen_on=first_day("from_day"),
    )
    return act_page(request, SiteForm(request.POST or None), act)


def close_node(request: HttpRequest, chart: int, node: str) -> HttpResponse:
    """The last day of a unit or a position."""
    found = _node(get_object_or_404(Chart, pk=chart), node)
    act = act_of_sheet(
        (found.name, _sheet(found)),
        title=f"Close {found.name}",
        verb="Close it",
        do=lambda data: actions.close_node(node=found, by=account_of(request), **data),
        done_text=lambda _: f"{found.name} is closed from then on. Past days still show it.",
        onwards=reverse("charts:chart", args=[found.chart_id]),
        seen_on=the_day_after("to_day"),
    )
    return act_page(request, CloseNodeForm(request.POST or None), act)


@require_POST
def lock_node(request: HttpRequest, chart: int, node: str) -> HttpResponse:
    found = _node(get_object_or_404(Chart, pk=chart), node)
    is_locked = not found.is_locked
    actions.lock_node(node=found, is_locked=is_locked, by=account_of(request))
    done_text = "is locked: only who manages the charts places people there" if is_locked else "is no longer locked"
    toasts.say(request, f"{found.name} {done_text}.")
    return redirect(_sheet(found))


@require_POST
def order_nodes(request: HttpRequest, chart: int, node: str) -> HttpResponse:
    """Behind which other node of the chart it stands; the order is one for all days."""
    found = get_object_or_404(Chart, pk=chart)
    moved = _node(found, node)
    after = queries.nodes_of(found).filter(public_id=request.POST.get("after", "")).first()
    actions.order_nodes(chart=found, node=moved, after=after, by=account_of(request))
    return redirect("charts:chart", found.pk)
