"""What desk hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.desk.reactions import try_verb
from stepladder.journal import verbs
from stepladder.web import margin
from stepladder.web.frame import add_foot_page, add_landing, add_own_page, add_rung

verbs.register(
    run_again="was run again; it had failed: {why}",
    look_as="was looked at in “{course}”, as they have it",
    put_away="was put away, though it had failed: {why}",
)
add_rung(1, "Desk", "desk:desk", verb="open the desk", namespaces=("desk",))
add_rung(1, "Desk", "desk:team", verb="open the team", namespaces=("desk",))
add_landing(25, "desk:team", verb="open the team")
add_foot_page(10, "Your team", "desk:team", verb="open the team")
add_own_page(10, "Up next", "desk:up_next")
add_landing(40, "desk:up_next", verb="learn")
margin.add_verb("course", 1, try_verb)
add_landing(10, "desk:desk", verb="open the desk")
