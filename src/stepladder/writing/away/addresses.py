"""Where a lesson that was taken elsewhere finds its files: beside it. What is asked for is noted, to be packed."""

from __future__ import annotations

import re
from base64 import b64encode
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from stepladder.library import own_pictures, storage
from stepladder.library.models import ModuleVersion, StoredFile
from stepladder.playing.media import may_be_kept
from stepladder.writing.addresses import Here

__all__ = ["Away"]

_ODD = re.compile(r"[^A-Za-z0-9._-]+")


def safe_name(name: str, most: int = 60) -> str:
    """A file's name of plain letters, which every system and every run-time takes."""
    plain = _ODD.sub("-", name).strip("-.")[-most:]
    return plain.strip("-.") or "file"


class Away(Here):
    """*packed*: path in the package → the file. *left_out*: what stays here, as sentences, for whoever takes the lesson out."""

    def __init__(self, *, stands_alone: bool = False) -> None:
        super().__init__(account=0)
        self.stands_alone = stands_alone
        self.packed: dict[str, Path] = {}
        self.left_out: list[str] = []

    def _pack(self, address: str, path: Path) -> str:
        if not path.exists():
            return ""
        self.packed[address] = path
        return address

    def _leave_out(self, said: str) -> str:
        if said not in self.left_out:
            self.left_out.append(said)
        return ""

    def picture(self, digest: str) -> str:
        if not own_pictures.is_kept(digest):
            return self._leave_out("A picture is not there any more.")
        return self._pack(f"files/{digest[:16]}.webp", own_pictures.path_of(digest))

    def media(self, version: ModuleVersion) -> str:
        if not may_be_kept(version):
            return self._leave_out(
                f"“{version.module.title}” may be played here and not be given away, so it stays here. Its rights are on its sheet."
            )
        assert version.original is not None
        indexed = str(version.data.get("indexed") or "")
        path = storage.derived_folder(version) / indexed if indexed else storage.file_of(version.original)
        ending = Path(indexed or version.file_name).suffix.lower()[:6]
        return self._pack(f"files/{version.public_id}{ending}", path)

    def captions(self, version: ModuleVersion) -> str:
        if not may_be_kept(version) or not storage.has_derived(version, "captions.vtt"):
            return ""
        if self.stands_alone:
            # A page that is opened as a file may read no other file for a track: it has the words in its address.
            words = (storage.derived_folder(version) / "captions.vtt").read_bytes()
            return f"data:text/vtt;base64,{b64encode(words).decode()}"
        return self._derived(version, "captions.vtt", "captions")

    def still(self, version: ModuleVersion) -> str:
        return self._derived(version, "still.jpg", "still")

    def _derived(self, version: ModuleVersion, name: str, what: str) -> str:
        if not storage.has_derived(version, name):
            return ""
        return self._pack(f"files/{version.public_id}-{name}", storage.derived_folder(version) / name)

    def to_read(self, version: ModuleVersion) -> str:
        return ""

    def to_keep(self, version: ModuleVersion) -> Mapping[str, Any] | None:
        if version.original is None or not may_be_kept(version):
            self._leave_out(f"“{version.module.title}” may not be given away, so only its first page goes out.")
            return None
        path = storage.file_of(version.original)
        url = self._pack(f"files/{version.public_id[:8]}-{safe_name(version.file_name)}", path)
        return {"url": url, "name": version.file_name, "size": version.original.size} if url else None

    def attachment(self, digest: str, name: str) -> str:
        stored = StoredFile.objects.filter(sha256=digest).first()
        if stored is None:
            return self._leave_out(f"The attachment “{name}” is not there any more.")
        return self._pack(f"files/{digest[:8]}-{safe_name(name)}", storage.file_of(stored))
