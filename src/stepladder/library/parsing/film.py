"""Film and sound: how long they are, and whether browsers can play them; a film's still."""

from __future__ import annotations

from fractions import Fraction
from math import ceil
from pathlib import Path
from typing import Any

import av

from stepladder.library.errors import Unusable
from stepladder.library.parsing.material import Material, Worked
from stepladder.library.parsing.pictures import jpeg_of

__all__ = ["INDEXED", "work_out_film", "work_out_sound"]

# What every current browser plays.
PICTURE_CODECS = frozenset({"h264", "vp8", "vp9", "av1", "libdav1d"})
SOUND_CODECS = frozenset({"aac", "mp3", "mp3float", "opus", "vorbis", "flac"})
WAV_CODECS = SOUND_CODECS | {"pcm_s16le", "pcm_s24le", "pcm_u8", "pcm_f32le"}
MOVED = frozenset({"mov,mp4,m4a,3gp,3g2,mj2", "matroska,webm"})
NAMES = {"hevc": "HEVC (H.265)", "mpeg4": "MPEG-4 Part 2", "prores": "ProRes", "mjpeg": "Motion JPEG", "wmv3": "WMV"}
# A film that was given an index, in a version's folder: as it came it could be played, but nowhere begun at.
INDEXED = "indexed{}"


def work_out_film(material: Material, out: Path) -> Worked:
    """Length, size and a still a tenth of the way in. Raises Unusable."""
    try:
        with av.open(str(material.path)) as film:
            if not film.streams.video:
                raise Unusable(
                    f"“{material.name}” has no picture in it. Upload sound as .mp3, or export the film again."
                )
            _check_codecs(film, material.name)
            stream = film.streams.video[0]
            data = {
                "width": stream.codec_context.width,
                "height": stream.codec_context.height,
                "has_sound": bool(film.streams.audio),
                "codec": stream.codec_context.name,
            }
            title = film.metadata.get("title", "")
            seconds = _seconds(film, stream)
        path = material.path
        if not seconds:
            path, seconds = _indexed(material, out)
            data["indexed"] = path.name
        with av.open(str(path)) as film:
            still = _still(film, film.streams.video[0], seconds)
    except av.FFmpegError:
        raise Unusable(
            f"“{material.name}” cannot be played: it is damaged or cut off. Export the film again."
        ) from None
    return Worked(material.title_or(title), ceil(seconds / 60), {"seconds": seconds, **data}, still=still)


def work_out_sound(material: Material, out: Path) -> Worked:
    """The length. Raises Unusable."""
    try:
        with av.open(str(material.path)) as sound:
            if not sound.streams.audio:
                raise Unusable(f"“{material.name}” has no sound in it. Export it again.")
            codec = sound.streams.audio[0].codec_context.name
            if codec not in WAV_CODECS:
                raise _unplayable(material.name, codec, "MP3")
            seconds = _seconds(sound, sound.streams.audio[0])
            title = sound.metadata.get("title", "")
        data: dict[str, Any] = {}
        if not seconds:
            path, seconds = _indexed(material, out)
            data["indexed"] = path.name
    except av.FFmpegError:
        raise Unusable(f"“{material.name}” cannot be played: it is damaged or cut off. Export it again.") from None
    return Worked(material.title_or(title), ceil(seconds / 60), {"seconds": seconds, **data})


def _check_codecs(film: Any, name: str) -> None:
    picture = film.streams.video[0].codec_context.name
    if picture not in PICTURE_CODECS:
        raise _unplayable(name, picture, "MP4 (H.264 with AAC)")
    if film.streams.audio and (sound := film.streams.audio[0].codec_context.name) not in SOUND_CODECS:
        raise _unplayable(name, sound, "MP4 (H.264 with AAC)")
    if film.format.name not in MOVED:
        raise Unusable(
            f"“{name}” is a film in a wrapping that browsers do not open ({film.format.long_name}). "
            "Export it as MP4 (H.264 with AAC) and upload that."
        )


def _unplayable(name: str, codec: str, wanted: str) -> Unusable:
    return Unusable(
        f"“{name}” is written in {NAMES.get(codec, codec.upper())}, which not every browser plays. "
        f"Export it as {wanted} and upload that."
    )


def _seconds(film: Any, stream: Any) -> float:
    if film.duration:
        return round(float(film.duration) / 1_000_000, 3)
    return round(float(stream.duration * stream.time_base), 3) if stream.duration else 0.0


def _indexed(material: Material, out: Path) -> tuple[Path, float]:
    """The same film, packed anew without being touched, so that it says how long it is and where its parts lie."""
    path = out / INDEXED.format(material.extension or ".mp4")
    last = Fraction(0)
    with av.open(str(material.path)) as given, av.open(str(path), "w") as target:
        streams = {s.index: target.add_stream_from_template(s) for s in given.streams if s.type in ("video", "audio")}
        for packet in given.demux([s for s in given.streams if s.index in streams]):
            if packet.dts is None:
                continue
            end = Fraction((packet.pts or packet.dts) + (packet.duration or 0)) * packet.time_base
            last = max(last, end)
            packet.stream = streams[packet.stream.index]
            target.mux(packet)
    if not last:
        raise Unusable(f"“{material.name}” has nothing in it that can be played. Export it again.")
    return path, round(float(last), 3)


def _still(film: Any, stream: Any, seconds: float) -> bytes | None:
    film.seek(int(seconds / 10 * 1_000_000))
    for frame in film.decode(stream):
        return jpeg_of(frame.to_image())
    return None
