"""Sound: heard in the page, counted by what was really played."""

from __future__ import annotations

from stepladder.library.kinds.base import Format, Kind
from stepladder.library.kinds.video import describe, place
from stepladder.library.parsing.film import work_out_sound

SOUND = Format(
    "sound",
    "sound (.mp3)",
    "sound",
    (".mp3", ".m4a", ".ogg", ".oga", ".opus", ".wav"),
    frozenset({"audio/mpeg", "audio/mp4", "audio/x-m4a", "audio/m4a", "audio/ogg", "audio/x-wav", "audio/wav"}),
    work_out_sound,
)
KIND = Kind("audio", describe, lambda data: "done at 90 % heard", formats=(SOUND,), takes_captions=True, place=place)
