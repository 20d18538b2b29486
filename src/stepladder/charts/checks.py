"""Whether every chart is a tree on every day: for `ladder verify`."""

from __future__ import annotations

from collections.abc import Iterator

from stepladder.charts.dated_charts import dated_chart
from stepladder.charts.models import Position, Unit
from stepladder.core.charts import ChartError

__all__ = ["charts_awry"]


def charts_awry() -> Iterator[str]:
    """A sentence for each chart that is no tree."""
    for kind, name in ((Unit, "units"), (Position, "positions")):
        try:
            dated_chart(kind).check()
        except ChartError as error:
            yield f"The chart of {name} is no tree: {error}"
