"""Pictures made anew: whatever came, what is shown is of our own making, of a size that a page can show, without marks of place."""

from __future__ import annotations

import io
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pillow_heif
from PIL import Image, ImageOps, ImageSequence, UnidentifiedImageError

from stepladder.library.errors import Unusable
from stepladder.library.parsing.material import Material

__all__ = ["MOST_PIXELS", "PICTURE_PAGE", "jpeg_of", "opened", "remade", "save_pages"]

pillow_heif.register_heif_opener()
# The size is judged below, before a pixel is drawn, and said in words.
Image.MAX_IMAGE_PIXELS = None
# More than any camera takes; what claims more is made to fill the memory.
MOST_PIXELS = 120_000_000
# Every frame of a moving picture is drawn.
MOST_FRAMES, MOST_FRAME_PIXELS = 600, 400_000_000
MOST_PAGES = 200
WIDEST, STILL_WIDTH = 2400, 640
# What pages of pictures are called in a version's folder, by their number.
PICTURE_PAGE = "page-{}.webp"


@contextmanager
def opened(material: Material) -> Iterator[Image.Image]:
    """The picture, its size checked before a pixel of it is drawn. Raises Unusable."""
    try:
        with Image.open(material.path) as picture:
            width, height = picture.size
            if width * height > MOST_PIXELS:
                raise Unusable(
                    f"“{material.name}” is {width} × {height} pixels, too many to be shown in a page: at most "
                    f"{MOST_PIXELS // 1_000_000} million. Make it smaller and upload it again."
                )
            yield picture
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, EOFError) as error:
        raise Unusable(
            f"“{material.name}” is damaged or cut off ({str(error)[:80]}). Export the picture again."
        ) from None


def remade(picture: Image.Image, widest: int = WIDEST) -> Image.Image:
    """Upright, in ordinary colours, no larger than a page shows."""
    upright = ImageOps.exif_transpose(picture)
    has_alpha = "A" in upright.getbands() or "transparency" in upright.info
    plain = upright.convert("RGBA" if has_alpha else "RGB")
    plain.thumbnail((widest, widest))
    return plain


def jpeg_of(picture: Image.Image, widest: int = STILL_WIDTH) -> bytes:
    """A small still on white."""
    small = remade(picture, widest)
    if small.mode == "RGBA":
        ground = Image.new("RGB", small.size, "white")
        ground.paste(small, mask=small.getchannel("A"))
        small = ground
    out = io.BytesIO()
    small.save(out, "JPEG", quality=82)
    return out.getvalue()


def save_pages(picture: Image.Image, out: Path, name: str) -> list[tuple[int, int]]:
    """The pages of a picture (of a TIFF there may be several; one that moves is one), into *out*; their sizes."""
    frames = getattr(picture, "n_frames", 1)
    lossless = picture.format in ("PNG", "GIF")
    if frames > 1 and picture.format != "TIFF":
        return [_save_moving(picture, frames, out / PICTURE_PAGE.format(1), name)]
    if frames > MOST_PAGES:
        raise Unusable(f"“{name}” has {frames} pages; {MOST_PAGES} is the most. Save it as a PDF and upload that.")
    sizes = []
    for number, frame in enumerate(ImageSequence.Iterator(picture), 1):
        if frame.size[0] * frame.size[1] > MOST_PIXELS:
            raise Unusable(f"Page {number} of “{name}” has too many pixels to be shown. Make it smaller.")
        page = remade(frame)
        page.save(out / PICTURE_PAGE.format(number), "WEBP", quality=86, lossless=lossless)
        sizes.append(page.size)
    return sizes


def _save_moving(picture: Any, frames: int, path: Path, name: str) -> tuple[int, int]:
    width, height = picture.size
    if frames > MOST_FRAMES or frames * width * height > MOST_FRAME_PIXELS:
        raise Unusable(f"“{name}” moves for {frames} frames, too many for a picture. Export it as a film (.mp4).")
    pages = [remade(frame.copy(), 1200) for frame in ImageSequence.Iterator(picture)]
    lengths = [max(20, int(frame.info.get("duration", 100))) for frame in ImageSequence.Iterator(picture)]
    pages[0].save(path, "WEBP", save_all=True, append_images=pages[1:], duration=lengths, loop=0, quality=80)
    return pages[0].size
