"""Sign in, sign out, settings."""

from __future__ import annotations

from django.conf import settings as site
from django.contrib.auth import login, logout
from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from stepladder.accounts import actions, queries
from stepladder.accounts import sign_in as sign_in_links
from stepladder.accounts.forms import ForgottenForm, OrganisationForm, PasswordForm, SettingsForm, SetUpForm, SignInForm
from stepladder.accounts.models import Account, Organisation
from stepladder.accounts.signed_in import account_of
from stepladder.accounts.switches import switches
from stepladder.accounts.tasks import send_links
from stepladder.journal.queries import history
from stepladder.queue.actions import Queue, later
from stepladder.web import toasts
from stepladder.web.onwards import asked_address

BACKEND = "django.contrib.auth.backends.ModelBackend"


def set_up(request: HttpRequest) -> HttpResponse:
    """The first visit to an empty installation: the organisation and its first administrator, with the code that was printed."""
    if Account.objects.exists():
        raise Http404
    form = SetUpForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        login(request, actions.set_up(**form.cleaned_data), backend=BACKEND)
        return redirect("home")
    return render(request, "accounts/set_up.html", {"form": form}, status=422 if form.errors else 200)


def sign_in(request: HttpRequest) -> HttpResponse:
    """E-mail and password; in the demo also one click for each role."""
    if not Account.objects.exists():
        return redirect("accounts:set_up")
    form = SignInForm(request.POST or None, request=request)
    if request.method == "POST" and form.is_valid():
        assert form.account is not None
        login(request, form.account, backend=BACKEND)
        return _onwards(request)
    context = {"form": form, "next": request.GET.get("next", ""), "demo_people": queries.demo_people()}
    return render(request, "accounts/sign_in.html", context, status=422 if form.errors else 200)


def forgotten(request: HttpRequest) -> HttpResponse:
    """A link to choose a new password; whether there is such a sign-in is told to nobody."""
    form = ForgottenForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        found = Account.objects.filter(email=form.cleaned_data["email"].lower(), is_active=True).first()
        if found and not sign_in_links.was_just_sent(found):
            with transaction.atomic():
                later(send_links, queue=Queue.MAIL, accounts=[found.pk], purpose="reset")
        return render(request, "accounts/forgotten.html", {"sent": form.cleaned_data["email"]})
    return render(request, "accounts/forgotten.html", {"form": form}, status=422 if form.errors else 200)


def link(request: HttpRequest, token: str) -> HttpResponse:
    """Choose a password by a link that was sent; then one is signed in."""
    try:
        account = sign_in_links.account_behind(token).account
        form = PasswordForm(request.POST or None, account=account)
        if request.method == "POST" and form.is_valid():
            used = sign_in_links.use_link(token=token, password=form.cleaned_data["password"])
            login(request, used, backend=BACKEND)
            return redirect("home")
    except sign_in_links.LinkUseless as refusal:
        return render(request, "accounts/link.html", {"refusal": str(refusal)}, status=410)
    context = {"form": form, "whose": account}
    return render(request, "accounts/link.html", context, status=422 if form.errors else 200)


@require_POST
def demo_sign_in(request: HttpRequest) -> HttpResponse:
    """The demo's one click; there is no such door in an installation that is not the demo."""
    if not site.DEMO:
        raise Http404
    account = get_object_or_404(Account, public_id=request.POST.get("who", ""), is_active=True)
    login(request, account, backend=BACKEND)
    return _onwards(request)


def _onwards(request: HttpRequest) -> HttpResponse:
    return redirect(asked_address(request, request.POST.get("next", "")) or "home")


@require_POST
def sign_out(request: HttpRequest) -> HttpResponse:
    logout(request)
    return redirect("accounts:sign_in")


def organisation(request: HttpRequest) -> HttpResponse:
    """The organisation's name and how it counts days."""
    saved = Organisation.objects.get()
    form = OrganisationForm(request.POST or None, instance=saved)
    if request.method == "POST" and form.is_valid():
        actions.change_organisation(organisation=form.save(commit=False), by=account_of(request))
        toasts.say(request, "The organisation’s settings are saved.")
        return redirect("accounts:organisation")
    context = {"form": form, "switches": switches(), "history": history("organisation", "")}
    return render(request, "accounts/organisation.html", context, status=422 if form.errors else 200)


def settings(request: HttpRequest) -> HttpResponse:
    account = account_of(request)
    form = SettingsForm(request.POST or None, instance=account)
    if request.method == "POST" and form.is_valid():
        actions.change_settings(account=account, **form.cleaned_data)
        toasts.say(request, "Your settings are saved.")
        return redirect("accounts:settings")
    return render(request, "accounts/settings.html", {"form": form})
