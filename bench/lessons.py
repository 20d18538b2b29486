"""A long lesson beside a short one: opened to be written, saved, read; the same number of blocks in each section."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from statistics import median
from typing import Any

from django.test import Client
from django.urls import reverse

from bench import check, company
from stepladder.library.actions import create_binder
from stepladder.writing import actions
from stepladder.writing.models import Lesson, Section
from stepladder.writing.releasing import release_lesson

TIMES = 15
WORDS = "A fire in a cabin doubles about every minute; what is done in the first one decides whether it stays a cabin. "


def run(blocks: int, beside: int) -> list[str]:
    """Lines of what it came to for a lesson of so many blocks, all in one section, beside one of a few."""
    company.found(1)
    admin = company.administrator()
    binder = create_binder(name="Deck", owner=admin, is_shared=True, by=company.BY)
    client = Client()
    client.force_login(admin)
    figures = {}
    for count in (beside, blocks):
        lesson = _lesson(f"Of {count}", count, binder, admin)
        figures[count] = _measured(client, lesson, admin)
    lines = []
    for name in figures[blocks]:
        few, many = figures[beside][name], figures[blocks][name]
        lines.append(
            f"{name}: {blocks} blocks {many * 1000:.0f} ms, {beside} blocks {few * 1000:.0f} ms, ratio {many / few:.1f}"
        )
    return lines


def _lesson(title: str, count: int, binder: Any, admin: Any) -> Lesson:
    lesson = actions.create_lesson(binder=binder, title=title, by=admin)
    actions.save_section(section=lesson.sections.get(), revision=None, title="One", tree=_tree(count, ""), by=admin)
    return lesson


def _tree(count: int, more: str) -> dict[str, Any]:
    """Nine paragraphs, then a check, and so on."""
    question = {"kind": "true_false", "text": "Is it so?"}
    content: list[dict[str, Any]] = []
    for n in range(count):
        if n % 10 == 9:
            content.append({"type": "check", "attrs": {"id": f"b{n}", "question": question}})
            continue
        words = {"type": "text", "text": f"{WORDS * 2}{more if not n else ''}"}
        content.append({"type": "paragraph", "attrs": {"id": f"b{n}"}, "content": [words]})
    return {"type": "doc", "content": content}


def _measured(client: Client, lesson: Lesson, admin: Any) -> dict[str, float]:
    section = lesson.sections.get()
    module, count = lesson.module, len(section.tree["content"])
    written = reverse("writing:write", args=[module.public_id])
    address = reverse("writing:save", args=[section.public_id])
    found = {"opened to be written": _timed(lambda n: _ok(client.get(written)))}
    found["saved"] = _timed(lambda n: _save(client, address, section, count, n))
    release_lesson(lesson=lesson, by=admin)
    tried = reverse("playing:try_module", args=[module.public_id])
    found["read"] = _timed(lambda n: _ok(client.get(tried)))
    return found


def _save(client: Client, address: str, section: Section, count: int, n: int) -> None:
    revision = Section.objects.values_list("revision", flat=True).get(pk=section.pk)
    body = {"revision": revision, "title": "One", "tree": _tree(count, f"and {n}"), "name": f"s{n}"}
    _ok(client.post(address, json.dumps(body), content_type="application/json"))


def _ok(answer: Any) -> None:
    check(answer.status_code == 200, f"it answered {answer.status_code}")


def _timed(act: Callable[[int], None]) -> float:
    spent = []
    for n in range(TIMES):
        began = time.perf_counter()
        act(n)
        spent.append(time.perf_counter() - began)
    return median(spent)
