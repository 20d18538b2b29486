"""The library: binders, modules, and files on their way."""

from __future__ import annotations

from typing import Any

from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.lengths import LENGTHS
from stepladder.journal import undoing
from stepladder.journal.queries import history
from stepladder.library import actions, finding, queries, sorting, storage, uploads
from stepladder.library.errors import LibraryError, Unusable
from stepladder.library.forms import BinderForm, DoneWhenForm, ManyForm, ModuleForm
from stepladder.library.kinds import formats, kind_named, kinds, package
from stepladder.library.models import Binder, Folder, Module, ModuleState, Upload
from stepladder.library.parsing.text import decoded
from stepladder.web import margin, toasts
from stepladder.web.once import act_once
from stepladder.web.onwards import asked_address
from stepladder.web.sheets import save_sheet
from stepladder.web.tables import page_of, sorted_by

SORTS = {"title": ("title",), "minutes": ("minutes",), "kind": ("kind", "title"), "changed": ("changed_at",)}
CAPTIONS_LIMIT = 2 * 1024**2
HEADS = [("Title", "title"), ("Kind", "kind"), ("", ""), ("Tags", ""), ("Minutes", "minutes")]


def _binder(request: HttpRequest, public_id: str) -> Binder:
    return get_object_or_404(policy.visible(request.user, "see modules", Binder.objects.all()), public_id=public_id)


def _module(request: HttpRequest, public_id: str) -> Module:
    shown = policy.visible(request.user, "see modules", Module.objects.select_related("binder"))
    return get_object_or_404(shown, public_id=public_id)


def _list(request: HttpRequest, binder: Binder | None, folder: Folder | None = None) -> dict[str, Any]:
    filters = finding.Filters.of(request.GET.dict(), binder, folder)
    found = finding.find(request.user, filters)
    numeric, corrected = frozenset({"minutes"}), {}
    if isinstance(found, finding.FoundModules):
        # By how well they fit: no column sorts.
        page = page_of(request, found, [(label, "") for label, _ in HEADS], numeric=numeric)
        rows, corrected = list(page.rows), found.instead
    else:
        sort, order = sorted_by(request, SORTS, "title")
        modules = queries.newest_versions(found.order_by(*order, "pk"))
        page = page_of(request, modules, HEADS, sort=sort, numeric=numeric)
        rows = queries.module_rows(page.rows)
    return {
        "binder": binder,
        "folder": folder,
        "binders": queries.binders(request.user),
        "page": page,
        "rows": rows,
        "notes": margin.row_notes("module", [row.module.pk for row in rows], clock.today()),
        "marked": queries.marked_among(request.user, rows),
        "kinds": [kind.name for kind in kinds()],
        "filters": filters,
        "corrected": corrected,
        "choices": {"whose": finding.WHOSE, "age": finding.AGES, "length": LENGTHS},
        "tags": queries.tags_in_use(binder),
        "editable": _editable(request),
    }


def _editable(request: HttpRequest) -> list[Binder]:
    return list(policy.visible(request.user, "change modules", Binder.objects.order_by("name")))


def home(request: HttpRequest) -> HttpResponse:
    return render(request, "library/home.html", _list(request, None) | {"dropped": formats()})


def _done_words(done: sorting.Sorted) -> str:
    if not done.count:
        return "Nothing was changed." if done.passed_over else f"They are {done.words} already."
    return f"{'1 module is' if done.count == 1 else f'{done.count} modules are'} {done.words}."


@require_POST
def many(request: HttpRequest) -> HttpResponse:
    """Move, tag or withdraw the ticked modules of a list, and go back to it."""
    modules = policy.visible(request.user, "change modules", Module.objects.select_related("binder"))
    binders = policy.visible(request.user, "change modules", Binder.objects.all())
    form = ManyForm(request.POST, modules=modules.order_by("title"), binders=binders)
    if form.is_valid():
        asked = form.cleaned_data
        chosen, by = list(asked["chosen"]), account_of(request)
        with undoing.watched() as watched:
            done = {
                "move": lambda: sorting.move_modules(modules=chosen, to=asked["to"], by=by),
                "tag": lambda: sorting.tag_modules(modules=chosen, name=asked["tag"], by=by),
                "untag": lambda: sorting.untag_modules(modules=chosen, name=asked["tag"], by=by),
                "withdraw": lambda: sorting.withdraw_modules(modules=chosen, by=by),
            }[asked["do"]]()
        toasts.say(request, " ".join([_done_words(done), *done.passed_over[:3]]), act=watched.act)
    else:
        toasts.trouble(request, f"Nothing was done: {next(iter(form.errors.values()))[0]}")
    return redirect(asked_address(request, request.POST.get("back", "")) or reverse("library:home"))


def binder(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _binder(request, public_id)
    context = _list(request, found) | _uploads(request, found)
    context |= {
        "may_change": policy.may(request.user, "change modules", found),
        "form": BinderForm(instance=found),
        "dropped": formats(),
        "made": [kind.made for kind in kinds() if kind.made],
        "history": history("binder", found.public_id),
    }
    return render(request, "library/binder.html", context)


def new_binder(request: HttpRequest) -> HttpResponse:
    form = BinderForm(request.POST or None)
    if request.method == "POST" and form.is_valid():

        def act() -> str:
            made = actions.create_binder(
                name=form.cleaned_data["name"],
                is_shared=form.cleaned_data["is_shared"],
                owner=account_of(request),
                by=account_of(request),
            )
            return reverse("library:binder", args=[made.public_id])

        return act_once(request, act)
    context = {"form": form, "binders": queries.binders(request.user)}
    return render(request, "library/new_binder.html", context, status=422 if form.errors else 200)


@require_POST
def edit_binder(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _binder(request, public_id)
    form = BinderForm(request.POST, instance=Binder.objects.get(pk=found.pk))
    by = account_of(request)
    return save_sheet(
        request, form, found, lambda data, rev: actions.rename_binder(binder=found, revision=rev, by=by, **data)
    )


def module(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _module(request, public_id)
    kind, versions = kind_named(found.kind), list(found.versions.select_related("original"))
    newest = versions[0] if versions else None
    form = ModuleForm(instance=found, initial={"tags": ", ".join(found.tags.values_list("name", flat=True))})
    may_change = policy.may(request.user, "change modules", found)
    context = {
        "module": found,
        "versions": versions,
        "kind": kind,
        "still_shows": came_as.still_shows if newest and (came_as := kind.format_of(newest.data)) else "",
        "described": kind.describe(newest.data) if newest else "nothing to use yet",
        "done_when": kind.done_when(newest.data) if newest else "",
        "has_captions": newest is not None and (storage.derived_folder(newest) / "captions.vtt").exists(),
        "has_still": newest is not None and (storage.derived_folder(newest) / "still.jpg").exists(),
        "form": form,
        "section": kind.section(request, found, newest),
        "may_change": may_change,
        "binders": queries.binders(request.user),
        "panels": margin.panels("module", request, found),
        "verbs": margin.verb_links("module", request, found),
        "history": history("module", found.public_id),
        "uploads": [
            u for u in Upload.objects.filter(replaces=found, is_dismissed=False) if u.state != Upload.State.DONE
        ],
    }
    return render(request, "library/module.html", context)


@require_POST
def edit_module(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _module(request, public_id)
    form = ModuleForm(request.POST, instance=Module.objects.get(pk=found.pk))
    by = account_of(request)
    return save_sheet(
        request, form, found, lambda data, rev: actions.edit_module(module=found, revision=rev, by=by, **data)
    )


@require_POST
def done_when(request: HttpRequest, public_id: str) -> HttpResponse:
    """When a package counts as done."""
    found = _module(request, public_id)
    form = DoneWhenForm(request.POST)
    if found.kind != package.KIND.name:
        raise Http404
    if form.is_valid():
        version = found.versions.order_by("-number")[0]
        actions.set_done_when(version=version, done_when=form.cleaned_data["done_when"], by=account_of(request))
        toasts.say(request, "It holds for what is reported from now on.")
    else:
        toasts.trouble(request, f"Nothing was saved: {next(iter(form.errors.values()))[0]}")
    return redirect("library:module", public_id=public_id)


@require_POST
def captions(request: HttpRequest, public_id: str) -> HttpResponse:
    """Captions of a film's newest version."""
    found = _module(request, public_id)
    sent = request.FILES.get("captions")
    try:
        if sent is None or (sent.size or 0) > CAPTIONS_LIMIT:
            raise Unusable("Choose a file of captions (.vtt or .srt) of at most 2 MB.")
        text = decoded(sent.read(), sent.name or "captions")
        actions.set_captions(version=found.versions.order_by("-number")[0], text=text, by=account_of(request))
    except LibraryError as refusal:
        toasts.trouble(request, str(refusal))
    else:
        toasts.say(request, "The captions are there.")
    return redirect("library:module", public_id=public_id)


@require_POST
def withdraw_module(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _module(request, public_id)
    try:
        actions.withdraw_module(module=found, by=account_of(request))
    except LibraryError as refusal:
        toasts.trouble(request, str(refusal))
    else:
        toasts.say(request, f"“{found.title}” is withdrawn. It can be released again.")
    return redirect("library:module", public_id=public_id)


@require_POST
def release_module(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _module(request, public_id)
    was = found.state
    try:
        actions.release_module(module=found, by=account_of(request))
    except LibraryError as refusal:
        toasts.trouble(request, str(refusal))
    else:
        toasts.say(
            request, f"“{found.title}” can be used{' again' if was == ModuleState.WITHDRAWN else ' in courses now'}."
        )
    return redirect("library:module", public_id=public_id)


def still(request: HttpRequest, public_id: str) -> FileResponse:
    found = _module(request, public_id)
    path = storage.derived_folder(found.versions.order_by("-number")[0]) / "still.jpg"
    if not path.exists():
        raise Http404
    return FileResponse(path.open("rb"), content_type="image/jpeg")


def original(request: HttpRequest, public_id: str, number: int) -> FileResponse:
    """The file as it was uploaded, to keep: never shown in the page's own origin."""
    found = _module(request, public_id)
    version = get_object_or_404(found.versions.select_related("original"), number=number, original__isnull=False)
    assert version.original is not None
    path = storage.file_of(version.original)
    return FileResponse(path.open("rb"), as_attachment=True, filename=version.file_name)


def export(request: HttpRequest, public_id: str, number: int, name: str) -> HttpResponseBase:
    """A version in another form, as its kind makes it."""
    found = _module(request, public_id)
    form = next((form for form in kind_named(found.kind).exports if form.name == name), None)
    if form is None:
        raise Http404
    return form.respond(get_object_or_404(found.versions.select_related("module"), number=number))


def _uploads(request: HttpRequest, binder: Binder) -> dict[str, Any]:
    uploads = queries.recent_uploads(request.user, binder)
    busy = any(u.state in (Upload.State.WAITING, Upload.State.WORKING) for u in uploads)
    return {"binder": binder, "uploads": uploads, "busy": busy}


def progress(request: HttpRequest, public_id: str) -> HttpResponse:
    """The uploads of a binder and how far each is; asks again while any is on its way."""
    found = _binder(request, public_id)
    context = _uploads(request, found)
    response = render(request, "library/uploads.html", context)
    if not context["busy"]:
        response.headers["HX-Trigger"] = "worked-out"
    return response


@require_POST
def try_again(request: HttpRequest, public_id: str) -> HttpResponse:
    """Work a file out once more."""
    upload = get_object_or_404(Upload.objects.select_related("binder"), public_id=public_id)
    try:
        uploads.try_again(upload=upload, by=account_of(request))
    except LibraryError as refusal:
        response = render(request, "library/uploads.html", _uploads(request, upload.binder))
        return toasts.say_now(response, str(refusal), is_trouble=True)
    return render(request, "library/uploads.html", _uploads(request, upload.binder))


@require_POST
def dismiss(request: HttpRequest, public_id: str) -> HttpResponse:
    upload = get_object_or_404(Upload.objects.select_related("binder"), public_id=public_id)
    uploads.discard_upload(upload=upload, by=account_of(request))
    return render(request, "library/uploads.html", _uploads(request, upload.binder))
