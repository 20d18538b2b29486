"""Where what a lesson shows is found: on the pages of this application (`Here`), or beside a lesson that was taken elsewhere (away)."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.urls import reverse

from stepladder.library import storage
from stepladder.library.models import ModuleVersion
from stepladder.playing import media as played
from stepladder.writing import files

__all__ = ["Here", "own_picture"]


def own_picture(digest: str) -> str:
    """The address of a picture, by its digest."""
    return reverse("library:own_picture", args=[digest])


class Here:
    """Addresses for one account; "" for what there is none of."""

    def __init__(self, account: int) -> None:
        self.account = account

    def picture(self, digest: str) -> str:
        """A picture, by its digest."""
        return own_picture(digest)

    def media(self, version: ModuleVersion) -> str:
        """A film or sound, as it is played."""
        return played.media_url(version.pk, self.account, str(version.data.get("indexed") or "original"))

    def captions(self, version: ModuleVersion) -> str:
        return self._derived(version, "captions.vtt", "captions")

    def still(self, version: ModuleVersion) -> str:
        return self._derived(version, "still.jpg", "still")

    def _derived(self, version: ModuleVersion, name: str, what: str) -> str:
        return played.media_url(version.pk, self.account, what) if storage.has_derived(version, name) else ""

    def to_read(self, version: ModuleVersion) -> str:
        """A document that browsers show by themselves."""
        is_pdf = version.original is not None and version.original.content_type == "application/pdf"
        return played.media_url(version.pk, self.account, "original") if is_pdf else ""

    def to_keep(self, version: ModuleVersion) -> Mapping[str, Any] | None:
        """The file of a document: its url, name and size; None where nobody may keep it."""
        return played.kept_file(version, self.account)

    def kept_captions(self, digest: str) -> str:
        """Captions that a lesson has for a film from elsewhere."""
        return files.file_url(digest, files.CAPTIONS_NAME, self.account) if digest else ""

    def attachment(self, digest: str, name: str) -> str:
        """A file to be taken along."""
        return files.file_url(digest, name, self.account)
