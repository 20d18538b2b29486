"""What a lesson is taken elsewhere as."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterable, Mapping
from pathlib import Path

from stepladder.core.finding import fold
from stepladder.core.lessons.outline import nodes_in
from stepladder.library import own_pictures
from stepladder.library.kinds import Export, Progress, TakenAlong
from stepladder.library.models import ModuleVersion
from stepladder.writing.away.addresses import Away
from stepladder.writing.away.manifests import manifest_1_2, manifest_2004
from stepladder.writing.away.page import page_of, shipped_files
from stepladder.writing.away.paper import paper_of
from stepladder.writing.content import Content, content_of_version, media_of
from stepladder.writing.to_markdown import markdown_of

__all__ = ["EXPORTS"]

# A zip that is made twice of the same lesson is the same.
_MADE = (1980, 1, 1, 0, 0, 0)
_BLOCK = 1024 * 1024
# Is small already: to press it once more only takes time.
_PRESSED = frozenset({".webp", ".jpg", ".mp4", ".m4v", ".webm", ".mp3", ".m4a", ".woff2", ".zip"})
ANSWERS_GO_OUT = (
    "Where there is no server of ours, checks are judged by what goes out with them: whoever gets this file can read the right answers "
    "in it."
)


def _name_of(version: ModuleVersion) -> str:
    words = re.sub(r"[^a-z0-9]+", "-", fold(version.module.title)).strip("-")[:60]
    return f"{words or 'lesson'}-v{version.number}"


def _pack(path: Path, texts: Mapping[str, bytes], files: Mapping[str, Path], progress: Progress) -> None:
    """A zip of what is at hand and of files, which are read a piece at a time: a film is larger than the memory."""
    total = len(texts) + len(files)
    with zipfile.ZipFile(path, "w") as archive:
        for count, (name, content) in enumerate(texts.items(), 1):
            archive.writestr(_entry(name), content)
            progress(count, total)
        for count, (name, source) in enumerate(files.items(), len(texts) + 1):
            with source.open("rb") as given, archive.open(_entry(name), "w", force_zip64=True) as target:
                while block := given.read(_BLOCK):
                    target.write(block)
            progress(count, total)


def _entry(name: str) -> zipfile.ZipInfo:
    entry = zipfile.ZipInfo(name, _MADE)
    entry.compress_type = zipfile.ZIP_STORED if Path(name).suffix in _PRESSED else zipfile.ZIP_DEFLATED
    return entry


def pictures_of(content: Content) -> list[str]:
    """The digests of all pictures in a lesson that are there, each once."""
    found = []
    for tree in content.trees:
        for node in nodes_in(tree):
            attrs = node.get("attrs") or {}
            found += [
                attrs.get(name, "") for name in ("file", "before_file", "after_file") if node["type"] != "attachment"
            ]
            found += [row["file"] for row in attrs.get("pictures", ())]
            question = attrs.get("question") or {}
            found += [(one.get("picture") or {}).get("file", "") for one in (question, *question.get("choices", ()))]
    return [digest for digest in dict.fromkeys(found) if digest and own_pictures.is_kept(digest)]


def _as_markdown(version: ModuleVersion, path: Path, progress: Progress) -> TakenAlong:
    """A zip with the lesson's text and its pictures."""
    content = content_of_version(version)
    text = markdown_of(
        version.module.title, content, media_of(content.trees), lambda digest: f"pictures/{digest[:16]}.webp"
    )
    files = {f"pictures/{digest[:16]}.webp": own_pictures.path_of(digest) for digest in pictures_of(content)}
    _pack(path, {"lesson.md": text.encode()}, files, progress)
    return TakenAlong(f"{_name_of(version)}-markdown.zip")


def _as_pages(version: ModuleVersion, path: Path, progress: Progress, standard: str) -> tuple[str, tuple[str, ...]]:
    content, away = content_of_version(version), Away(stands_alone=not standard)
    page = page_of(version, content, away, standard)
    texts = {"index.html": page.encode()} | shipped_files()
    others = [name for name in (*texts, *away.packed) if name != "index.html"]
    if standard:
        texts = {"imsmanifest.xml": _manifest(version, standard, others)} | texts
    _pack(path, texts, away.packed, progress)
    return _name_of(version), tuple(away.left_out)


def _manifest(version: ModuleVersion, standard: str, files: Iterable[str]) -> bytes:
    make = manifest_1_2 if standard == "1.2" else manifest_2004
    return make(key=version.public_id, title=version.module.title, files=files)


def _as_scorm_1_2(version: ModuleVersion, path: Path, progress: Progress) -> TakenAlong:
    name, left_out = _as_pages(version, path, progress, "1.2")
    return TakenAlong(f"{name}-scorm-1.2.zip", left_out)


def _as_scorm_2004(version: ModuleVersion, path: Path, progress: Progress) -> TakenAlong:
    name, left_out = _as_pages(version, path, progress, "2004")
    return TakenAlong(f"{name}-scorm-2004.zip", left_out)


def _as_html(version: ModuleVersion, path: Path, progress: Progress) -> TakenAlong:
    """A zip of pages: unpacked anywhere, index.html opens by itself."""
    name, left_out = _as_pages(version, path, progress, "")
    return TakenAlong(f"{name}-pages.zip", left_out)


def _as_pdf(version: ModuleVersion, path: Path, progress: Progress) -> TakenAlong:
    content = content_of_version(version)
    left_out = paper_of(version, content, path, progress)
    return TakenAlong(f"{_name_of(version)}.pdf", left_out)


EXPORTS = (
    Export("scorm-1.2", "SCORM 1.2", _as_scorm_1_2, ANSWERS_GO_OUT),
    Export("scorm-2004", "SCORM 2004", _as_scorm_2004, ANSWERS_GO_OUT),
    Export("html", "pages that stand alone (HTML)", _as_html, ANSWERS_GO_OUT),
    Export("pdf", "PDF", _as_pdf, "On paper checks are asked without their answers; those stand on a page at the end."),
    Export("markdown", "Markdown, with the right answers", _as_markdown, ANSWERS_GO_OUT),
)
