"""The kinds of module: how each is recognised, worked out, and described. A new kind is one file here."""

from __future__ import annotations

from stepladder.library.errors import Unusable
from stepladder.library.kinds import audio, document, package, session, video
from stepladder.library.kinds.base import Kind, Material, Worked, detect_type

__all__ = ["KINDS", "Kind", "Material", "Worked", "detect_type", "kind_named", "kind_of"]

KINDS: dict[str, Kind] = {
    kind.name: kind for kind in (package.KIND, video.KIND, audio.KIND, document.KIND, session.KIND)
}


OTHER_ARCHIVES = {
    "application/x-rar-compressed": "a RAR archive",
    "application/vnd.rar": "a RAR archive",
    "application/x-7z-compressed": "a 7z archive",
    "application/gzip": "a GZ archive",
    "application/x-tar": "a TAR archive",
    "application/x-xz": "an XZ archive",
    "application/x-bzip2": "a BZ2 archive",
}


def kind_named(name: str) -> Kind:
    """The kind of a module."""
    return KINDS[name]


def kind_of(material: Material) -> Kind:
    """The kind that a file becomes. Raises Unusable where it is none, or where its name lies about it."""
    if material.size == 0:
        raise Unusable(f"“{material.name}” is empty (0 bytes). Export or copy it again, then upload it.")
    found = next((kind for kind in KINDS.values() if material.content_type in kind.types), None)
    named = next((kind for kind in KINDS.values() if material.extension in kind.extensions), None)
    if material.content_type in OTHER_ARCHIVES:
        raise Unusable(
            f"“{material.name}” is {OTHER_ARCHIVES[material.content_type]}, which is not opened here. Unpack it and zip the folder "
            "that holds imsmanifest.xml."
        )
    if found is None:
        raise Unusable(
            f"“{material.name}” is nothing that can be taught with here. Upload a SCORM package (.zip), a film (.mp4), "
            "sound (.mp3) or a PDF."
        )
    if named is not None and named is not found:
        raise Unusable(
            f"“{material.name}” is named like a {named.name} but holds a {found.name}. Give it its own ending "
            f"({found.extensions[0]}) and upload it again."
        )
    return found
