"""The forms of reports."""

from __future__ import annotations

from typing import Any

from django import forms

from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.reports.models import KeptReport
from stepladder.web.forms import CommonForm

__all__ = ["KeepForm", "SendForm", "readers"]


def readers() -> list[Account]:
    """Who may be sent reports: whoever may open records, by name."""
    return [
        account
        for account in Account.objects.filter(is_active=True).order_by("name", "pk")
        if policy.may(account, "open records")
    ]


class KeepForm(CommonForm, forms.Form):
    """Under which name a report is kept."""

    name = forms.CharField(label="Keep it as", max_length=80)


class SendForm(CommonForm, forms.Form):
    """On which days a kept report is sent, and to whom."""

    days = forms.ChoiceField(label="Send it", choices=KeptReport.Days.choices, required=False)
    to = forms.MultipleChoiceField(label="To", required=False, widget=forms.CheckboxSelectMultiple)

    def __init__(self, *args: Any, people: list[Account], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["to"].choices = [(account.public_id, account.name) for account in people]  # type: ignore[attr-defined]
