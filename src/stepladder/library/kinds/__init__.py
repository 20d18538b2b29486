"""The kinds of module there are: apps hand theirs in at start (`add_kind`), those of the library among them."""

from __future__ import annotations

from stepladder.library.errors import Unusable
from stepladder.library.kinds.base import Export, Kind, Made, Material, Worked, detect_type

__all__ = [
    "Export",
    "Kind",
    "Made",
    "Material",
    "Worked",
    "add_kind",
    "detect_type",
    "kind_named",
    "kind_of",
    "kinds",
    "upload_kinds",
]

_kinds: dict[str, Kind] = {}

OTHER_ARCHIVES = {
    "application/x-rar-compressed": "a RAR archive",
    "application/vnd.rar": "a RAR archive",
    "application/x-7z-compressed": "a 7z archive",
    "application/gzip": "a GZ archive",
    "application/x-tar": "a TAR archive",
    "application/x-xz": "an XZ archive",
    "application/x-bzip2": "a BZ2 archive",
}


def add_kind(kind: Kind) -> None:
    """Hand in a kind of module."""
    _kinds[kind.name] = kind


def kinds() -> list[Kind]:
    """All kinds, in the order in which they were handed in."""
    return list(_kinds.values())


def upload_kinds() -> list[Kind]:
    """The kinds that a file can become."""
    return [kind for kind in kinds() if kind.work_out is not None]


def kind_named(name: str) -> Kind:
    """The kind of a module; one whose app is not installed any more can be looked at and not played."""
    return _kinds.get(name) or Kind(
        name, lambda data: "", lambda data: "cannot be done: its kind is gone", is_played=False
    )


def kind_of(material: Material) -> Kind:
    """The kind that a file becomes. Raises Unusable where it is none, or where its name lies about it."""
    if material.size == 0:
        raise Unusable(f"“{material.name}” is empty (0 bytes). Export or copy it again, then upload it.")
    held = next((kind for kind in upload_kinds() if material.content_type in kind.types), None)
    named = next((kind for kind in upload_kinds() if material.extension in kind.extensions), None)
    if material.content_type in OTHER_ARCHIVES:
        raise Unusable(
            f"“{material.name}” is {OTHER_ARCHIVES[material.content_type]}, which is not opened here. Unpack it and zip the folder "
            "that holds imsmanifest.xml."
        )
    if held is None:
        *first, last = [kind.asked_for for kind in upload_kinds()]
        raise Unusable(
            f"“{material.name}” is nothing that can be taught with here. Upload {', '.join(first)} or {last}."
        )
    if named is not None and named is not held:
        raise Unusable(
            f"“{material.name}” is named like a {named.name} but holds a {held.name}. Give it its own ending "
            f"({held.extensions[0]}) and upload it again."
        )
    return held
