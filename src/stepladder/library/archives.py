"""Unpacking what came in an archive: piece by piece, going on where it stopped."""

from __future__ import annotations

import shutil
import zipfile
import zlib
from pathlib import Path

from django.db import transaction

from stepladder.core.packages.archive import is_extra
from stepladder.library import storage
from stepladder.library.errors import Unusable, is_of_the_machine
from stepladder.library.kinds.base import Progress
from stepladder.library.models import ModuleVersion, PackageFile
from stepladder.library.parsing.zips import members

__all__ = ["unpack"]

FILES_A_PIECE = 100


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
