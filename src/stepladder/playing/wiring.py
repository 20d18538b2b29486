"""What playing hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.core.packages.scorm import SCORM_12, SCORM_2004
from stepladder.journal import verbs
from stepladder.playing.players import add_player
from stepladder.playing.players.media import FilmPlayer, PagesPlayer
from stepladder.playing.players.package import PackagePlayer
from stepladder.playing.reactions import try_verb
from stepladder.playing.standards import Standard, add_standard
from stepladder.web import margin

add_player("package", PackagePlayer())
add_player("video", FilmPlayer())
add_player("audio", FilmPlayer())
add_player("document", PagesPlayer())
add_standard(Standard("scorm12", SCORM_12, "web/vendor/scorm12.min.js"))
add_standard(Standard("scorm2004", SCORM_2004, "web/vendor/scorm2004.min.js"))
verbs.register(try_again="tries “{module}” in “{course}” again")
margin.add_verb("module", 1, try_verb)
