"""A SCORM package: its title, minutes and what is launched, from its manifest; its words from its pages."""

from __future__ import annotations

import zipfile
from dataclasses import asdict
from decimal import Decimal
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlsplit

from stepladder.core.packages.archive import is_extra
from stepladder.core.packages.manifest import Manifest, Sco, find_manifest, read_manifest
from stepladder.library.parsing import zips
from stepladder.library.parsing.material import Material, Passage, Worked
from stepladder.library.parsing.web_pages import is_page, words_of_page

__all__ = ["work_out"]

# Of a package that is one page for each word of a dictionary, the first.
MOST_PAGES = 2000
LONGEST = 20_000


def work_out(material: Material, out: Path) -> Worked:
    """Title, minutes and what is launched, from the manifest; nothing is unpacked yet. Raises Unusable."""
    with zips.opened(material) as archive:
        found = zips.members(archive)
        names = zips.safe_names(archive, found)
        path = find_manifest(names)
        folder = path.rpartition("/")[0] + "/" if "/" in path else ""
        # Whoever zips a folder instead of its files has the manifest in it, and it speaks of what is beside it.
        inside = frozenset(n.removeprefix(folder) for n in names if n.startswith(folder))
        manifest = read_manifest(zips.manifest_bytes(archive, zips.info_of(found, path)), inside)
        passages = _passages(archive, found, folder, manifest.scos)
    left_out = [name for _, name in found if not name.endswith("/") and (is_extra(name) or not name.startswith(folder))]
    data = _data(manifest, folder) | {"files": len(inside), "left_out": len(left_out), "left_out_some": left_out[:5]}
    return Worked(
        material.title_or(manifest.title), manifest.minutes or 0, data, manifest.description, passages=passages
    )


def _data(manifest: Manifest, folder: str) -> dict[str, Any]:
    return {"standard": manifest.standard, "folder": folder, "scos": [_plain(sco) for sco in manifest.scos]}


def _plain(sco: Sco) -> dict[str, Any]:
    """A sco as JSON takes it: exact decimals as text."""
    return {key: str(value) if isinstance(value, Decimal) else value for key, value in asdict(sco).items()}


def _passages(
    archive: zipfile.ZipFile, found: list[tuple[zipfile.ZipInfo, str]], folder: str, scos: Any
) -> list[Passage]:
    """The words of its pages, each at the part that it is in: the one launched by it, or by a page of its folder."""
    launched = [unquote(urlsplit(sco.href).path).removeprefix("./") for sco in scos]
    pages = [(info, name.removeprefix(folder)) for info, name in found if name.startswith(folder) and is_page(name)]
    passages = []
    for info, name in pages[:MOST_PAGES]:
        title, words = words_of_page(archive, info)
        if words:
            passages.append(Passage(_part(name, launched), words[:LONGEST], title))
    return passages


def _part(name: str, launched: list[str]) -> int:
    """From 1; the first part where nothing tells."""
    if name in launched:
        return launched.index(name) + 1
    beside = name.rpartition("/")[0]
    return next((n for n, path in enumerate(launched, 1) if path.rpartition("/")[0] == beside), 1)
