"""Taking back acts on leads: nothing depends on them, and nothing is derived from them."""

from __future__ import annotations

from stepladder.charts.undoing import days_in_words
from stepladder.journal import undoing
from stepladder.leads.models import Lead
from stepladder.leads.queries import describe_lead

__all__ = ["register"]


def register() -> None:
    """Leads, and the verbs that write them."""
    undoing.add_table(
        Lead, describe=lambda row: f"{describe_lead(row)}, {days_in_words(row)}", after=lambda rows, act: None
    )
    undoing.add_verbs("change leads", "give_lead", "end_lead")
