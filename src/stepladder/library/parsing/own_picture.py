"""A picture of one's own: cropped as it was chosen in the page, of the proportions in which pictures of things are shown."""

from __future__ import annotations

from pathlib import Path

from stepladder.library.parsing.material import Material, Worked
from stepladder.library.parsing.pictures import opened, remade

__all__ = ["NAME", "SIZE", "work_out"]

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
