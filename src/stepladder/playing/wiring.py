"""What playing hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.journal import verbs
from stepladder.playing.reactions import try_verb
from stepladder.web import margin

verbs.register(try_again="tries “{module}” in “{course}” again")
margin.add_verb("module", 1, try_verb)
