"""A picture of one's own: cropped as it was chosen in the page, of the proportions in which pictures of things are shown."""

from __future__ import annotations

from pathlib import Path

from stepladder.library.parsing.material import Material, Worked
from stepladder.library.parsing.pictures import opened, remade

__all__ = ["NAME", "SIZE", "Part", "work_out", "work_out_whole"]

# From x and y, so wide and so high, in shares of its width and height.
Part = tuple[float, float, float, float]

# Twice as large as it is drawn at the largest.
SIZE = (900, 576)
NAME = "own.webp"


def work_out(material: Material, out: Path, *, crop: tuple[float, float, float]) -> Worked:
    """Its part from (x, y), *width* wide, in shares of its width and height; as high as the proportions have it, and kept inside."""
    with opened(material) as picture:
        whole = remade(picture).convert("RGB")
    x, y, width = crop
    ratio = SIZE[0] / SIZE[1]
    wide = min(max(width, 0.05) * whole.width, whole.width, whole.height * ratio)
    high = wide / ratio
    left = min(max(x * whole.width, 0), whole.width - wide)
    top = min(max(y * whole.height, 0), whole.height - high)
    whole.resize(SIZE, box=(left, top, left + wide, top + high)).save(out / NAME, "WEBP", quality=82, method=4)
    return Worked("", 0, {})


# As wide as a page shows it on a screen of twice the points.
WIDEST = 1600


def work_out_whole(material: Material, out: Path, *, part: Part) -> Worked:
    """The picture in its own proportions, or a part of it; no larger than a page shows."""
    x, y, width, height = part
    with opened(material) as picture:
        whole = remade(picture)
        is_drawing = picture.format in ("PNG", "GIF")
    left, top = min(max(x, 0), 0.98) * whole.width, min(max(y, 0), 0.98) * whole.height
    right = min(left + max(width, 0.02) * whole.width, whole.width)
    bottom = min(top + max(height, 0.02) * whole.height, whole.height)
    cut = whole.crop((round(left), round(top), max(round(right), round(left) + 1), max(round(bottom), round(top) + 1)))
    cut.thumbnail((WIDEST, WIDEST))
    # What was drawn has edges that a photograph has not.
    cut.save(out / NAME, "WEBP", quality=86, method=4, lossless=is_drawing and cut.width * cut.height < 2_000_000)
    return Worked("", 0, {})
