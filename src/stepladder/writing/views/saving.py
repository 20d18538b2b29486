"""What the editor's page sends and asks: sections to be saved, who writes where, blocks to be drawn, files. All of it JSON."""

from __future__ import annotations

import math
from typing import Any

from django.core import signing
from django.core.exceptions import PermissionDenied
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.organisation import organisation
from stepladder.accounts.signed_in import account_of
from stepladder.core.lessons import BadTree, check_tree
from stepladder.core.lessons.tree import MOST_BYTES
from stepladder.core.numbers import whole_number
from stepladder.core.questions import BadAnswer
from stepladder.library.errors import LibraryError, Unusable
from stepladder.library.models import Module, ModuleVersion
from stepladder.playing.reading import Unreadable, read_object
from stepladder.refusals import Refusal
from stepladder.web.sheets import NewerChange
from stepladder.web.templatetags.web import clock_time
from stepladder.writing import actions, files, queries
from stepladder.writing.asking import answer_of, show_question
from stepladder.writing.content import Content, content_of_draft, content_of_version, media_of
from stepladder.writing.errors import SectionTaken
from stepladder.writing.models import Section
from stepladder.writing.player import stage_of
from stepladder.writing.reading import Reading
from stepladder.writing.rendering import Drawing
from stepladder.writing.views.finding import lesson_for, section_for

MOST_DRAWN = 300


@require_POST
def save(request: HttpRequest, public_id: str) -> JsonResponse:
    """A section as it is in somebody's page. Behind somebody else's change it is not saved: both are told, side by side."""
    section, by = section_for(request, public_id), account_of(request)
    try:
        sent = _sent(request)
        revision = sent.get("revision")
        if revision is not None and (not isinstance(revision, int) or isinstance(revision, bool)):
            raise Unreadable("“revision” is a number")
        title = str(sent.get("title", ""))[:200].replace("\n", " ").strip()
        name = str(sent.get("name", ""))[:40]
        saved = actions.save_section(
            section=section, revision=revision, title=title, tree=sent.get("tree", {}), by=by, name=name
        )
    except Unreadable as refusal:
        return JsonResponse({"says": f"This cannot be saved: {refusal}."}, status=400)
    except NewerChange as newer:
        return JsonResponse({"says": str(newer), "theirs": _theirs(request, section)}, status=409)
    except SectionTaken as refusal:
        return JsonResponse({"says": str(refusal), "taken": refusal.name}, status=423)
    except Refusal as refusal:
        return JsonResponse({"says": str(refusal)}, status=422)
    return JsonResponse({"revision": saved.revision, "kept": clock_time(saved.changed_at)})


def _sent(request: HttpRequest) -> dict[str, Any]:
    # Asked of the head: of what is larger than forms are the body is not even read.
    if (whole_number(request.headers.get("Content-Length")) or 0) > MOST_BYTES:
        raise Unreadable(
            f"a section has at most {MOST_BYTES // 1024**2} MB; pictures are put in by themselves. Make two of it"
        )
    return read_object(request.body, most=MOST_BYTES)


def _theirs(request: HttpRequest, section: Section) -> dict[str, Any]:
    now = Section.objects.get(pk=section.pk)
    drawing = Drawing(account_of(request).pk, media_of([now.tree]), organisation().page_hosts, is_written=True)
    return {
        "by": now.changed_by,
        "at": clock_time(now.changed_at),
        "revision": now.revision,
        "title": now.title,
        "tree": now.tree,
        "html": "".join(f'<div class="blk">{block.html}</div>' for block in drawing.blocks(now.tree)),
    }


@require_POST
def take(request: HttpRequest, public_id: str) -> JsonResponse:
    """Begin to write in a section, or (`leave`) go on elsewhere."""
    section, by = section_for(request, public_id), account_of(request)
    try:
        if request.GET.get("leave"):
            actions.leave_section(section=section, by=by)
        else:
            actions.take_section(section=section, by=by)
    except SectionTaken as refusal:
        return JsonResponse({"says": str(refusal), "taken": refusal.name}, status=423)
    return JsonResponse({"revision": section.revision})


def present(request: HttpRequest, public_id: str) -> JsonResponse:
    """Who else writes in which section, and at which revision each is."""
    lesson, me = lesson_for(request, public_id), account_of(request).pk
    rows = lesson.sections.filter(removed_at=None).select_related("taken_by").defer("tree")
    sections = {
        one.public_id: {
            "revision": one.revision,
            "by": one.taken_by.name if one.taken_by and one.is_taken_from(me) else "",
            "changed_by": one.changed_by,
        }
        for one in rows
    }
    return JsonResponse({"sections": sections})


@require_POST
def draw(request: HttpRequest, public_id: str) -> JsonResponse:
    """Blocks as they will read, for the page on which they are written."""
    lesson = lesson_for(request, public_id)
    try:
        blocks = _sent(request).get("blocks")
        if not isinstance(blocks, list) or not 0 < len(blocks) <= MOST_DRAWN:
            raise Unreadable(f"“blocks” is a list of at most {MOST_DRAWN}")
        checked = [check_tree({"type": "doc", "content": [block]}) for block in blocks]
    except (Unreadable, BadTree) as refusal:
        return JsonResponse({"says": f"This cannot be shown: {refusal}"}, status=422)
    policy.require(request.user, "change modules", lesson.module)
    drawing = Drawing(account_of(request).pk, media_of(checked), organisation().page_hosts, is_written=True)
    return JsonResponse({"html": [str(drawing.draw(one["content"][0])) for one in checked]})


@require_POST
def keep_file(request: HttpRequest, public_id: str) -> JsonResponse:
    """A picture, a part of one that is there (`crop`), a film's captions (`captions`), or (`attach`) a file to take along."""
    lesson, by = lesson_for(request, public_id), account_of(request)
    try:
        if digest := request.POST.get("crop", ""):
            part = _part(request.POST.get("part", ""))
            return JsonResponse(files.crop_picture(module=lesson.module, digest=digest, part=part, by=by))
        sent = request.FILES.get("file")
        if sent is None:
            raise Unusable("Choose a file first.")
        if request.POST.get("captions"):
            return JsonResponse(files.keep_captions(module=lesson.module, sent=sent, size=sent.size or 0, by=by))
        keep = files.keep_file if request.POST.get("attach") else files.keep_picture
        return JsonResponse(keep(module=lesson.module, sent=sent, name=sent.name or "file", size=sent.size or 0, by=by))
    except LibraryError as refusal:
        return JsonResponse({"says": str(refusal)}, status=422)


def _part(text: str) -> tuple[float, float, float, float]:
    try:
        x, y, width, height = (float(one) for one in text[:100].split(","))
    except ValueError:
        raise Unusable("Say which part of the picture is meant.") from None
    if not all(map(math.isfinite, (x, y, width, height))):
        raise Unusable("Say which part of the picture is meant.")
    return x, y, width, height


def pick(request: HttpRequest, public_id: str) -> HttpResponse:
    """Films, sound or documents (`kind`) of the library to be shown in a lesson, by words."""
    lesson_for(request, public_id)
    kind = {"film": "video", "sound": "audio", "document": "document"}.get(request.GET.get("kind", ""), "video")
    found = queries.modules_to_show(account_of(request), kind, request.GET.get("q", "")[:200])
    return render(request, "writing/picked.html", {"found": found, "kind": kind})


def read(request: HttpRequest, public_id: str) -> HttpResponse:
    """The draft as a learner reads it, on the sheet itself: one section, whose checks can be tried."""
    lesson = lesson_for(request, public_id)
    content = content_of_draft(lesson)
    named = request.GET.get("section", "")
    at = next((n for n, section in enumerate(content.sections, 1) if section.key == named), 1)
    everything = Reading(content, [], [section.key for section in content.sections], {})
    whose = f"draft-{lesson.pk}"
    drawing = Drawing(account_of(request).pk, media_of(content.trees), organisation().page_hosts, whose=whose)
    context = stage_of(request, everything, drawing, at)
    return render(request, "writing/read_here.html", {**context, "module": lesson.module})


@require_POST
def try_draft(request: HttpRequest, public_id: str) -> JsonResponse:
    """An answer to a check of a draft, tried; nothing is kept."""
    lesson = lesson_for(request, public_id)
    return _tried(request, content_of_draft(lesson), f"draft-{lesson.pk}")


@require_POST
def try_answer(request: HttpRequest, version: str) -> JsonResponse:
    """An answer to a check of a version, tried; nothing is kept."""
    shown = policy.visible(request.user, "use modules", Module.objects.all())
    found = get_object_or_404(ModuleVersion, public_id=version, module__in=shown, lesson__isnull=False)
    return _tried(request, content_of_version(found), f"version-{found.pk}")


def _tried(request: HttpRequest, content: Content, whose: str) -> JsonResponse:
    try:
        sent = read_object(request.body)
        found = content.check(str(sent.get("check", ""))[:40])
        if found is None:
            raise Unreadable("there is no such check")
        raw, name = found[1]["attrs"]["question"], found[1]["attrs"]["id"]
        answer_of(raw, name, whose, sent.get("given"))
    except (Unreadable, BadAnswer) as refusal:
        return JsonResponse({"says": f"This answer cannot be read: {refusal}."}, status=400)
    given = {"given": sent.get("given"), "best": "0"}
    shown = show_question(raw, name, whose, given)
    said = render(request, "writing/blocks/check_said.html", {"shown": shown}).content.decode()
    return JsonResponse({"check": {"name": name, "said": said}})


def show_file(request: HttpRequest, token: str) -> FileResponse:
    """An attachment, for the account that its address was made for."""
    try:
        return files.show_file(token, account_of(request).pk)
    except signing.BadSignature:
        raise PermissionDenied("This address is no longer good. Open the lesson again.") from None
