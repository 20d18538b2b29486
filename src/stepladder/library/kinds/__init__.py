"""The kinds of module there are: apps hand theirs in at start (`add_kind`), those of the library among them."""

from __future__ import annotations

from stepladder.library.errors import Unusable
from stepladder.library.kinds.base import Export, Format, Kind, Made, Progress, TakenAlong
from stepladder.library.parsing.material import Material, Worked, detect_type

__all__ = [
    "Export",
    "Format",
    "Kind",
    "Made",
    "Material",
    "Progress",
    "TakenAlong",
    "Worked",
    "add_format",
    "add_kind",
    "detect_type",
    "format_for",
    "formats",
    "kind_named",
    "kinds",
]

_kinds: dict[str, Kind] = {}

_ARCHIVE = "which is not opened here. Unpack it and zip the folder that holds imsmanifest.xml."
_OLD_OFFICE = "in an old form of office file that is not read here. Save it as .docx, .pptx or .xlsx, or as a PDF."
# What is known and not taken, with what to do.
NOT_OPENED = {
    "application/x-rar-compressed": f"a RAR archive, {_ARCHIVE}",
    "application/vnd.rar": f"a RAR archive, {_ARCHIVE}",
    "application/x-7z-compressed": f"a 7z archive, {_ARCHIVE}",
    "application/gzip": f"a GZ archive, {_ARCHIVE}",
    "application/x-tar": f"a TAR archive, {_ARCHIVE}",
    "application/x-xz": f"an XZ archive, {_ARCHIVE}",
    "application/x-bzip2": f"a BZ2 archive, {_ARCHIVE}",
    "application/msword": _OLD_OFFICE,
    "application/vnd.ms-excel": _OLD_OFFICE,
    "application/vnd.ms-powerpoint": _OLD_OFFICE,
    "text/html": "a single web page. Zip it together with its pictures and styles, and upload the zip.",
    "video/x-msvideo": "an AVI film, which browsers do not play. Export it as MP4 (H.264 with AAC).",
    "video/x-ms-wmv": "a WMV film, which browsers do not play. Export it as MP4 (H.264 with AAC).",
    "video/x-flv": "an FLV film, which browsers do not play. Export it as MP4 (H.264 with AAC).",
    "video/mpeg": "an MPEG film, which browsers do not play. Export it as MP4 (H.264 with AAC).",
    "video/x-matroska": "a Matroska film, which not every browser plays. Export it as MP4 (H.264 with AAC).",
}


# Office files are archives; what is one by its name and no longer by what it holds was cut off.
ZIPPED_OFFICE = frozenset({".docx", ".pptx", ".xlsx", ".ods"})


def add_kind(kind: Kind) -> None:
    """Hand in a kind of module."""
    _kinds[kind.name] = kind


def kinds() -> list[Kind]:
    """All kinds, in the order in which they were handed in."""
    return list(_kinds.values())


def add_format(kind: str, form: Format) -> None:
    """Hand in a form of file that a kind of module is made of as well."""
    _kinds[kind] = _kinds[kind].with_format(form)


def formats() -> list[Format]:
    """The forms of files that become modules."""
    return [form for kind in kinds() for form in kind.formats]


def kind_named(name: str) -> Kind:
    """The kind of a module; one whose app is not installed any more can be looked at and not played."""
    return _kinds.get(name) or Kind(
        name, lambda data: "", lambda data: "cannot be done: its kind is gone", is_played=False
    )


def format_for(material: Material) -> tuple[Kind, Format]:
    """The kind that a file becomes, and the form that it is. Raises Unusable where it is none, or where its name lies about it."""
    if material.size == 0:
        raise Unusable(f"“{material.name}” is empty (0 bytes). Export or copy it again, then upload it.")
    if reason := NOT_OPENED.get(material.content_type):
        raise Unusable(f"“{material.name}” is {reason}")
    every = [(kind, form) for kind in kinds() for form in kind.formats]
    held = [(kind, form) for kind, form in every if material.content_type in form.types]
    named = [(kind, form) for kind, form in every if material.extension in form.extensions]
    if not held:
        *first, last = dict.fromkeys(form.asked_for for form in formats())
        raise Unusable(
            f"“{material.name}” is nothing that can be taught with here. Upload {', '.join(first)} or {last}."
        )
    if material.content_type == "application/zip" and material.extension in ZIPPED_OFFICE:
        raise Unusable(f"“{material.name}” is cut off or damaged. Save it again, or as a PDF, and upload that.")
    # Several forms of text are told apart by their names alone.
    fitting = [pair for pair in held if pair in named]
    if named and not fitting:
        raise Unusable(
            f"“{material.name}” is named like {named[0][1].asked_for} but holds {held[0][1].asked_for}. Give it its own ending "
            f"({held[0][1].extensions[0]}) and upload it again."
        )
    return (fitting or held)[0]
