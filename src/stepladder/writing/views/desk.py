"""The sheet on which a lesson is written, and what stands around it."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.organisation import organisation
from stepladder.accounts.signed_in import account_of
from stepladder.core.lessons import NODES, BadTree, read_options
from stepladder.core.numbers import whole_number
from stepladder.library.errors import LibraryError
from stepladder.library.models import Binder
from stepladder.library.queries import binders
from stepladder.web import margin, toasts
from stepladder.web.once import act_once
from stepladder.writing import actions, bringing, dead_links, files, queries
from stepladder.writing.content import media_of
from stepladder.writing.errors import NotFinished, WritingError
from stepladder.writing.forms import NewLessonForm, OptionsForm, ReleaseForm
from stepladder.writing.models import Lesson, Section
from stepladder.writing.palette import contrasts
from stepladder.writing.releasing import release_lesson
from stepladder.writing.rendering import TONE_WORDS, Drawing, sources_of
from stepladder.writing.schema import editor_schema
from stepladder.writing.views.finding import lesson_for, section_for

# Blocks that are drawn by the server also while one writes.
DRAWN = frozenset(name for name, node in NODES.items() if node.editing.get("draggable"))
# What the page offers, by the words on it.
EDITING: dict[str, Any] = {
    "tones": TONE_WORDS,
    "inserts": [
        *((name, name) for name in ("text", "heading", "list", "quote", "note", "table", "picture", "gallery")),
        *((name, name) for name in ("film", "sound", "document", "attachment", "check")),
        *(("fold_out", "fold-out"), ("compare", "before and after"), ("steps", "steps"), ("formula", "formula")),
        *(("listing", "code"), ("page", "page from elsewhere"), ("line", "line")),
    ],
    "marks": [("strong", "strong"), ("em", "emphasis"), ("code", "code"), ("sub", "low"), ("sup", "raised")],
    "turns": ["text", "heading", "smaller heading", "list", "numbered list", "quote", "note", "out"],
    "table_verbs": [
        *(("row", "another row"), ("column", "another column"), ("less row", "row out"), ("less column", "column out")),
        *(("heads", "heads on or off"), ("merge", "join cells"), ("split", "part cells"), ("no table", "table out")),
    ],
    "question_kinds": [
        *(("one", "one answer"), ("several", "several answers"), ("true_false", "true or false")),
        *(("order", "put in order"), ("match", "match"), ("number", "a number"), ("text", "a short text")),
    ],
    "sides": [("before", "Before"), ("after", "After")],
    "crop_fields": [("left", "From the left"), ("top", "From the top"), ("width", "Wide"), ("height", "High")],
    "widths": ["narrow", "middle", "wide"],
    # The page puts a picture's digest in its stead.
    "no_picture": "0" * 64,
}


def new_lesson(request: HttpRequest, public_id: str) -> HttpResponse:
    """A lesson, in a binder: with nothing in it, or of what a file says."""
    editable = policy.visible(request.user, "change modules", Binder.objects.all())
    binder = get_object_or_404(editable, public_id=public_id)
    form = NewLessonForm(request.POST or None, request.FILES or None)
    if form.is_bound and form.is_valid():
        sent = form.cleaned_data.pop("file")
        try:
            # Before the form is taken, which holds the pen: a file is read in its own time.
            brought = bringing.read_file(sent, sent.name, sent.size) if sent else None
            return act_once(request, lambda: _begun(request, binder, brought, form.cleaned_data))
        except (LibraryError, WritingError) as refusal:
            form.add_error("file", str(refusal))
    # One is in the library still, whoever's kind of module it is.
    context = {"form": form, "binder": binder, "binders": binders(request.user), "here": "library"}
    return render(request, "writing/new_lesson.html", context, status=422 if form.errors else 200)


def _begun(request: HttpRequest, binder: Binder, brought: bringing.Brought | None, said: dict[str, Any]) -> str:
    by = account_of(request)
    if brought is None:
        made = actions.create_lesson(binder=binder, by=by, **said)
    else:
        made = bringing.create_from(binder=binder, brought=brought, by=by, **said)
        lost = brought.left_out
        toasts.say(
            request,
            f"The file has become {len(brought.sections)} section{'s' if len(brought.sections) != 1 else ''}."
            + (f" {lost} of its pictures could not be brought along." if lost else ""),
        )
    return reverse("writing:write", args=[made.module.public_id])


@never_cache
def write(request: HttpRequest, public_id: str) -> HttpResponse:
    """A section on the sheet (`section` says which, the first if unsaid), the others in the index."""
    lesson = lesson_for(request, public_id)
    desk = queries.desk_of(lesson, account_of(request).pk)
    asked = request.GET.get("section", "")
    current = next((line for line in desk.sections if line.section.public_id == asked), desk.sections[0])
    tree = current.section.tree
    numbers = {line.section.public_id: line.number for line in desk.sections}
    hosts = organisation().page_hosts
    drawing = Drawing(account_of(request).pk, media_of([tree]), hosts, is_written=True)
    # In the order of the tree, in which the page finds them again.
    drawn = [str(drawing.draw(node)) for node in _drawn_nodes(tree)]
    context = {
        **_around(request, desk),
        "current": current,
        "earlier_checks": [check for check in desk.checks if numbers[check.section] < current.number],
        "tree": tree,
        "schema": editor_schema(),
        "drawn": drawn,
        "is_with_others": any(line.taken_by for line in desk.sections),
        "has_earlier": current.section.earlier.exists(),
        **EDITING,
    }
    response = render(request, "writing/write.html", context)
    response._csp_update = {k: v for k, v in sources_of([tree], hosts).items() if v}  # type: ignore[attr-defined]
    return response


def _drawn_nodes(node: Any) -> list[Any]:
    return ([node] if node["type"] in DRAWN else []) + [
        found for child in node.get("content", ()) for found in _drawn_nodes(child)
    ]


def _around(request: HttpRequest, desk: queries.Desk) -> dict[str, Any]:
    lesson = desk.lesson
    newest = lesson.module.versions.order_by("-number").first()
    options = desk.content.options
    form = OptionsForm(
        initial={
            **{name: value for name, value in options.kept().items() if name != "cover"},
            **{f"cover_{name}": options.cover[name] for name in ("shows", "words") if options.cover},
            **{name: "yes" if getattr(options, name) else "no" for name in ("in_order", "has_next", "asks_right")},
        }
    )
    return {
        "lesson": lesson,
        "module": lesson.module,
        "desk": desk,
        "options": options,
        "options_form": form,
        "contrasts": contrasts(options),
        "newest": newest,
        "next_number": (newest.number if newest else 0) + 1,
        "panels": margin.panels("lesson", request, lesson.module),
        "here": "library",
    }


@never_cache
def around(request: HttpRequest, public_id: str) -> HttpResponse:
    """What stands around the sheet, asked for anew after something was saved: the sections, key terms, checks, what is missing."""
    desk = queries.desk_of(lesson_for(request, public_id), account_of(request).pk)
    asked = request.GET.get("section", "")
    current = next((line for line in desk.sections if line.section.public_id == asked), desk.sections[0])
    return render(request, "writing/around.html", {**_around(request, desk), "current": current})


@require_POST
def change_sections(request: HttpRequest, public_id: str) -> HttpResponse:
    """Add, duplicate, move, take out, put back or hide a section, as `do` says."""
    lesson, do = lesson_for(request, public_id), request.POST.get("do", "")
    by, named = account_of(request), request.POST.get("section", "")
    section = get_object_or_404(lesson.sections.all(), public_id=named) if named else None
    if section is not None:
        section.lesson = lesson
    try:
        shown = _change(request, lesson, section, do, by)
    except WritingError as refusal:
        toasts.trouble(request, str(refusal))
        shown = section
    return _to(lesson, shown)


def _change(request: HttpRequest, lesson: Lesson, section: Section | None, do: str, by: Any) -> Section | None:
    if do == "add":
        return actions.add_section(lesson=lesson, after=section, by=by)
    if section is None:
        raise Http404
    if do == "duplicate":
        return actions.duplicate_section(section=section, by=by)
    if do in ("up", "down"):
        live = list(lesson.sections.filter(removed_at=None).order_by("place", "pk").values_list("pk", flat=True))
        actions.move_section(section=section, to=live.index(section.pk) + (1 if do == "down" else -1), by=by)
    elif do == "move":
        actions.move_section(section=section, to=whole_number(request.POST.get("to", "")) or 0, by=by)
    elif do == "remove":
        actions.remove_section(section=section, by=by)
        toasts.say(request, "The section is taken out. It can be put back, at the foot of the index.")
        return None
    elif do == "put back":
        actions.put_back(section=section, by=by)
    elif do == "hide":
        actions.hide_until(section=section, check=request.POST.get("check", "")[:40], by=by)
    else:
        raise Http404
    return section


def _to(lesson: Lesson, section: Section | None) -> HttpResponseRedirect:
    address = reverse("writing:write", args=[lesson.module.public_id])
    return HttpResponseRedirect(f"{address}?section={section.public_id}" if section else address)


@require_POST
def set_options(request: HttpRequest, public_id: str) -> HttpResponse:
    """How the lesson is read and looks."""
    lesson, form = lesson_for(request, public_id), OptionsForm(request.POST, request.FILES)
    if form.is_valid():
        sent, by = form.cleaned_data["cover"], account_of(request)
        try:
            kept = sent and files.keep_picture(module=lesson.module, sent=sent, name=sent.name, size=sent.size, by=by)
            options = form.options(read_options(lesson.options), kept)
            actions.set_options(lesson=lesson, options=options, by=by)
        except LibraryError as refusal:
            toasts.trouble(request, f"Nothing was saved: {refusal}")
    else:
        name, errors = next(iter(form.errors.items()))
        toasts.trouble(request, f"Nothing was saved. {form.fields[name].label}: {errors[0]}")
    named = request.POST.get("section", "")[:20]
    return _to(lesson, lesson.sections.filter(public_id=named).first())


def release(request: HttpRequest, public_id: str) -> HttpResponse:
    """What is wrong first; then the next version."""
    lesson = lesson_for(request, public_id)
    form = ReleaseForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            version = release_lesson(lesson=lesson, note=form.cleaned_data["note"], by=account_of(request))
        except NotFinished as refusal:
            toasts.trouble(request, str(refusal))
            return redirect("writing:release", public_id=public_id)
        toasts.say(
            request,
            f"That is version {version.number}. Released editions keep theirs; drafts of courses may take this one.",
        )
        return redirect("library:module", public_id=public_id)
    desk = queries.desk_of(lesson, account_of(request).pk)
    context = {
        **_around(request, desk),
        "form": form,
        "current": desk.sections[0],
        "links": len(dead_links.links_of(lesson)),
        "asks_links": organisation().fetches_links,
    }
    return render(request, "writing/release.html", context)


def contrast(request: HttpRequest, public_id: str) -> HttpResponse:
    """What can be read on a paper, before it is chosen for good."""
    lesson = lesson_for(request, public_id)
    chosen = {name: request.GET.get(name, "") for name in ("paper", "head_colour")}
    try:
        options = read_options({**lesson.options, **chosen})
    except BadTree:
        raise Http404 from None
    return render(request, "writing/contrasts.html", {"contrasts": contrasts(options), "module": lesson.module})


@require_POST
def ask_links(request: HttpRequest, public_id: str) -> HttpResponse:
    """Have the servers asked that its links lead to."""
    try:
        dead_links.ask_for_links(lesson=lesson_for(request, public_id), by=account_of(request))
    except WritingError as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("writing:release", public_id=public_id)


@never_cache
def earlier(request: HttpRequest, public_id: str) -> HttpResponse:
    """The earlier states of a section, one of them beside what it is now; `POST` fetches one back."""
    section = section_for(request, public_id)
    if request.method == "POST":
        chosen = get_object_or_404(
            section.earlier.select_related("section__lesson__module"), pk=whole_number(request.POST.get("state"))
        )
        try:
            actions.fetch_back(earlier=chosen, by=account_of(request))
            toasts.say(request, "It is as it was then. What it was just now is among its earlier states.")
        except WritingError as refusal:
            toasts.trouble(request, str(refusal))
        return _to(section.lesson, section)
    states = list(section.earlier.all())
    asked = whole_number(request.GET.get("state", ""))
    chosen_state = next((state for state in states if state.pk == asked), states[0] if states else None)
    context = {
        "section": section,
        "module": section.lesson.module,
        "states": states,
        "chosen": chosen_state,
        "here": "library",
    }
    if chosen_state is not None:
        context |= queries.compared(chosen_state, section)
    return render(request, "writing/earlier.html", context)
