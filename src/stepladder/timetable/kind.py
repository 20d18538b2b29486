"""Teaching in a room or live online. It comes from no file: it is planned, and done by being there."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import Any

from django.http import HttpRequest

from stepladder.library.kinds import Kind, Made, Worked
from stepladder.library.models import Module, ModuleVersion
from stepladder.timetable.module_forms import ThresholdForm
from stepladder.web.margin import Panel

__all__ = ["DEFAULT_SHARE", "KIND", "made", "threshold"]

DEFAULT_SHARE = 80


def made(title: str, length: int, share: int, description: str = "") -> Worked:
    """A session of so many minutes, attended from a share of them on (percent, rule 9)."""
    return Worked(title, length, {"share": share}, description)


def threshold(data: Mapping[str, Any]) -> Fraction:
    """From which share of the time on somebody attended. Rule: 9."""
    return Fraction(int(data.get("share", DEFAULT_SHARE)), 100)


def describe(data: Mapping[str, Any]) -> str:
    return f"attended from {data.get('share', DEFAULT_SHARE)} % of the time on"


def section(request: HttpRequest, module: Module, version: ModuleVersion | None) -> Panel | None:
    """From which share of the time on somebody attended."""
    if version is None:
        return None
    form = ThresholdForm(initial=version.data)
    return Panel("Attended", "timetable/module_section.html", {"form": form, "module": module})


KIND = Kind(
    "session",
    describe,
    lambda data: "done by attending a session",
    made=Made("Taught in a room or live online?", "New session to teach…", "timetable:new_module"),
    section=section,
    is_played=False,
)
