"""SCORM packages: other people's content, unpacked and played on a content host."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import unquote

from django.http import HttpRequest

from stepladder.core.numbers import exact_number
from stepladder.core.packages.runtime import DoneWhen
from stepladder.library.archives import unpack
from stepladder.library.forms import DoneWhenForm
from stepladder.library.kinds.base import Format, Kind
from stepladder.library.models import Module, ModuleVersion
from stepladder.library.parsing.package import work_out
from stepladder.web.margin import Panel

# Core's DoneWhen in words.
DONE_WHEN = {"said": "the package says so", "passed": "it is passed", "through": "it was gone through"}
STANDARDS = {"scorm12": "SCORM 1.2", "scorm2004": "SCORM 2004"}


@dataclass(frozen=True)
class Inside:
    """What a package holds, for who looks at its sheet: each part with its chapters, launch file and what it asks for."""

    standard: str
    files: int
    left_out: int
    left_out_some: list[str]
    done_when: str
    parts: list[InsidePart]


@dataclass(frozen=True)
class InsidePart:
    """A part: *mastery* in per cent as it is compared, empty where the package asks for no score."""

    title: str
    chapters: str
    launch: str
    mastery: str
    comes_after: str


def inside(data: Mapping[str, Any]) -> Inside:
    """What a version's package says of itself; of versions from before it was kept, without the files that were left out."""
    standard = data.get("standard", "")
    titles = {sco["key"]: sco["title"] for sco in data.get("scos", ())}
    return Inside(
        STANDARDS.get(standard, "package"),
        data.get("files", 0),
        data.get("left_out", 0),
        data.get("left_out_some", []),
        DONE_WHEN[data.get("done_when", "said")],
        [
            InsidePart(
                sco["title"] or f"Part {n}",
                " › ".join(sco.get("chapters", ())),
                unquote(sco["href"]),
                _percent(sco["mastery"], standard),
                _in_words(sco.get("prerequisites", ""), titles),
            )
            for n, sco in enumerate(data.get("scos", ()), 1)
        ],
    )


# The signs of SCORM 1.2's rules of what comes first.
SIGNS = {"&": " and ", "|": " or ", "~": "not "}


def _in_words(rule: str, titles: Mapping[str, str]) -> str:
    """A rule of what comes first, with the titles of parts instead of their identifiers."""
    named = re.sub(r"[A-Za-z0-9_][\w.\-:]*", lambda found: f"“{titles.get(found[0]) or found[0]}”", rule)
    return " ".join(re.sub(r"[&|~]", lambda found: SIGNS[found[0]], named).split())


def _percent(mastery: str | None, standard: str) -> str:
    share = exact_number(mastery) if mastery is not None else None
    if share is None:
        return ""
    return f"{float(share if standard == 'scorm12' else share * 100):g} %"


def describe(data: Mapping[str, Any]) -> str:
    parts = len(data.get("scos", ()))
    return STANDARDS.get(data.get("standard", ""), "package") + (f", {parts} parts" if parts > 1 else "")


def done_when(data: Mapping[str, Any]) -> str:
    return f"done when {DONE_WHEN[data.get('done_when', 'said')]}"


def section(request: HttpRequest, module: Module, version: ModuleVersion | None) -> Panel | None:
    """What is inside, and when it counts as done."""
    if version is None:
        return None
    form = DoneWhenForm(initial={"done_when": version.data.get("done_when", DoneWhen.SAID)})
    return Panel(
        "Inside", "library/package_inside.html", {"inside": inside(version.data), "form": form, "module": module}
    )


def place(data: Mapping[str, Any], part: float) -> str:
    """Nothing where the whole is one part."""
    return f"part {int(part)}" if len(data.get("scos", ())) > 1 else ""


PACKAGE = Format(
    "package",
    "a SCORM package (.zip)",
    "SCORM package",
    (".zip", ".pif"),
    frozenset({"application/zip"}),
    work_out,
    process=unpack,
)
KIND = Kind("package", describe, done_when, formats=(PACKAGE,), section=section, place=place)
