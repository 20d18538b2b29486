"""What playing hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.journal import verbs
from stepladder.playing.players import add_player
from stepladder.playing.players.media import FilmPlayer, PagesPlayer
from stepladder.playing.players.package import PackagePlayer
from stepladder.playing.reactions import try_verb
from stepladder.web import margin

add_player("package", PackagePlayer())
add_player("video", FilmPlayer())
add_player("audio", FilmPlayer())
add_player("document", PagesPlayer())
verbs.register(try_again="tries “{module}” in “{course}” again")
margin.add_verb("module", 1, try_verb)
