"""Files that a lesson brings with it: pictures made anew, and attachments to be taken along."""

from __future__ import annotations

from typing import IO, Any

from django.core import signing
from django.db import transaction
from django.http import FileResponse, Http404
from django.urls import reverse

from stepladder.accounts import policy
from stepladder.journal.actions import Actor
from stepladder.library import own_pictures, storage
from stepladder.library.captions import read_captions
from stepladder.library.errors import Unusable
from stepladder.library.kinds import detect_type
from stepladder.library.models import Module, StoredFile
from stepladder.library.parsing.own_picture import Part
from stepladder.library.uploads import KEPT_FREE
from stepladder.writing.models import LessonFile

__all__ = [
    "CAPTIONS_NAME",
    "MOST_BYTES",
    "crop_picture",
    "file_url",
    "keep_captions",
    "keep_file",
    "keep_picture",
    "show_file",
]

# An attachment: what one takes along from a page, not a film.
MOST_BYTES = 50 * 1024**2
SALT = "stepladder.writing.files"
VALID_SECONDS = 12 * 3600
MOST_CAPTIONS, CAPTIONS, CAPTIONS_NAME = 2 * 1024**2, "text/vtt", "captions.vtt"


def keep_picture(*, module: Module, sent: IO[bytes], name: str, size: int, by: Actor) -> dict[str, Any]:
    """A picture for a lesson, made anew: its digest, width and height. Raises Unusable."""
    policy.require(by, "change modules", module)
    digest, width, height = own_pictures.keep_whole(sent, name, size)
    return {"file": digest, "width": width, "height": height}


def crop_picture(*, module: Module, digest: str, part: Part, by: Actor) -> dict[str, Any]:
    """A part of a picture that is kept already, as a picture of its own; the whole one stays. Raises Unusable."""
    policy.require(by, "change modules", module)
    if not own_pictures.is_kept(digest):
        raise Unusable("This picture is not there any more. Choose another.")
    path = own_pictures.path_of(digest)
    with path.open("rb") as sent:
        kept, width, height = own_pictures.keep_whole(sent, "picture.webp", path.stat().st_size, part)
    return {"file": kept, "width": width, "height": height}


def keep_file(*, module: Module, sent: IO[bytes], name: str, size: int, by: Actor) -> dict[str, Any]:
    """A file for a lesson's readers to take along: its digest, name and size. Raises Unusable."""
    policy.require(by, "change modules", module)
    if not 0 < size <= MOST_BYTES:
        raise Unusable(
            f"“{name}” is empty, or larger than {MOST_BYTES // 1024**2} MB, the most that is attached. Bring it "
            "into the library and show it as a document or film instead."
        )
    if size + KEPT_FREE > storage.free_bytes():
        raise Unusable("The disk is almost full, so nothing was taken. Ask whoever runs this installation.")
    folder = storage.workplace()
    try:
        given = storage.write_down(sent, folder)
        with transaction.atomic():
            stored = storage.keep(given, detect_type(given))
            LessonFile.objects.get_or_create(module=module, stored=stored)
    finally:
        storage.drop_workplace(folder)
    return {"file": stored.sha256, "name": name[:255], "size": stored.size}


def keep_captions(*, module: Module, sent: IO[bytes], size: int, by: Actor) -> dict[str, Any]:
    """Captions (WebVTT or SRT) of a film from elsewhere: the digest that they are kept by. Raises Unusable."""
    policy.require(by, "change modules", module)
    if not 0 < size <= MOST_CAPTIONS:
        raise Unusable("Captions are a text of 2 MB at most. Choose a .vtt or .srt file.")
    try:
        text = read_captions(sent.read(MOST_CAPTIONS + 1).decode("utf-8-sig"))
    except UnicodeDecodeError:
        raise Unusable("The captions are not in UTF-8. Save them so, and choose them again.") from None
    folder = storage.workplace()
    try:
        given = folder / "captions.vtt"
        given.write_text(text, encoding="utf-8")
        with transaction.atomic():
            stored = storage.keep(given, CAPTIONS)
            LessonFile.objects.get_or_create(module=module, stored=stored)
    finally:
        storage.drop_workplace(folder)
    return {"captions": stored.sha256}


def file_url(digest: str, name: str, account: int) -> str:
    """The address of an attachment, for one account."""
    return reverse("writing:file", args=[signing.dumps({"f": digest, "n": name, "a": account}, salt=SALT)])


def show_file(token: str, account: int) -> FileResponse:
    """An attachment, to keep: never shown in the page's own origin; captions, for the film they belong to. Raises BadSignature, Http404."""
    said = signing.loads(token, salt=SALT, max_age=VALID_SECONDS)
    if said["a"] != account:
        raise signing.BadSignature
    stored = StoredFile.objects.filter(sha256=said["f"], in_lessons__isnull=False).first()
    if stored is None:
        raise Http404
    path = storage.file_of(stored)
    if said["n"] == CAPTIONS_NAME:
        # Whatever it is: as captions no browser runs any of it.
        return FileResponse(path.open("rb"), content_type=CAPTIONS)
    return FileResponse(path.open("rb"), as_attachment=True, filename=said["n"] or "attachment")
