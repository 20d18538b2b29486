"""A file that somebody gave, as the answer to a request: shown where a browser runs nothing of it, and to be kept otherwise."""

from __future__ import annotations

from django.http import FileResponse

from stepladder.library import storage
from stepladder.library.models import StoredFile

__all__ = ["SHOWN_TYPES", "given_file"]

# What a browser shows by itself without running any of it.
SHOWN_TYPES = frozenset({"image/png", "image/jpeg", "image/webp", "image/gif", "application/pdf", "text/plain"})


def given_file(stored: StoredFile, name: str, *, to_keep: bool = False) -> FileResponse:
    """Under the name that it was given by; it runs nothing in this origin."""
    is_shown = stored.content_type in SHOWN_TYPES and not to_keep
    response = FileResponse(
        storage.file_of(stored).open("rb"),
        as_attachment=not is_shown,
        filename=name,
        content_type=stored.content_type if is_shown else "application/octet-stream",
    )
    response.headers["Content-Security-Policy"] = "sandbox; default-src 'none'; style-src 'unsafe-inline'"
    response.headers["X-Content-Type-Options"] = "nosniff"
    return response
