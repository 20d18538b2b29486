"""Tasks as they are written and released."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.numbers import whole_number
from stepladder.core.sign_offs import (
    BadCheckList,
    CheckList,
    Criterion,
    in_words,
    kept,
    moved,
    problems_of,
    read_check_list,
)
from stepladder.library.errors import LibraryError
from stepladder.library.models import Binder, Module
from stepladder.library.queries import binders
from stepladder.people.models import Person
from stepladder.people.queries import find_people
from stepladder.refusals import Refusal
from stepladder.signing.actions import tasks as actions
from stepladder.signing.errors import SigningError
from stepladder.signing.forms import NewTaskForm, ReleaseForm, TermsForm, criteria_sent
from stepladder.signing.models import Task
from stepladder.web import margin, toasts
from stepladder.web.once import act_once
from stepladder.web.sheets import NewerChange


def _task(request: HttpRequest, public_id: str) -> Task:
    mine = policy.visible(request.user, "change modules", Module.objects.all())
    return get_object_or_404(
        Task.objects.select_related("module__binder").filter(module__in=mine), module__public_id=public_id
    )


def new_task(request: HttpRequest, public_id: str) -> HttpResponse:
    """A task, in a binder."""
    mine = policy.visible(request.user, "change modules", Binder.objects.all())
    binder = get_object_or_404(mine, public_id=public_id)
    form = NewTaskForm(request.POST or None)
    if form.is_bound and form.is_valid():

        def make() -> str:
            made = actions.create_task(binder=binder, by=account_of(request), **form.cleaned_data)
            return reverse("signing:task", args=[made.module.public_id])

        try:
            return act_once(request, make)
        except LibraryError as refusal:
            form.add_error("title", str(refusal))
    context = {"form": form, "binder": binder, "binders": binders(request.user), "here": "library"}
    return render(request, "signing/new_task.html", context, status=422 if form.errors else 200)


def _around(request: HttpRequest, task: Task, check_list: CheckList) -> dict[str, Any]:
    newest = task.module.versions.order_by("-number").first()
    return {
        "task": task,
        "module": task.module,
        "check_list": check_list,
        "needs": in_words(check_list),
        "newest": newest,
        "next_number": (newest.number if newest else 0) + 1,
        "problems": problems_of(check_list),
        "panels": margin.panels("task", request, task.module),
        "here": "library",
    }


@never_cache
def task(request: HttpRequest, public_id: str) -> HttpResponse:
    """What is looked at, line by line, and how it is signed off; all of it is kept at once, whichever button is pressed."""
    found = _task(request, public_id)
    status, said, trouble = 200, read_check_list(found.check_list), ""
    form, more = TermsForm.of(said), ""
    if request.method == "POST":
        form, more = TermsForm(request.POST), request.POST.get("more", "")
        rows = criteria_sent(request.POST)
        try:
            if not form.is_valid():
                name, errors = next(iter(form.errors.items()))
                raise BadCheckList(f"{form.fields[name].label}: {errors[0]}")
            said = _changed(read_check_list({"criteria": rows, **form.cleaned_data}), request.POST.get("do", ""))
            revision = whole_number(request.POST.get("revision", ""))
            actions.write_check_list(task=found, raw=kept(said), revision=revision or 0, by=account_of(request))
        except (BadCheckList, SigningError) as refusal:
            status, trouble = 422, f"Nothing was saved. {refusal}"
        except NewerChange as refusal:
            status = 409
            trouble = (
                f"Nothing was saved: {refusal.sheet.changed_by} has changed this since you opened it. What you wrote stands below; "
                "open the task in another tab to see theirs, and keep yours once more if it is to hold."
            )
            found.refresh_from_db()
        else:
            return redirect(reverse("signing:task", args=[public_id]) + _onwards(request.POST.get("do", "")))
        if status != 200:
            # What was written stands there still, as it was sent.
            said = CheckList(tuple(Criterion(r["key"], r["text"], r["note"], r.get("is_must", False)) for r in rows))
            more = ""
    context = _around(request, found, said) | {
        "form": form,
        "more": more,
        "trouble": trouble,
        "named": list(found.named.order_by("family_name", "given_name")),
    }
    return render(request, "signing/task.html", context, status=status)


def _changed(check_list: CheckList, do: str) -> CheckList:
    verb, _, key = do.partition(":")
    if verb in ("up", "down"):
        return moved(check_list, key, -1 if verb == "up" else 1)
    if verb == "remove":
        rows = tuple(one for one in check_list.criteria if one.key != key)
        return CheckList(**{**vars(check_list), "criteria": rows})
    return check_list


def _onwards(do: str) -> str:
    verb, _, key = do.partition(":")
    return f"#criterion-{key}" if verb in ("up", "down") else "#more" if do == "add" else ""


@require_POST
def signers(request: HttpRequest, public_id: str) -> HttpResponse:
    """Who is named, and whether only they sign."""
    found = _task(request, public_id)
    named = list(Person.objects.filter(public_id__in=request.POST.getlist("named")[:200]))
    only = request.POST.get("only_named") == "yes"
    try:
        actions.name_signers(task=found, named=named, only_named=only, by=account_of(request))
        toasts.say(request, "Kept. It holds at once, for whoever is under way as well.")
    except SigningError as refusal:
        toasts.trouble(request, str(refusal))
    return redirect(reverse("signing:task", args=[public_id]) + "#signers")


def find_signer(request: HttpRequest, public_id: str) -> HttpResponse:
    """People to name, by the beginning of what one types."""
    _task(request, public_id)
    text = request.GET.get("naming", "").strip()[:100]
    found = find_people(text=text, day=clock.today()).order_by("family_name", "given_name", "pk")[:8] if text else []
    return render(request, "people/found.html", {"people": found, "field": "named"})


def release(request: HttpRequest, public_id: str) -> HttpResponse:
    """What is wrong first; then the next version."""
    found = _task(request, public_id)
    form = ReleaseForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            version = actions.release_task(task=found, note=form.cleaned_data["note"], by=account_of(request))
        except Refusal as refusal:
            toasts.trouble(request, str(refusal))
            return redirect("signing:release", public_id=public_id)
        toasts.say(
            request,
            f"That is version {version.number}. Released editions keep theirs; drafts of courses may take this one.",
        )
        return redirect("library:module", public_id=public_id)
    context = _around(request, found, read_check_list(found.check_list)) | {"form": form}
    return render(request, "signing/release.html", context)
