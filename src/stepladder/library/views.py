"""The sheet of a module."""

from __future__ import annotations

from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.differences import differences
from stepladder.core.numbers import whole_number
from stepladder.journal.queries import history
from stepladder.library import actions, copying, editing, marks, queries, storage
from stepladder.library.details import LANGUAGES
from stepladder.library.errors import LibraryError, Unusable
from stepladder.library.folders import trail_of
from stepladder.library.forms import DoneWhenForm, ModuleForm, VersionNoteForm
from stepladder.library.kinds import kind_named, package
from stepladder.library.models import Module, ModuleState, ModuleVersion, Upload
from stepladder.library.opening import address_at
from stepladder.library.parsing.text import decoded
from stepladder.topics.naming import topic_names
from stepladder.web import margin, toasts
from stepladder.web.onwards import asked_address
from stepladder.web.sheets import save_sheet

CAPTIONS_LIMIT = 2 * 1024**2


def _module(request: HttpRequest, public_id: str, verb: str = "see modules") -> Module:
    shown = policy.visible(request.user, verb, Module.objects.select_related("binder", "folder"))
    return get_object_or_404(shown, public_id=public_id)


def module(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _module(request, public_id)
    kind, versions = kind_named(found.kind), list(found.versions.select_related("original"))
    newest = versions[0] if versions else None
    form = ModuleForm(module=found)
    may_change = policy.may(request.user, "change modules", found)
    context = {
        "module": found,
        "trail": trail_of(found.folder),
        "versions": [(version, address_at(found, 1, version.number)) for version in versions],
        "newest": newest,
        "kind": kind,
        "described": kind.describe(newest.data) if newest else "nothing to use yet",
        "done_when": kind.done_when(newest.data) if newest else "",
        "has_captions": newest is not None and storage.has_derived(newest, "captions.vtt"),
        "form": form,
        "topic_words": topic_names().said(topic.public_id for topic in found.topics.all()),
        "language": LANGUAGES.get(found.language, ""),
        "section": kind.section(request, found, newest),
        "may_change": may_change,
        "is_marked": marks.is_marked(found, account_of(request)),
        "may_use": policy.may(request.user, "use modules", found),
        # Where somebody comes from a step of a course, that step.
        "back": asked_address(request, request.GET.get("back", "")),
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
    form, by = ModuleForm(request.POST, module=found), account_of(request)
    return save_sheet(
        request, form, found, lambda data, rev: editing.edit_module(module=found, revision=rev, by=by, **data)
    )


@require_POST
def mark(request: HttpRequest, public_id: str) -> HttpResponse:
    """Mark a module for oneself, or take the mark off, as `do` says; also what one sees and may not change."""
    found, by = _module(request, public_id), account_of(request)
    (marks.unmark_modules if request.POST.get("do") == "unmark" else marks.mark_modules)(modules=[found], by=by)
    return redirect("library:module", public_id=public_id)


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


@require_POST
def change_version(request: HttpRequest, public_id: str, number: int) -> HttpResponse:
    """Say what is new in a version, or make an earlier one the newest again, as `do` says."""
    found, by = _module(request, public_id), account_of(request)
    version = get_object_or_404(found.versions.select_related("module__binder", "original"), number=number)
    form = VersionNoteForm(request.POST)
    try:
        if request.POST.get("do") == "restore":
            restored = copying.restore_version(version=version, by=by)
            toasts.say(request, f"Version {restored.number} is version {number} again. Released editions keep theirs.")
        elif form.is_valid():
            copying.note_version(version=version, note=form.cleaned_data["note"], by=by)
            toasts.say(request, "It is noted.")
        else:
            toasts.trouble(request, f"Nothing was noted: {form.errors['note'][0]}")
    except LibraryError as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("library:module", public_id=public_id)


def compare(request: HttpRequest, public_id: str) -> HttpResponse:
    """The words of two versions beside each other: those that `old` and `new` name, else the newest and the one before it."""
    found = _module(request, public_id, "use modules")
    versions = list(found.versions.order_by("-number"))
    if not versions:
        raise Http404
    by_number = {version.number: version for version in versions}
    new = by_number.get(whole_number(request.GET.get("new", "")) or 0, versions[0])
    before = next((version for version in versions if version.number < new.number), new)
    old = by_number.get(whole_number(request.GET.get("old", "")) or 0, before)
    old_words, new_words = (_words(version) for version in (old, new))
    pieces = differences(old_words, new_words)
    context = {
        "module": found,
        "versions": versions,
        "old": old,
        "new": new,
        "old_words": old_words,
        "new_words": new_words,
        "pieces": pieces,
        "is_same": all(piece.kind == "same" for piece in pieces),
        "binders": queries.binders(request.user),
    }
    return render(request, "library/compare.html", context)


# Of the words of a version, so many letters are compared: a book.
MOST_COMPARED = 1_000_000


def _words(version: ModuleVersion) -> str:
    """The words of a version in their order, each place on lines of its own."""
    passages = version.passages.order_by("place", "pk").values_list("title", "text")
    return "\n".join("\n".join(part for part in one if part) for one in passages)[:MOST_COMPARED]


def still(request: HttpRequest, public_id: str) -> FileResponse:
    found = _module(request, public_id)
    path = storage.derived_folder(found.versions.order_by("-number")[0]) / "still.jpg"
    if not path.exists():
        raise Http404
    response = FileResponse(path.open("rb"), content_type="image/jpeg")
    # Lists show many: for a while none of them is asked for again.
    response.headers["Cache-Control"] = "private, max-age=600"
    return response


def original(request: HttpRequest, public_id: str, number: int) -> FileResponse:
    """The file as it was uploaded, to keep: never shown in the page's own origin."""
    found = _module(request, public_id, "use modules")
    version = get_object_or_404(found.versions.select_related("original"), number=number, original__isnull=False)
    assert version.original is not None
    path = storage.file_of(version.original)
    return FileResponse(path.open("rb"), as_attachment=True, filename=version.file_name)
