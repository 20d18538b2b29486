"""The library's lists: binders and folders with their modules, what is done to many of them, and files on their way."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.accounts.signed_in import account_of
from stepladder.core.lengths import LENGTHS
from stepladder.core.numbers import whole_number
from stepladder.journal import undoing
from stepladder.journal.queries import history
from stepladder.library import actions, copying, editing, finding, folders, marks, queries, sorting, uploads
from stepladder.library.details import DETAILS, RIGHTS
from stepladder.library.errors import LibraryError
from stepladder.library.forms import BinderForm, FolderForm, ManyForm, NewBinderForm
from stepladder.library.kinds import formats, kinds
from stepladder.library.models import Binder, Folder, Module, Upload
from stepladder.refusals import Refusal
from stepladder.topics.naming import topic_names
from stepladder.web import margin, toasts
from stepladder.web.once import act_once
from stepladder.web.onwards import asked_address
from stepladder.web.sheets import save_sheet
from stepladder.web.tables import page_of, sorted_by

SORTS = {"title": ("title",), "minutes": ("minutes",), "kind": ("kind", "title"), "changed": ("changed_at",)}
HEADS = [("", ""), ("Title", "title"), ("Kind", "kind"), ("", ""), ("Tags", ""), ("Minutes", "minutes")]


def _binder(request: HttpRequest, public_id: str) -> Binder:
    return get_object_or_404(policy.visible(request.user, "see modules", Binder.objects.all()), public_id=public_id)


def _list(request: HttpRequest, binder: Binder | None, folder: Folder | None = None) -> dict[str, Any]:
    filters = finding.Filters.of(request.GET.dict(), binder, folder)
    found = finding.find(request.user, filters)
    numeric, corrected = frozenset({"minutes"}), dict[str, list[str]]()
    editable = editable_binders(request)
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
        **list_choices(request, filters),
        "corrected": corrected,
        "editable": editable,
        "places": folders.places_in(editable),
        "details": list(DETAILS.values()),
    }


def list_choices(request: HttpRequest, filters: finding.Filters) -> dict[str, Any]:
    """What the sentence of filters can say, and says."""
    return {
        "filters": filters,
        "kinds": [kind.name for kind in kinds()],
        "choices": {"whose": finding.WHOSE, "age": finding.AGES, "length": LENGTHS, "rights": RIGHTS},
        "tags": queries.tags_in_use(filters.binder),
        "languages": queries.languages_in_use(filters.binder),
        "topics": topic_names().words,
        "conditions": [
            (one, choices, filters.more.get(one.name, ""))
            for one in finding.conditions()
            if (choices := one.choices(request.user))
        ],
    }


def filters_of(request: HttpRequest) -> finding.Filters:
    """The filters that an address says, of a binder that it names or of all."""
    named = request.GET.get("binder", "")
    return finding.Filters.of(request.GET.dict(), _binder(request, named) if named else None, everywhere=True)


def editable_binders(request: HttpRequest) -> list[Binder]:
    return list(policy.visible(request.user, "change modules", Binder.objects.order_by("name")))


def home(request: HttpRequest) -> HttpResponse:
    return render(request, "library/home.html", _list(request, None) | {"dropped": formats()})


def _done_words(done: sorting.Sorted) -> str:
    if not done.count:
        return "Nothing was changed." if done.passed_over else f"They are {done.words} already."
    return f"{_counted(done.count)} {done.words}."


@require_POST
def many(request: HttpRequest) -> HttpResponse:
    """Move, copy, tag, mark, withdraw or delete the ticked modules of a list, and go back to it."""
    modules = policy.visible(request.user, "change modules", Module.objects.select_related("binder", "folder"))
    editable = editable_binders(request)
    form = ManyForm(request.POST, modules=modules.order_by("title"), places=folders.places_in(editable))
    if form.is_valid():
        asked, by = form.cleaned_data, account_of(request)
        try:
            with undoing.watched() as watched:
                said = _do_to_many(asked, _place(asked["to"], editable), by)
            toasts.say(request, said, act=watched.act)
        except LibraryError as refusal:
            toasts.trouble(request, f"Nothing was done: {refusal}")
    else:
        toasts.trouble(request, f"Nothing was done: {next(iter(form.errors.values()))[0]}")
    return redirect(asked_address(request, request.POST.get("back", "")) or reverse("library:home"))


def _place(key: str, editable: list[Binder]) -> tuple[Binder, Folder | None] | None:
    """The binder and folder that a form named by a place's key."""
    if not key:
        return None
    binder, _, inner = key.partition("/")
    chosen = next(one for one in editable if one.public_id == binder)
    return chosen, Folder.objects.get(public_id=inner, binder=chosen) if inner else None


def _do_to_many(asked: dict[str, Any], place: tuple[Binder, Folder | None] | None, by: Account) -> str:
    """What was done, in words."""
    chosen, do = list(asked["chosen"]), asked["do"]
    if do in ("mark", "unmark"):
        count = (marks.mark_modules if do == "mark" else marks.unmark_modules)(modules=chosen, by=by)
        return f"{_counted(count)} {'marked' if do == 'mark' else 'not marked any more'}."
    acts: dict[str, Callable[[], sorting.Sorted]] = {
        "tag": lambda: sorting.tag_modules(modules=chosen, name=asked["tag"], by=by),
        "untag": lambda: sorting.untag_modules(modules=chosen, name=asked["tag"], by=by),
        "withdraw": lambda: sorting.withdraw_modules(modules=chosen, by=by),
        "delete": lambda: sorting.delete_modules(modules=chosen, by=by),
        "fetch": lambda: sorting.fetch_back(modules=chosen, by=by),
        "set": lambda: editing.set_detail(modules=chosen, name=asked["detail"], text=asked["value"], by=by),
    }
    if place is not None:
        to, folder = place
        acts["move"] = lambda: sorting.move_modules(modules=chosen, to=to, folder=folder, by=by)
        acts["copy"] = lambda: copying.copy_modules(modules=chosen, to=to, folder=folder, by=by)
    done = acts[do]()
    return " ".join([_done_words(done), *done.passed_over[:3]])


def _counted(count: int) -> str:
    return "1 module is" if count == 1 else f"{count} modules are"


def binder(request: HttpRequest, public_id: str, folder: str = "") -> HttpResponse:
    """A binder, or a folder of it, with the modules there; what is filtered is looked for in all of the binder."""
    found = _binder(request, public_id)
    inner = get_object_or_404(found.folders, public_id=folder) if folder else None
    context = _list(request, found, inner) | _uploads(request, found)
    tree = folders.folder_tree(found)
    context |= {
        "tree": tree,
        "inner": [node for node in tree if node.folder.parent_id == (inner.pk if inner else None)],
        "trail": folders.trail_of(inner),
        "may_change": policy.may(request.user, "change modules", found),
        "form": BinderForm(instance=found),
        "dropped": formats(),
        "made": [kind.made for kind in kinds() if kind.made],
        "history": history("binder", found.public_id),
    }
    return render(request, "library/binder.html", context)


def _to_folder(binder: Binder, folder: Folder | None) -> HttpResponse:
    if folder is None:
        return redirect("library:binder", public_id=binder.public_id)
    return redirect("library:folder", public_id=binder.public_id, folder=folder.public_id)


@require_POST
def new_folder(request: HttpRequest, public_id: str) -> HttpResponse:
    """A folder in a binder, or in the folder of it that `in` names."""
    found, form = _binder(request, public_id), FolderForm(request.POST)
    parent = found.folders.filter(public_id=request.POST.get("in", "")).first()
    try:
        if not form.is_valid():
            raise LibraryError(str(form.errors["name"][0]))
        made = folders.make_folder(binder=found, parent=parent, name=form.cleaned_data["name"], by=account_of(request))
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
        return _to_folder(found, parent)
    return _to_folder(found, made)


@require_POST
def change_folder(request: HttpRequest, public_id: str, folder: str) -> HttpResponse:
    """Name a folder anew, move it, or take it away, as `do` says."""
    found, by = _binder(request, public_id), account_of(request)
    at = get_object_or_404(found.folders.select_related("binder", "parent"), public_id=folder)
    parent = at.parent
    try:
        if request.POST.get("do") == "remove":
            folders.remove_folder(folder=at, by=by)
            return _to_folder(found, parent)
        if request.POST.get("do") == "move":
            place = _place(_known_place(request), editable_binders(request))
            if place is None:
                raise LibraryError("Choose where it goes first.")
            at = folders.move_folder(folder=at, binder=place[0], parent=place[1], by=by)
        else:
            folders.rename_folder(folder=at, name=request.POST.get("name", ""), by=by)
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
    return _to_folder(at.binder, at)


def _known_place(request: HttpRequest) -> str:
    """The place that was chosen, if it is one that may be."""
    asked = request.POST.get("to", "")
    return asked if asked in {place.key for place in folders.places_in(editable_binders(request))} else ""


def new_binder(request: HttpRequest) -> HttpResponse:
    form = NewBinderForm(request.POST or None)
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


def _uploads(request: HttpRequest, binder: Binder) -> dict[str, Any]:
    uploads = queries.recent_uploads(request.user, binder)
    busy = any(u.state in (Upload.State.WAITING, Upload.State.WORKING) for u in uploads)
    arrived = [u for u in uploads if u.state == Upload.State.DONE and u.module and not u.message]
    shown = [u for u in uploads if u not in arrived]
    halted = any(u.state == Upload.State.RECEIVING for u in uploads)
    return {"binder": binder, "uploads": shown, "arrived": arrived, "busy": busy, "halted": halted}


def progress(request: HttpRequest, public_id: str) -> HttpResponse:
    """The uploads of a binder and how far each is; asks again while any is on its way."""
    found = _binder(request, public_id)
    context = _uploads(request, found)
    response = render(request, "library/uploads.html", context)
    return response if context["busy"] else toasts.tell_page(response, "worked-out")


@require_POST
def try_again(request: HttpRequest, public_id: str) -> HttpResponse:
    """Work a file out once more."""
    upload = get_object_or_404(Upload.objects.select_related("binder"), public_id=public_id)
    try:
        uploads.try_again(upload=upload, by=account_of(request))
    except LibraryError as refusal:
        return _lines(request, upload, refusal)
    return _lines(request, upload)


def _lines(request: HttpRequest, upload: Upload, refusal: LibraryError | None = None) -> HttpResponse:
    """The uploads beside one after an act on it; where it was refused, with the reason."""
    response = render(request, "library/uploads.html", _uploads(request, upload.binder))
    return toasts.say_now(response, str(refusal), is_trouble=True) if refusal else response


@require_POST
def settle(request: HttpRequest, public_id: str) -> HttpResponse:
    """What becomes of a file that is like another."""
    upload = get_object_or_404(Upload.objects.select_related("binder", "module", "twin"), public_id=public_id)
    try:
        uploads.settle_likeness(upload=upload, choice=request.POST.get("choice", ""), by=account_of(request))
    except LibraryError as refusal:
        return _lines(request, upload, refusal)
    return toasts.tell_page(_lines(request, upload), "worked-out")


@require_POST
def room(request: HttpRequest, public_id: str) -> JsonResponse:
    """Whether so many bytes would find room in a binder; asked before anything is sent."""
    found = _binder(request, public_id)
    size = whole_number(request.POST.get("bytes", "")) or 0
    try:
        uploads.check_room(binder=found, size=size, by=account_of(request))
    except LibraryError as refusal:
        return JsonResponse({"says": str(refusal)})
    return JsonResponse({"says": ""})


def sending(request: HttpRequest, public_id: str) -> HttpResponse:
    """A small window that goes on sending files to a binder while one works on other pages."""
    found = _binder(request, public_id)
    return render(request, "library/sending.html", {"binder": found, **_uploads(request, found)})


@require_POST
def dismiss(request: HttpRequest, public_id: str) -> HttpResponse:
    upload = get_object_or_404(Upload.objects.select_related("binder"), public_id=public_id)
    uploads.discard_upload(upload=upload, by=account_of(request))
    return _lines(request, upload)
