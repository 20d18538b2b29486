"""SCORM packages: other people's content, unpacked and played on a content host."""

from __future__ import annotations

import re
import zipfile
import zlib
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from decimal import Decimal
from typing import Any
from urllib.parse import unquote

from django.http import HttpRequest

from stepladder.core.numbers import exact_number
from stepladder.core.packages.archive import ArchiveError, Entry, check_entries, is_extra
from stepladder.core.packages.manifest import Manifest, Sco, find_manifest, read_manifest
from stepladder.core.packages.runtime import DoneWhen
from stepladder.library.errors import Unusable, is_of_the_machine
from stepladder.library.forms import DoneWhenForm
from stepladder.library.kinds.archives import info_of, manifest_bytes, members, unpack
from stepladder.library.kinds.base import Kind, Material, Worked
from stepladder.library.models import Module, ModuleVersion
from stepladder.web.margin import Panel

# Core's DoneWhen in words.
DONE_WHEN = {"said": "the package says so", "passed": "it is passed", "through": "it was gone through"}
STANDARDS = {"scorm12": "SCORM 1.2", "scorm2004": "SCORM 2004"}


def work_out(material: Material) -> Worked:
    """Title, minutes and what is launched, from the manifest; nothing is unpacked yet."""
    try:
        with zipfile.ZipFile(material.path) as archive:
            found = members(archive)
            names = [entry.name for entry in check_entries(_entry(info, name) for info, name in found)]
            path = find_manifest(names)
            folder = path.rpartition("/")[0] + "/" if "/" in path else ""
            # Whoever zips a folder instead of its files has the manifest in it, and it speaks of what is beside it.
            inside = frozenset(n.removeprefix(folder) for n in names if n.startswith(folder))
            # Now, while somebody waits for the answer: found while unpacking, the module would be in a course already.
            damaged = archive.testzip()
            if damaged:
                raise ArchiveError(f"“{damaged}” inside is damaged. Export or download the package again.")
            manifest = read_manifest(manifest_bytes(archive, info_of(found, path)), inside)
    except ArchiveError as error:
        raise Unusable(f"“{material.name}”: {error}") from None
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, OSError) as error:
        if is_of_the_machine(error):
            raise
        raise Unusable(
            f"“{material.name}” is cut off or damaged, so it cannot be unpacked. Export or download it again."
        ) from None
    left_out = [name for _, name in found if not name.endswith("/") and (is_extra(name) or not name.startswith(folder))]
    data = _data(manifest, folder) | {"files": len(inside), "left_out": len(left_out), "left_out_some": left_out[:5]}
    return Worked(material.title_or(manifest.title), manifest.minutes or 0, data, manifest.description)


def _entry(info: zipfile.ZipInfo, name: str) -> Entry:
    mode = info.external_attr >> 16
    return Entry(
        name,
        info.file_size,
        info.compress_size,
        is_folder=info.is_dir(),
        is_link=(mode & 0o170000) == 0o120000,
        is_encrypted=bool(info.flag_bits & 0x1),
    )


def _data(manifest: Manifest, folder: str) -> dict[str, Any]:
    return {"standard": manifest.standard, "folder": folder, "scos": [_plain(sco) for sco in manifest.scos]}


def _plain(sco: Sco) -> dict[str, Any]:
    """A sco as JSON takes it: exact decimals as text."""
    return {key: str(value) if isinstance(value, Decimal) else value for key, value in asdict(sco).items()}


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


KIND = Kind(
    "package",
    describe,
    done_when,
    asked_for="a SCORM package (.zip)",
    dropped_as="SCORM package",
    extensions=(".zip", ".pif"),
    types=frozenset({"application/zip"}),
    work_out=work_out,
    process=unpack,
    section=section,
)
