"""A service for live online sessions: rooms that one joins and leaves, and a recording afterwards.

It stands for an outside one. It opens a room for a session, tells the timetable who came and went, and hands over the
recording; nobody sees or hears anybody in it.
"""

from __future__ import annotations

import io
from pathlib import Path

import av
from django.conf import settings
from django.urls import reverse
from PIL import Image, ImageDraw, ImageFont

from stepladder.timetable.models import Session

__all__ = ["has_recording", "make_recording", "open_room", "recording_file"]

WIDTH, HEIGHT, SECONDS, RATE = 640, 360, 6, 5
PAPER, INK = "#f6f1e7", "#1f2a38"


def open_room(session: Session) -> str:
    """The address of a session's room, below this installation's own."""
    return reverse("standins:meeting", args=[session.public_id])


def recording_file(session: Session) -> Path:
    """Where the recording lies, or would."""
    return Path(settings.MEDIA_ROOT) / "recordings" / f"{session.public_id}.webm"


def has_recording(session: Session) -> bool:
    return recording_file(session).exists()


def make_recording(session: Session) -> None:
    """A short film that says which session it stands for: this service sees and hears nothing."""
    path = recording_file(session)
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(_film(session))


def _film(session: Session) -> bytes:
    out = io.BytesIO()
    film = av.open(out, "w", format="webm")
    stream = film.add_stream("libvpx-vp9", rate=RATE)
    stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
    for number in range(SECONDS * RATE):
        picture = _picture(session, number / (SECONDS * RATE))
        frame = av.VideoFrame.from_image(picture)  # type: ignore[no-untyped-call]  # av gives no hints for it
        for packet in stream.encode(frame):
            film.mux(packet)
    for packet in stream.encode():
        film.mux(packet)
    film.close()
    return out.getvalue()


def _picture(session: Session, share: float) -> Image.Image:
    picture = Image.new("RGB", (WIDTH, HEIGHT), PAPER)
    draw = ImageDraw.Draw(picture)
    draw.text((40, 120), session.module.title[:44], fill=INK, font=ImageFont.load_default(26))
    draw.text((40, 165), "Recording of the meeting-room stand-in", fill=INK, font=ImageFont.load_default(18))
    draw.rectangle((40, 220, 40 + int((WIDTH - 80) * share), 226), fill=INK)
    return picture
