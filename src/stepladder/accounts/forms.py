"""Signing in and one's settings."""

from __future__ import annotations

import re
import secrets
from math import ceil
from typing import Any
from zoneinfo import available_timezones

from django import forms
from django.conf import settings
from django.contrib.auth import authenticate
from django.contrib.auth.password_validation import validate_password
from django.http import HttpRequest
from django.utils.dates import MONTHS, WEEKDAYS

from stepladder.accounts import policy
from stepladder.accounts.guesses import Tries, address_of
from stepladder.accounts.models import Account, Organisation
from stepladder.accounts.switches import switches
from stepladder.web.forms import CommonForm


class SignInForm(CommonForm, forms.Form):
    email = forms.EmailField(label="E-mail", widget=forms.EmailInput(attrs={"autocomplete": "username"}))
    password = forms.CharField(
        label="Password", strip=False, widget=forms.PasswordInput(attrs={"autocomplete": "current-password"})
    )

    def __init__(self, *args: object, request: HttpRequest, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        self.request = request
        self.account: Account | None = None

    def clean(self) -> dict[str, object]:
        data = super().clean() or {}
        if data.get("email") and data.get("password"):
            tries = Tries(data["email"].lower(), address_of(self.request))
            wait = tries.begin()
            if wait is not None:
                minutes = ceil(wait.total_seconds() / 60)
                raise forms.ValidationError(
                    f"Too many wrong passwords came in. Try again in {minutes} minute{'s' if minutes > 1 else ''}, "
                    "or choose a new one by “Forgotten the password?”."
                )
            found = authenticate(self.request, username=data["email"].lower(), password=data["password"])
            if isinstance(found, Account):
                tries.was_right()
            else:
                tries.was_wrong()
                raise forms.ValidationError(
                    "That e-mail and password do not belong together. Check both and try again."
                )
            self.account = found
        return data


class ForgottenForm(CommonForm, forms.Form):
    email = forms.EmailField(label="Your e-mail", widget=forms.EmailInput(attrs={"autocomplete": "username"}))


class PasswordForm(CommonForm, forms.Form):
    """The password one chooses by a link."""

    password = forms.CharField(
        label="Your new password", strip=False, widget=forms.PasswordInput(attrs={"autocomplete": "new-password"})
    )

    def __init__(self, *args: object, account: Account, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        self.account = account

    def clean_password(self) -> str:
        password: str = self.cleaned_data["password"]
        validate_password(password, self.account)
        return password


def zones() -> list[tuple[str, str]]:
    """The time zones that have a place in their name, by continent."""
    return [(name, name.replace("_", " ")) for name in sorted(available_timezones()) if "/" in name]


class SetUpForm(CommonForm, forms.Form):
    """What an empty installation needs; the code was printed where it was started."""

    code = forms.CharField(label="Set-up code", help_text="Printed where this installation was started.")
    organisation = forms.CharField(label="Organisation", max_length=200)
    zone = forms.ChoiceField(
        label="Time zone", choices=zones, initial="Europe/London", help_text="A day begins and ends by it."
    )
    name = forms.CharField(label="Your name", max_length=200)
    email = forms.EmailField(label="Your e-mail")
    password = forms.CharField(
        label="A password", strip=False, widget=forms.PasswordInput(attrs={"autocomplete": "new-password"})
    )

    def clean_code(self) -> str:
        code: str = self.cleaned_data["code"].strip()
        path = settings.DATA_DIR / "set-up-code"
        if not path.exists() or not secrets.compare_digest(path.read_text().strip().encode(), code.encode()):
            raise forms.ValidationError("This is not the code. It was printed where this installation was started.")
        return code

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if data.get("password"):
            try:
                validate_password(data["password"], Account(email=data.get("email", ""), name=data.get("name", "")))
            except forms.ValidationError as error:
                self.add_error("password", error)
        return data


class SettingsForm(CommonForm, forms.ModelForm[Account]):
    class Meta:
        model = Account
        fields = ("theme", "single_keys", "suggestions", "wants_journal_head")
        labels = {
            "suggestions": "Remind me of what is only suggested",
            "theme": "Appearance",
            "single_keys": "Single keys act (1–7, /, ?)",
            "wants_journal_head": "Send me the journal’s head every day",
        }
        help_texts = {
            "suggestions": "What is mandatory is told on its day in any case.",
            "wants_journal_head": "One line by e-mail, to be kept elsewhere: it shows later whether the journal was changed or cut.",
        }

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["suggestions"].required = False
        if not policy.may(self.instance, "read the journal"):
            del self.fields["wants_journal_head"]

    def clean_suggestions(self) -> str:
        """As it was, where a form that was opened before there was a choice does not say."""
        said: str = self.cleaned_data["suggestions"]
        return said or Account.objects.values_list("suggestions", flat=True).get(pk=self.instance.pk)


# Labels of a server's name, parted by points: no address, no port, no star.
_HOST = re.compile(r"(?=.{4,253}$)([a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?\.)+[a-z][a-z0-9-]{1,62}")
MOST_HOSTS = 100


class HostsField(forms.CharField):
    """Sites, one a line."""

    def __init__(self, **kwargs: Any) -> None:
        kwargs.pop("encoder", None)
        kwargs.pop("decoder", None)
        label = "Sites from which lessons may show pages, film and sound, one a line"
        help_text = (
            "“charts.example” stands for what is below it too. A page of another site is not shown, only linked."
        )
        super().__init__(
            **kwargs | {"label": label, "help_text": help_text, "widget": forms.Textarea(attrs={"rows": 3})}
        )

    def prepare_value(self, value: Any) -> Any:
        return "\n".join(value) if isinstance(value, list) else value

    def clean(self, value: Any) -> list[str]:
        hosts = list(
            dict.fromkeys(line.strip().lower() for line in str(value or "")[:40_000].splitlines() if line.strip())
        )
        for host in hosts:
            if not _HOST.fullmatch(host):
                raise forms.ValidationError(f"“{host[:80]}” is no site. Write its name alone, such as charts.example.")
        if len(hosts) > MOST_HOSTS:
            raise forms.ValidationError(f"These are {len(hosts)} sites; {MOST_HOSTS} is the most.")
        return hosts


class OrganisationForm(CommonForm, forms.ModelForm[Organisation]):
    """How the organisation is called, and how it counts days."""

    zone = forms.ChoiceField(label="Time zone", choices=zones, help_text="A day begins and ends by it.")
    first_weekday = forms.TypedChoiceField(label="A week begins on", coerce=int, choices=list(WEEKDAYS.items()))
    first_month = forms.TypedChoiceField(
        label="The year begins in",
        coerce=int,
        choices=list(MONTHS.items()),
        help_text="Quarters count from it: “by the end of the quarter”, “start of this year”.",
    )

    allowed = forms.MultipleChoiceField(
        label="People may, or see of each other", required=False, widget=forms.CheckboxSelectMultiple
    )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        embeds = self.fields["embed_hosts"]
        embeds.label = "Sites that may show embedded paths within their pages, one a line"
        embeds.help_text = "“intranet.example” stands for what is below it too. Every other site shows an empty frame."
        field = self.fields["allowed"]
        assert isinstance(field, forms.MultipleChoiceField)
        field.choices = [(one.name, one.label) for one in switches()]
        self.initial["allowed"] = [one.name for one in switches() if one.name not in self.instance.switched_off]

    def save(self, commit: bool = True) -> Organisation:
        known = [one.name for one in switches()]
        # What no app knows any more stays as it was.
        others = [name for name in self.instance.switched_off if name not in known]
        self.instance.switched_off = others + [name for name in known if name not in self.cleaned_data["allowed"]]
        return super().save(commit)

    class Meta:
        model = Organisation
        fields = (
            "name",
            "zone",
            "first_weekday",
            "first_month",
            "day_order",
            "begins_early",
            "notice_days",
            "soon_days",
            "fetches_links",
            "derived_quota_mb",
            "page_hosts",
            "embed_hosts",
            "welcome",
        )
        labels = {
            "name": "Organisation",
            "day_order": "A day written 04/12 is",
            "begins_early": "Who is still to come may begin before their first day",
            "notice_days": "Minimum notice for new assignments, days",
            "soon_days": "“Due soon” begins, days before",
            "welcome": "Your own words in the invitation of somebody new",
            "fetches_links": "This server may ask the web for titles and pictures of links, and whether they are still there",
            "derived_quota_mb": "Room for pages derived of files, in MB; empty for no limit",
        }
        field_classes = {"page_hosts": HostsField, "embed_hosts": HostsField}
        widgets = {"welcome": forms.Textarea(attrs={"rows": 4, "maxlength": 4_000})}
        help_texts = {
            "welcome": "They stand above what is asked of them, in the same message.",
            "derived_quota_mb": "What was opened longest ago is dropped beyond it, and made anew when somebody opens it.",
        }
