"""What writing hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.journal import sealing, verbs
from stepladder.library import use
from stepladder.library.kinds import add_kind
from stepladder.library.own_pictures import MOST_BYTES as MOST_PICTURE_BYTES
from stepladder.playing.players import add_player
from stepladder.queue.kinds import describe
from stepladder.web import bodies, margin
from stepladder.writing import bringing, dead_links, files, glossary, models, queries
from stepladder.writing.kind import KIND
from stepladder.writing.player import LessonPlayer

add_kind(KIND)
add_player(KIND.name, LessonPlayer())
sealing.watch(models.LessonVersion, models.LessonMedia)
verbs.register(
    remove_section="took the section “{section}” out of the draft",
    put_back_section="put the section “{section}” back into the draft",
)
use.add_user(queries.in_lessons)
margin.add_panel("course of a learner", 20, glossary.glossary_panel)
describe(dead_links.ask_links, dead_links.words)
bodies.take_long("writing:new_lesson", bringing.MOST_BYTES + 65_536)
bodies.take_long("writing:options", MOST_PICTURE_BYTES + 65_536)
bodies.take_long("writing:keep_file", max(files.MOST_BYTES, MOST_PICTURE_BYTES) + 65_536)
