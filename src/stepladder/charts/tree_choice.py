"""A field for a node of a chart."""

from __future__ import annotations

from typing import Any

from django import forms
from django.forms.utils import flatatt
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from stepladder.charts.dated_charts import positions_tree, units_tree
from stepladder.charts.models import Chart, Position, Unit

__all__ = ["MANY_NODES", "TreeChoice"]

# A list of more nodes is no list to tick any more.
MANY_NODES = 150


class PlainSelect(forms.Select):
    """A select whose options are written in one go: Django renders a template for each, which takes a second for two thousand."""

    def render(self, name: str, value: Any, attrs: Any = None, renderer: Any = None) -> SafeString:
        chosen = set(self.format_value(value))
        selected = mark_safe(" selected")
        options = ((key, selected if str(key) in chosen else "", label) for key, label in self.choices)
        return format_html(
            '<select name="{}"{}>{}</select>',
            name,
            flatatt(self.build_attrs(self.attrs, attrs)),
            format_html_join("", '<option value="{}"{}>{}</option>', options),
        )


class TreeChoice(forms.ModelChoiceField[Any]):
    """A node of a chart, listed in the order of the chart, each under the one above it."""

    widget = PlainSelect

    def __init__(self, kind: type[Unit] | type[Position], **kwargs: Any) -> None:
        self._kind = kind
        super().__init__(kind.objects.all(), **kwargs)

    def __deepcopy__(self, memo: Any) -> TreeChoice:
        copy: TreeChoice = super().__deepcopy__(memo)
        return copy.listed()

    def listed(self, chart: Chart | None = None) -> TreeChoice:
        """The field with today's nodes to choose from, of one chart or of all."""
        if chart:
            self.queryset = self._kind.objects.filter(chart=chart)
        shown = set(self.queryset.values_list("pk", flat=True)) if self.queryset is not None else set()
        tree = units_tree() if self._kind is Unit else positions_tree()
        empty = ("", str(self.empty_label or "–"))
        self.choices = [empty, *((str(n), "\u2003" * d + tree.name[n]) for n, d in tree.walk() if n in shown)]
        return self
