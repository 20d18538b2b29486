"""SCORM packages: other people's content, unpacked and played on a content host."""

from __future__ import annotations

import zipfile
import zlib
from collections.abc import Mapping
from dataclasses import asdict
from decimal import Decimal
from typing import Any

from stepladder.core.packages.archive import ArchiveError, Entry, check_entries
from stepladder.core.packages.manifest import Manifest, Sco, find_manifest, read_manifest
from stepladder.library.errors import Unusable, is_of_the_machine
from stepladder.library.kinds.base import Kind, Material, Worked

STANDARDS = {"scorm12": "SCORM 1.2", "scorm2004": "SCORM 2004"}
MANIFEST_LIMIT = 8 * 1024**2


def work_out(material: Material) -> Worked:
    """Title, minutes and what is launched, from the manifest; nothing is unpacked yet."""
    try:
        with zipfile.ZipFile(material.path) as archive:
            files = check_entries(_entry(info) for info in archive.infolist())
            names = [entry.name for entry in files]
            folder = find_manifest(names)
            inside = frozenset(n.removeprefix(folder) for n in names if n.startswith(folder))
            damaged = archive.testzip()
            if damaged:
                raise ArchiveError(f"“{damaged}” inside is damaged. Export or download the package again.")
            manifest = read_manifest(_manifest_bytes(archive, folder + "imsmanifest.xml"), inside)
    except ArchiveError as error:
        raise Unusable(f"“{material.name}”: {error}") from None
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, OSError) as error:
        if is_of_the_machine(error):
            raise
        raise Unusable(
            f"“{material.name}” is cut off or damaged, so it cannot be unpacked. Export or download it again."
        ) from None
    return Worked(manifest.title[:200], manifest.minutes or 0, _data(manifest, folder), manifest.description)


def _entry(info: zipfile.ZipInfo) -> Entry:
    mode = info.external_attr >> 16
    return Entry(
        info.filename,
        info.file_size,
        info.compress_size,
        is_folder=info.is_dir(),
        is_link=(mode & 0o170000) == 0o120000,
        is_encrypted=bool(info.flag_bits & 0x1),
    )


def _manifest_bytes(archive: zipfile.ZipFile, name: str) -> bytes:
    with archive.open(name) as source:
        xml = source.read(MANIFEST_LIMIT + 1)
    if len(xml) > MANIFEST_LIMIT:
        raise ArchiveError("imsmanifest.xml is larger than 8 MB, which no package needs. Export the package again.")
    return xml


def _data(manifest: Manifest, folder: str) -> dict[str, Any]:
    return {"standard": manifest.standard, "folder": folder, "scos": [_plain(sco) for sco in manifest.scos]}


def _plain(sco: Sco) -> dict[str, Any]:
    """A sco as JSON takes it: exact decimals as text."""
    return {key: str(value) if isinstance(value, Decimal) else value for key, value in asdict(sco).items()}


def fact(data: Mapping[str, Any]) -> str:
    parts = len(data.get("scos", ()))
    return STANDARDS.get(data.get("standard", ""), "package") + (f", {parts} parts" if parts > 1 else "")


KIND = Kind(
    "package",
    (".zip", ".pif"),
    frozenset({"application/zip"}),
    work_out,
    fact,
    "done when the package says so",
    is_unpacked=True,
)
