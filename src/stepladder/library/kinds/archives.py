"""What is in a package's archive, and unpacking it."""

from __future__ import annotations

import shutil
import zipfile
import zlib
from collections.abc import Sequence
from pathlib import Path

from django.db import transaction

from stepladder.core.packages.archive import ArchiveError, is_extra
from stepladder.core.packages.manifest import file_names, find_manifest
from stepladder.core.packages.names import best_code_page
from stepladder.library import storage
from stepladder.library.errors import Unusable, is_of_the_machine
from stepladder.library.kinds.base import Progress
from stepladder.library.models import ModuleVersion, PackageFile

__all__ = ["info_of", "manifest_bytes", "members", "unpack"]

MANIFEST_LIMIT = 8 * 1024**2
FILES_A_PIECE = 100


def members(archive: zipfile.ZipFile) -> list[tuple[zipfile.ZipInfo, str]]:
    """What an archive lists, each with its name as it was meant: slashes between folders, letters in the archive's code page.

    The archive does not say the code page where it is not UTF-8; that in which the manifest's files are found is taken.
    """
    infos = archive.infolist()
    foreign = {info.filename: info.filename.encode("cp437") for info in infos if _is_foreign(info)}
    page = ""
    if foreign:
        page = best_code_page(list(foreign.values()), _listed(archive, infos))
    return [
        (info, (foreign[info.filename].decode(page) if info.filename in foreign else info.filename).replace("\\", "/"))
        for info in infos
    ]


def _is_foreign(info: zipfile.ZipInfo) -> bool:
    """Whether a name is written in a code page that is not said: it was read as the archive format's own."""
    return not info.flag_bits & 0x800 and not info.filename.isascii()


def _listed(archive: zipfile.ZipFile, infos: Sequence[zipfile.ZipInfo]) -> list[str]:
    """The files that the manifest lists; none where it cannot be read, which is said later."""
    named = [(info, info.filename.replace("\\", "/")) for info in infos]
    try:
        path = find_manifest([name for _, name in named])
        return file_names(manifest_bytes(archive, info_of(named, path)))
    except ArchiveError:
        return []


def info_of(found: Sequence[tuple[zipfile.ZipInfo, str]], path: str) -> zipfile.ZipInfo:
    return next(info for info, name in found if name == path)


def manifest_bytes(archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> bytes:
    with archive.open(info) as source:
        # One more than may be: what its entry says of its size is not believed.
        xml = source.read(MANIFEST_LIMIT + 1)
    if len(xml) > MANIFEST_LIMIT:
        raise ArchiveError("imsmanifest.xml is larger than 8 MB, which no package needs. Export the package again.")
    return xml


def unpack(version: ModuleVersion, progress: Progress) -> None:
    """Unpack a package's files piece by piece; what is there already is not done again."""
    assert version.original is not None
    folder = storage.package_folder(version)
    inside: str = version.data["folder"]
    unpacked = set(version.package_files.values_list("path", flat=True))
    with zipfile.ZipFile(storage.file_of(version.original)) as archive:
        every = members(archive)
        wanted = [(i, n) for i, n in every if not n.endswith("/") and n.startswith(inside) and not is_extra(n)]
        infos = [(info, name.removeprefix(inside)) for info, name in wanted]
        left = [(info, path) for info, path in infos if path not in unpacked]
        for start in range(0, len(left), FILES_A_PIECE):
            piece = left[start : start + FILES_A_PIECE]
            rows = [_extract(archive, info, folder, version, path) for info, path in piece]
            with transaction.atomic():
                PackageFile.objects.bulk_create(rows)
                progress(len(infos) - len(left) + start + len(piece), len(infos))


def _extract(
    archive: zipfile.ZipFile, info: zipfile.ZipInfo, folder: Path, version: ModuleVersion, path: str
) -> PackageFile:
    # Not by its name: two names may be one on some disks, and some are none.
    stored = f"{info.header_offset:x}"
    try:
        with archive.open(info) as source, (folder / stored).open("wb") as target:
            shutil.copyfileobj(source, target)
    except (zipfile.BadZipFile, zlib.error, EOFError, OSError) as error:
        if is_of_the_machine(error):
            raise
        raise Unusable(f"“{path}” in the package is damaged ({error}). Export or download the package again.") from None
    return PackageFile(version=version, path=path, stored=stored, size=info.file_size)
