"""Film, sound and PDF bytes at signed addresses of the application, with ranges."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

from django.core import signing
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse
from django.urls import reverse

from stepladder.accounts.switches import Switch, is_on
from stepladder.library import storage
from stepladder.library.models import ModuleVersion, Rights

__all__ = ["media_url", "ranged", "read_media_token", "show"]

SALT = "stepladder.playing.media"
VALID_SECONDS = 12 * 3600
BLOCK = 1024 * 1024
_RANGE = re.compile(r"^bytes=([0-9]{0,18})-([0-9]{0,18})$")


def media_url(version: int, account: int, what: str = "original") -> str:
    """The address of a version's file (or its captions) for one account."""
    token = signing.dumps({"v": version, "a": account, "w": what}, salt=SALT)
    return reverse("playing:media", args=[token])


def read_media_token(token: str) -> dict[str, object]:
    """What an address says. Raises signing.BadSignature."""
    said: dict[str, object] = signing.loads(token, salt=SALT, max_age=VALID_SECONDS)
    return said


# The original, to take along; packages are for the player alone.
KEPT, PACKAGE = "keep", "package"
# What is derived of a version is of these types and no others, whatever a file calls itself.
DERIVED_TYPES = {
    ".vtt": "text/vtt",
    ".jpg": "image/jpeg",
    ".webp": "image/webp",
    ".svg": "image/svg+xml",
    ".pdf": "application/pdf",
    ".mp4": "video/mp4",
    ".m4v": "video/mp4",
    ".mov": "video/mp4",
    ".webm": "video/webm",
    ".mp3": "audio/mpeg",
    ".m4a": "audio/mp4",
    ".ogg": "audio/ogg",
}
# What addresses call the two that every kind may have.
NAMED = {"captions": "captions.vtt", "still": "still.jpg"}
# Browsers take this wrapping for what it holds, but not by its own name.
PLAYED_AS = {"video/quicktime": "video/mp4", "video/x-m4v": "video/mp4", "audio/x-m4a": "audio/mp4"}


def show(request: HttpRequest, version: ModuleVersion, what: str) -> HttpResponseBase:
    """The original of a version, or something derived of it by its name. Raises Http404."""
    if what == "original":
        assert version.original is not None
        kind = PLAYED_AS.get(version.original.content_type, version.original.content_type)
        return ranged(request, storage.file_of(version.original), kind, version.original.sha256[:32])
    if what == KEPT:
        if not may_be_taken(version):
            raise Http404
        assert version.original is not None
        # Never shown in the page's own origin: what it is, whoever keeps it opens.
        path = storage.file_of(version.original)
        return FileResponse(path.open("rb"), as_attachment=True, filename=version.file_name)
    name = NAMED.get(what, what)
    path = storage.derived_folder(version) / name
    if path.suffix not in DERIVED_TYPES or "/" in name or not path.exists():
        raise Http404
    said = path.stat()
    return ranged(request, path, DERIVED_TYPES[path.suffix], f"{said.st_mtime_ns:x}-{said.st_size:x}")


def may_be_kept(version: ModuleVersion) -> bool:
    """Whether learners may take the file itself with them: where the module's rights say so, and it is a file for people."""
    return version.original is not None and version.module.rights == Rights.KEEP and version.module.kind != PACKAGE


DOWNLOADS = Switch(
    "downloads",
    "take the files of modules with them, where their rights say so",
    "learners play them here alone; whoever makes courses takes files as before.",
)


def may_be_taken(version: ModuleVersion) -> bool:
    """Whether a learner may take the file with them now."""
    return is_on(DOWNLOADS.name) and may_be_kept(version)


def kept_file(version: ModuleVersion, account: int) -> dict[str, object] | None:
    """The file to take along: its address, name and size; None where it may not be."""
    if version.original is None or not may_be_taken(version):
        return None
    return {"url": media_url(version.pk, account, KEPT), "name": version.file_name, "size": version.original.size}


def ranged(request: HttpRequest, path: Path, content_type: str, tag: str) -> HttpResponseBase:
    """A file, or the one range of it that was asked for."""
    size = path.stat().st_size
    etag = f'"{tag}"'
    if request.headers.get("If-None-Match") == etag:
        return HttpResponse(status=304, headers={"ETag": etag})
    first, last, status = 0, size - 1, 200
    asked = _RANGE.match(request.headers.get("Range", ""))
    if asked and request.headers.get("If-Range", etag) == etag and asked.groups() != ("", ""):
        start, end = asked.groups()
        if start:
            first, last = int(start), min(int(end), size - 1) if end else size - 1
        else:
            first = max(0, size - int(end))
        if first > last or first >= size:
            return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
        status = 206
    length = max(0, last - first + 1)
    response = StreamingHttpResponse(_read(path, first, length), status=status, content_type=content_type)
    response.headers["Content-Length"] = str(length)
    response.headers["Accept-Ranges"] = "bytes"
    response.headers["ETag"] = etag
    response.headers["Cache-Control"] = "private, max-age=3600"
    response.headers["Content-Security-Policy"] = "sandbox"
    if status == 206:
        response.headers["Content-Range"] = f"bytes {first}-{last}/{size}"
    return response


def _read(path: Path, first: int, length: int) -> Iterator[bytes]:
    with path.open("rb") as source:
        source.seek(first)
        while length > 0 and (block := source.read(min(BLOCK, length))):
            length -= len(block)
            yield block
