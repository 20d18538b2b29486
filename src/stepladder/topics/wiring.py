"""What topics hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.journal import verbs

verbs.register(
    add_topic="put it into the list of topics",
    rename_topic="named it anew, from “{before}”",
    move_topic="moved it to {to}",
    remove_topic="took it out of the list; what carried it carries {instead}",
)
