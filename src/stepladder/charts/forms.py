"""Charts and their nodes."""

from __future__ import annotations

from typing import Any

from django import forms

from stepladder import clock
from stepladder.charts.dated_charts import positions_tree, units_tree
from stepladder.charts.models import BEGINNING, Chart, Position, Site, Unit
from stepladder.charts.tree_choice import TreeChoice
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm

__all__ = [
    "ChartForm",
    "CloseNodeForm",
    "MoveNodeForm",
    "NodeForm",
    "RenameChartForm",
    "RenameForm",
    "SiteForm",
]


def _kind(chart: Chart) -> type[Unit] | type[Position]:
    return Unit if chart.kind == Chart.Kind.UNIT else Position


class ChartForm(CommonForm, forms.Form):
    kind = forms.ChoiceField(label="Of", choices=Chart.Kind.choices)
    name = forms.CharField(label="Name", max_length=120)


class RenameChartForm(CommonForm, forms.Form):
    name = forms.CharField(label="Name", max_length=120)


class NodeForm(CommonForm, forms.Form):
    """A new unit or position of a chart."""

    name = forms.CharField(label="Name", max_length=120)

    def __init__(self, *args: Any, chart: Chart, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        below = TreeChoice(_kind(chart), label="Below", required=False, empty_label="Nothing: at the top")
        self.fields["under"] = below.listed(chart)
        if chart.kind == Chart.Kind.UNIT:
            self.fields["site"] = forms.ModelChoiceField(
                Site.objects.order_by("name"), label="Site", required=False, empty_label="That of the unit above"
            )
        self.fields["from_day"] = DayField(
            label="From", required=False, help_text="Empty: as if it had always been there."
        )

    def clean_from_day(self) -> Any:
        return self.cleaned_data["from_day"] or BEGINNING


class MoveNodeForm(CommonForm, forms.Form):
    """Where a node hangs from a day on: anywhere in its chart but below itself."""

    def __init__(self, *args: Any, node: Unit | Position, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        kind = type(node)
        below = TreeChoice(kind, label="Below", required=False, empty_label="Nothing: at the top").listed(node.chart)
        tree = units_tree() if kind is Unit else positions_tree()
        at_or_below = {str(key) for key in tree.below(node.pk)} if node.pk in tree.parent else {str(node.pk)}
        offered: list[Any] = list(below.choices)  # type: ignore[arg-type]  # listed() made it a list of pairs
        below.choices = [choice for choice in offered if str(choice[0]) not in at_or_below]
        self.fields["under"] = below
        self.fields["from_day"] = DayField(label="From", initial=clock.today)


class RenameForm(CommonForm, forms.Form):
    name = forms.CharField(label="Name", max_length=120)
    from_day = DayField(label="From", initial=clock.today, help_text="Days before still show the old name.")


class SiteForm(CommonForm, forms.Form):
    site = forms.ModelChoiceField(
        Site.objects.order_by("name"), label="Site", required=False, empty_label="That of the unit above"
    )
    from_day = DayField(label="From", initial=clock.today)


class CloseNodeForm(CommonForm, forms.Form):
    to_day = DayField(label="Last day", initial=clock.today)
