"""Uploads in parts that resume: tus 1.0.0, core protocol with creation and termination."""

from __future__ import annotations

import base64
import binascii
from typing import IO, cast

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.numbers import whole_number
from stepladder.library import storage
from stepladder.library.errors import LibraryError, PartUnderWay, WrongOffset
from stepladder.library.models import Binder, Module, Upload
from stepladder.library.uploads import begin_upload, discard_upload, finish_received, receive_part

VERSION = "1.0.0"


def _answer(status: int, text: str = "", **headers: str) -> HttpResponse:
    response = HttpResponse(text, status=status, content_type="text/plain; charset=utf-8")
    response.headers["Tus-Resumable"] = VERSION
    response.headers["Cache-Control"] = "no-store"
    for name, value in headers.items():
        response.headers[name.replace("_", "-")] = value
    return response


def _metadata(header: str) -> dict[str, str]:
    found = {}
    for pair in header.split(","):
        key, _, value = pair.strip().partition(" ")
        try:
            found[key] = base64.b64decode(value).decode("utf-8", "replace")
        except binascii.Error:
            continue
    return found


@require_http_methods(["POST"])
def uploads(request: HttpRequest) -> HttpResponse:
    """Creation: the length and the name are announced, the address to send to is answered."""
    by = account_of(request)
    said = _metadata(request.headers.get("Upload-Metadata", ""))
    binder = get_object_or_404(
        policy.visible(by, "change modules", Binder.objects.all()), public_id=said.get("binder", "")
    )
    replaces = None
    if said.get("module"):
        modules = policy.visible(by, "change modules", Module.objects.all())
        replaces = get_object_or_404(modules, public_id=said["module"])
    length = whole_number(request.headers.get("Upload-Length"))
    if length is None:
        return _answer(400, "The length of the file was not announced.")
    # The name is for people; on disk the upload has a name of its own. Slashes would only mislead.
    name = said.get("filename", "").replace("\\", "/").rsplit("/", 1)[-1].replace("\x00", "") or "file"
    folder = binder.folders.filter(public_id=said.get("folder", "")).first()
    try:
        upload = begin_upload(
            binder=binder,
            name=name,
            size=length,
            by=by,
            replaces=replaces,
            folder=folder,
            inside=[part for part in said.get("path", "").replace("\\", "/").split("/") if part not in ("", ".", "..")],
        )
    except LibraryError as refusal:
        return _answer(413, str(refusal))
    return _answer(201, Location=reverse("library:upload", args=[upload.public_id]), Upload_Offset="0")


@require_http_methods(["HEAD", "PATCH", "DELETE"])
def upload(request: HttpRequest, public_id: str) -> HttpResponse:
    """How much is there; a further part; or an end to it."""
    by = account_of(request)
    found = get_object_or_404(Upload.objects.select_related("binder"), public_id=public_id, account=by)
    if request.method == "DELETE":
        discard_upload(upload=found, by=by)
        return _answer(204)
    if request.method == "HEAD":
        # Whoever asks how much is there sends nothing more where all of it is.
        finish_received(upload=found)
        return _answer(200, Upload_Offset=str(_there(found)), Upload_Length=str(found.size))
    offset = whole_number(request.headers.get("Upload-Offset"))
    if request.content_type != "application/offset+octet-stream" or offset is None:
        return _answer(415, "Parts are sent as application/offset+octet-stream, with their offset.")
    if found.state != Upload.State.RECEIVING:
        return _answer(409, "This file has arrived already.")
    if offset + (whole_number(request.headers.get("Content-Length")) or 0) > found.size:
        return _answer(413, "More was sent than was announced. Start this upload again.")
    try:
        received = receive_part(upload=found, offset=offset, part=cast(IO[bytes], request), by=by)
    except WrongOffset as there:
        return _answer(409, f"The part does not begin at {there}.")
    except PartUnderWay as refusal:
        return _answer(423, str(refusal))
    except LibraryError as refusal:
        return _answer(413, str(refusal))
    return _answer(204, Upload_Offset=str(received))


def _there(found: Upload) -> int:
    if found.state != Upload.State.RECEIVING:
        return found.size
    # The file on disk is the truth: the process may have died before the row was written.
    path = storage.incoming(found)
    return path.stat().st_size if path.exists() else 0
