"""Signing in and one's settings."""

from __future__ import annotations

from django import forms
from django.contrib.auth import authenticate
from django.http import HttpRequest

from stepladder.accounts.models import Account


class SignInForm(forms.Form):
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
            found = authenticate(self.request, username=data["email"].lower(), password=data["password"])
            if not isinstance(found, Account):
                raise forms.ValidationError(
                    "That e-mail and password do not belong together. Check both and try again."
                )
            self.account = found
        return data


class SettingsForm(forms.ModelForm[Account]):
    class Meta:
        model = Account
        fields = ("theme", "single_keys")
        labels = {"theme": "Appearance", "single_keys": "Single keys act (1–7, /, ?)"}
