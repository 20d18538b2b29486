"""What an archive holds, by the names that were meant."""

from __future__ import annotations

import zipfile
import zlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from stepladder.core.packages.archive import ArchiveError, Entry, check_entries
from stepladder.core.packages.manifest import file_names, find_manifest
from stepladder.core.packages.names import best_code_page
from stepladder.library.errors import Unusable, is_of_the_machine
from stepladder.library.parsing.material import Material

__all__ = ["info_of", "manifest_bytes", "members", "opened", "safe_names"]

MANIFEST_LIMIT = 8 * 1024**2


@contextmanager
def opened(material: Material) -> Iterator[zipfile.ZipFile]:
    """The archive of a file. Raises Unusable for what is no archive, or a damaged one, and with what ArchiveError says."""
    try:
        with zipfile.ZipFile(material.path) as archive:
            yield archive
    except ArchiveError as error:
        raise Unusable(f"“{material.name}”: {error}") from None
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, OSError) as error:
        if is_of_the_machine(error):
            raise
        raise Unusable(
            f"“{material.name}” is cut off or damaged, so it cannot be unpacked. Export or download it again."
        ) from None


def safe_names(archive: zipfile.ZipFile, found: Sequence[tuple[zipfile.ZipInfo, str]]) -> list[str]:
    """The files of an archive that is safe to unpack and whole. Raises ArchiveError."""
    names = [entry.name for entry in check_entries(_entry(info, name) for info, name in found)]
    # Now, while somebody waits for the answer: found while unpacking, the module would be in a course already.
    damaged = archive.testzip()
    if damaged:
        raise ArchiveError(f"“{damaged}” inside is damaged. Export or download the package again.")
    return names


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
