"""What a lesson is taken elsewhere as."""

from __future__ import annotations

import io
import re
import zipfile

from django.http import HttpResponse, HttpResponseBase

from stepladder.core.finding import fold
from stepladder.core.lessons.outline import nodes_in
from stepladder.library import own_pictures
from stepladder.library.kinds import Export
from stepladder.library.models import ModuleVersion
from stepladder.writing.content import Content, content_of_version, media_of
from stepladder.writing.to_markdown import markdown_of

__all__ = ["EXPORTS"]

# A zip that is made twice of the same lesson is the same.
_MADE = (1980, 1, 1, 0, 0, 0)


def _name_of(version: ModuleVersion) -> str:
    words = re.sub(r"[^a-z0-9]+", "-", fold(version.module.title)).strip("-")[:60]
    return f"{words or 'lesson'}-v{version.number}"


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
            found += [(question.get("picture") or {}).get("file", "")]
    return [digest for digest in dict.fromkeys(found) if digest and own_pictures.is_kept(digest)]


def as_markdown(version: ModuleVersion) -> HttpResponseBase:
    """A zip with the lesson's text and its pictures."""
    content = content_of_version(version)
    text = markdown_of(
        version.module.title, content, media_of(content.trees), lambda digest: f"pictures/{digest[:16]}.webp"
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(zipfile.ZipInfo("lesson.md", _MADE), text, zipfile.ZIP_DEFLATED)
        for digest in pictures_of(content):
            picture = own_pictures.path_of(digest).read_bytes()
            archive.writestr(zipfile.ZipInfo(f"pictures/{digest[:16]}.webp", _MADE), picture)
    response = HttpResponse(out.getvalue(), content_type="application/zip")
    response.headers["Content-Disposition"] = f'attachment; filename="{_name_of(version)}-markdown.zip"'
    return response


EXPORTS = (Export("markdown", "Markdown, with the right answers", as_markdown),)
