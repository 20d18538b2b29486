"""Pictures of one's own, for modules and whatever else is recognised by one: kept by their content, shown to whoever is signed in."""

from __future__ import annotations

import hashlib
import math
from functools import partial
from pathlib import Path
from typing import IO

from django.conf import settings
from PIL import Image

from stepladder.library import storage
from stepladder.library.errors import Unusable
from stepladder.library.kinds import Material, detect_type
from stepladder.library.kinds.document import PICTURE
from stepladder.library.parsing.bounded import work_out_bounded
from stepladder.library.parsing.material import WorkOut
from stepladder.library.parsing.own_picture import NAME, Part, work_out, work_out_whole

__all__ = ["ALL", "MOST_BYTES", "WHOLE", "is_kept", "keep_picture", "keep_whole", "path_of", "read_crop", "take_made"]

MOST_BYTES = 20 * 1024**2
SECONDS = 20.0
WHOLE = (0.0, 0.0, 1.0)
ALL: Part = (0.0, 0.0, 1.0, 1.0)


def keep_picture(sent: IO[bytes], name: str, size: int, crop: tuple[float, float, float]) -> str:
    """The digest that a picture is kept by, once it is cropped and made anew in a process of its own. Raises Unusable."""
    return _keep_made(sent, name, size, partial(work_out, crop=crop))


def keep_whole(sent: IO[bytes], name: str, size: int, part: Part = ALL) -> tuple[str, int, int]:
    """The digest that a picture is kept by as it is, or a *part* of it, and its width and height. Raises Unusable."""
    digest = _keep_made(sent, name, size, partial(work_out_whole, part=part))
    with Image.open(path_of(digest)) as picture:
        return digest, *picture.size


def take_made(made: Path) -> tuple[str, int, int]:
    """The digest, width and height of a picture that was made anew already (a WebP); it is moved to where pictures lie."""
    with Image.open(made) as picture:
        width, height = picture.size
    return _keep(made), width, height


def _keep_made(sent: IO[bytes], name: str, size: int, make: WorkOut) -> str:
    if size > MOST_BYTES:
        raise Unusable("A picture has 20 MB at most. Make it smaller first.")
    folder = storage.workplace()
    try:
        given = storage.write_down(sent, folder)
        content_type = detect_type(given)
        if content_type not in PICTURE.types:
            raise Unusable(f"“{name}” is no picture. Choose a JPEG, PNG, WebP, GIF, HEIC or TIFF.")
        made = storage.workplace()
        try:
            work_out_bounded(make, Material(given, name, content_type), made, seconds=SECONDS)
            return _keep(made / NAME)
        finally:
            storage.drop_workplace(made)
    finally:
        storage.drop_workplace(folder)


def _keep(made: Path) -> str:
    digest = hashlib.sha256(made.read_bytes()).hexdigest()
    target = path_of(digest)
    target.parent.mkdir(parents=True, exist_ok=True)
    # In one step: a file that has its name is whole.
    made.replace(target)
    return digest


def is_kept(digest: str) -> bool:
    """Whether there is a picture by that digest."""
    return len(digest) == 64 and digest.isalnum() and path_of(digest).exists()


def path_of(digest: str) -> Path:
    """Where a picture lies."""
    return Path(settings.MEDIA_ROOT) / "pictures" / digest[:2] / f"{digest}.webp"


def read_crop(text: str) -> tuple[float, float, float]:
    """The part that was chosen, as "x,y,width" in shares; all of it where it is not said."""
    try:
        x, y, width = (float(part) for part in text[:100].split(","))
    except ValueError:
        return WHOLE
    return (x, y, width) if all(map(math.isfinite, (x, y, width))) else WHOLE
