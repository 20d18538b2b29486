"""What a content host answers: the wrapper, the run-time scripts, the package's files, and commits."""

from __future__ import annotations

import codecs
import mimetypes
import re
import unicodedata
from pathlib import Path
from urllib.parse import quote, unquote, urlsplit

from django.conf import settings
from django.contrib.staticfiles import finders
from django.core.exceptions import PermissionDenied
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.template.loader import render_to_string
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from stepladder.core.numbers import whole_number
from stepladder.learning.errors import LearningError
from stepladder.learning.models import Attempt
from stepladder.library import storage
from stepladder.library.models import ModuleVersion, PackageFile
from stepladder.playing import media, runtime
from stepladder.playing.launches import LaunchToken, Refused, port_of, read_token
from stepladder.playing.models import part_keys
from stepladder.playing.package_trouble import keep_refused
from stepladder.playing.reading import BODY_LIMIT, Unreadable, read_commit
from stepladder.playing.standards import scripts

LIBRARY = {
    "shown.js": "playing/js/shown.js",
    "pdf.js": "playing/js/pdf.js",
    "pdf.min.mjs": "web/vendor/pdf.min.mjs",
    "pdf.worker.min.mjs": "web/vendor/pdf.worker.min.mjs",
}
# Packages are other people's pages: they may do on their own host what pages do, but load nothing from elsewhere.
PACKAGE_POLICY = (
    "default-src 'self' 'unsafe-inline' 'unsafe-eval' data: blob:; frame-ancestors 'self' {app}; form-action 'self'; "
    "base-uri 'self'; object-src 'self'"
)


def _app_origin(request: HttpRequest) -> str:
    return f"{request.scheme}://{settings.APP_HOST}{port_of(request)}"


def _load(request: HttpRequest, token: str, *, is_parting: bool = False) -> tuple[LaunchToken, Attempt | None]:
    """What the token says and its attempt; none in a trial.

    Packages report every few seconds: what only the last report needs (whose it is, of which course) is read when that comes.
    """
    said = read_token(token, request.get_host(), is_parting=is_parting)
    if said.attempt is None:
        return said, None
    found = Attempt.objects.select_related("enrolment", "version").filter(pk=said.attempt).first()
    if found is None:
        raise Refused("This launch is over. Open the step again.")
    return said, found


def library(request: HttpRequest, name: str) -> FileResponse:
    """The run-time's own scripts."""
    files = LIBRARY | scripts()
    path = finders.find(files[name]) if name in files else None
    if path is None:
        raise Http404
    response = FileResponse(open(path, "rb"), content_type="text/javascript; charset=utf-8")  # noqa: SIM115, PTH123 - Django closes it
    response.headers["Cache-Control"] = "public, max-age=3600"
    return response


@require_GET
def wrapper(request: HttpRequest, token: str, sco: int) -> HttpResponse:
    """The page around a sco: it holds the API, loaded anew for each sco."""
    said, attempt = _load(request, token)
    version = _version(said, attempt)
    scos = version.data["scos"]
    if sco >= len(scos):
        raise Http404
    if attempt is not None and attempt.version_id != said.version:
        raise Refused("A newer version of this is there by now. Open the step again.")
    try:
        start = runtime.begin(attempt=attempt, sco=sco) if attempt else runtime.begin_trial(version, sco)
    except (LearningError, runtime.PartClosed) as refusal:
        raise Refused(str(refusal)) from None
    address = urlsplit(scos[sco]["href"])
    path = quote(unquote(address.path).removeprefix("./"))
    query = f"?{address.query}" if address.query else ""
    fragment = f"#{address.fragment}" if address.fragment else ""
    standard = version.data["standard"]
    context = {
        "standard": standard,
        "title": scos[sco]["title"],
        "page": f"../files/{path}{query}{fragment}",
        "says": start.message,
        "config": {
            "standard": standard,
            "launch": start.launch,
            "start": start.values,
            "app": _app_origin(request),
        },
    }
    response = HttpResponse(render_to_string("playing/wrapper.html", context))
    response.headers["Content-Security-Policy"] = (
        f"frame-ancestors {_app_origin(request)}; object-src 'none'; base-uri 'none'"
    )
    return response


def _version(said: LaunchToken, attempt: Attempt | None = None) -> ModuleVersion:
    if attempt is not None and attempt.version_id == said.version:
        return attempt.version
    return ModuleVersion.objects.get(pk=said.version)


@require_POST
def commit(request: HttpRequest, token: str, sco: int) -> HttpResponse:
    """Changed values of a sco's data model; JSON under any content type, since beacons choose their own."""
    # Signing out takes the page away: what it sends as it goes arrives after that.
    said, attempt = _load(request, token, is_parting=True)
    keys = part_keys(_version(said, attempt).data["scos"])
    if sco >= len(keys):
        raise Http404
    # By what the request says of itself, before anything of it is read.
    if (whole_number(request.headers.get("Content-Length")) or 0) > BODY_LIMIT:
        return JsonResponse({"result": False, "errorCode": 391, "says": "too much at once"}, status=413)
    try:
        sent = read_commit(request.body)
    except Unreadable as refusal:
        if attempt is not None:
            keep_refused(attempt, keys[sco], str(refusal))
        return JsonResponse({"result": False, "errorCode": 101, "says": f"not readable: {refusal}"}, status=400)
    if attempt is None:
        return JsonResponse({"result": True, "errorCode": 0})
    try:
        runtime.commit(attempt=attempt, part=keys[sco], sent=sent)
    except runtime.TooMuch as refusal:
        return JsonResponse({"result": False, "errorCode": 391, "says": str(refusal)}, status=413)
    except runtime.OtherLaunch as refusal:
        return JsonResponse({"result": False, "errorCode": 101, "says": str(refusal)}, status=409)
    except LearningError as refusal:
        # Nothing that is sent again would be taken: the page says so for good.
        return JsonResponse({"result": False, "errorCode": 101, "says": str(refusal)}, status=409)
    except (PermissionDenied, runtime.PartGone) as refusal:
        raise Refused(str(refusal)) from None
    return JsonResponse({"result": True, "errorCode": 0})


@require_GET
def package_file(request: HttpRequest, token: str, path: str) -> HttpResponseBase:
    """A file of the package, looked up in the version's own list, never joined to a path on disk."""
    said, _ = _load(request, token)
    found = _file_called(said.version, path)
    if found is None:
        raise Http404
    name = found.path.rsplit("/", 1)[-1]
    is_page = request.headers.get("Sec-Fetch-Dest") in ("document", "iframe", "frame", "embed", "object")
    if name.lower().endswith(".pdf") and is_page and "bytes" not in request.GET:
        # Browsers open no PDF in a sandboxed frame, nor in a window opened from one: it is drawn by a page of our own.
        response: HttpResponseBase = HttpResponse(render_to_string("playing/pdf.html", {"title": name}))
    elif is_page and (number := _page_number(_version(said), found.path)):
        response = _told_page(request, _version(said), found, number)
    else:
        stored = storage.package_folder(_version(said)) / found.stored
        response = media.ranged(
            request, stored, _content_type(found.path, stored), f"{found.version_id}-{found.stored}"
        )
        # A version's files never change, and the address is of one launch.
        response.headers["Cache-Control"] = "private, max-age=43200, immutable"
        response.headers["Content-Disposition"] = content_disposition_header(False, name) or "inline"
    response.headers["Content-Security-Policy"] = PACKAGE_POLICY.format(app=_app_origin(request))
    return response


def _page_number(version: ModuleVersion, path: str) -> int:
    """Which of a document's pages a file is, from 1; 0 where the version is a package, or the file none of them."""
    pages: list[str] = version.data.get("page_files", [])
    return pages.index(path) + 1 if path in pages else 0


def _told_page(request: HttpRequest, version: ModuleVersion, file: PackageFile, number: int) -> HttpResponse:
    """A page that tells the player around it that it is there: that is how its being shown is counted. Rule: 8."""
    stored = storage.package_folder(version) / file.stored
    app = quote(_app_origin(request), safe="")
    script = f'<script src="/run/lib/shown.js?page={number}&amp;app={app}"></script>'
    page = stored.read_bytes()
    letters = "utf-16-le" if page.startswith(b"\xff\xfe") else "utf-16-be" if page.startswith(b"\xfe\xff") else "ascii"
    response = HttpResponse(page + script.encode(letters), content_type=_content_type(file.path, stored))
    response.headers["Cache-Control"] = "no-store"
    return response


def _file_called(version: int, path: str) -> PackageFile | None:
    """By its name; else the only one that is called so but for case, or for how accents are composed."""
    if "\x00" in path or ".." in path.split("/"):
        return None
    path = path.replace("\\", "/")
    files = PackageFile.objects.filter(version=version)
    for name in dict.fromkeys([path, unicodedata.normalize("NFC", path), unicodedata.normalize("NFD", path)]):
        if found := files.filter(path=name).first():
            return found
    alike = list(files.filter(path__iexact=path)[:2])
    return alike[0] if len(alike) == 1 else None


# So much of a page tells in which letters it is written.
HEAD = 64 * 1024
_SAYS_CHARSET = re.compile(rb"<meta[^>]{0,200}charset|^\s*@charset|<\?xml[^>]{0,100}encoding", re.IGNORECASE)


def _content_type(path: str, stored: Path) -> str:
    """The type by the name; text that does not say its letters itself is UTF-8 where it can be, else what old Windows wrote."""
    kind = mimetypes.guess_type(path)[0] or "application/octet-stream"
    if not (kind.startswith("text/") or kind in ("application/javascript", "application/json", "application/xml")):
        return kind
    with stored.open("rb") as source:
        head = source.read(HEAD)
    if head.startswith((b"\xef\xbb\xbf", b"\xff\xfe", b"\xfe\xff")) or _SAYS_CHARSET.search(head[:4096]):
        return kind
    try:
        # The last letter may be cut by the end of what was read.
        codecs.getincrementaldecoder("utf-8")().decode(head)
    except UnicodeDecodeError:
        return f"{kind}; charset=windows-1252"
    return f"{kind}; charset=utf-8"
