"""The picture that a lesson is recognised by: its cover, else the first picture in it."""

from __future__ import annotations

from PIL import Image

from stepladder.core.lessons.outline import nodes_in
from stepladder.library import own_pictures
from stepladder.library.parsing.pictures import jpeg_of
from stepladder.writing.content import Content

__all__ = ["still_of"]


def still_of(content: Content) -> bytes | None:
    """A small JPEG; None of a lesson without a picture."""
    cover = content.options.cover
    digest = str(cover["file"]) if cover and cover["file"] else _first_picture(content)
    if not digest or not own_pictures.is_kept(digest):
        return None
    # Of our own making, and no larger than a page shows.
    with Image.open(own_pictures.path_of(digest)) as picture:
        return jpeg_of(picture)


def _first_picture(content: Content) -> str:
    for tree in content.trees:
        for node in nodes_in(tree):
            if node["type"] in ("picture", "spots") and node["attrs"]["file"]:
                return str(node["attrs"]["file"])
    return ""
