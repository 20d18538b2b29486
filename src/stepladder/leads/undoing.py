"""Taking back acts on leads: nothing depends on them, and nothing is derived from them."""

from __future__ import annotations

from stepladder.charts.undoing import days_in_words
from stepladder.journal import undoing
from stepladder.leads.models import Lead
from stepladder.leads.queries import lead_says

__all__ = ["hand_in"]


def hand_in() -> None:
    """Leads, and the verbs that write them."""
    undoing.add_table(Lead, says=lambda row: f"{lead_says(row)}, {days_in_words(row)}", after=lambda rows, act: None)
    undoing.add_verbs("change leads", "give_lead", "end_lead")
