"""Lessons as a kind of module: written here, of no file."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.http import HttpRequest

from stepladder.accounts import policy
from stepladder.library.kinds import Kind, Made
from stepladder.library.models import Module, ModuleVersion
from stepladder.web.margin import Panel
from stepladder.writing import copies
from stepladder.writing.exports import EXPORTS
from stepladder.writing.models import Lesson

__all__ = ["KIND", "describe"]


def describe(data: Mapping[str, Any]) -> str:
    sections, checks = data.get("sections", 0), data.get("checks", 0)
    said = f"{sections} section{'s' if sections != 1 else ''}"
    return f"{said}, {checks} check{'s' if checks != 1 else ''}" if checks else said


def section(request: HttpRequest, module: Module, version: ModuleVersion | None) -> Panel | None:
    """What is written in it, and the way to write on."""
    lesson = Lesson.objects.filter(module=module).first()
    if lesson is None or not policy.may(request.user, "change modules", module):
        return None
    sections = lesson.sections.filter(removed_at=None).defer("tree").order_by("place", "pk")
    context = {"lesson": lesson, "module": module, "sections": sections, "version": version}
    return Panel("Written here", "writing/module_section.html", context)


def place(data: Mapping[str, Any], number: float) -> str:
    return f"section {int(number)}"


KIND = Kind(
    "lesson",
    describe,
    lambda data: "done when every section was read" + (" and its checks are right" if data.get("asks_right") else ""),
    made=Made("Something to write yourself?", "New lesson…", "writing:new_lesson"),
    section=section,
    place=place,
    share=copies.share,
    exports=EXPORTS,
)
