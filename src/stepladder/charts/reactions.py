"""What People does when an installation is set up."""

from __future__ import annotations

from stepladder import events
from stepladder.charts.actions import make_main_charts
from stepladder.journal.actions import Machine

__all__ = ["on_set_up"]


def on_set_up(event: events.InstallationSetUp, act: events.Act) -> None:
    """Charts to begin with, so that the first person can be hired."""
    make_main_charts(organisation=event.organisation, by=Machine("Set-up"))
