"""What assignments hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder import daily
from stepladder.assignments import models, reactions, scoping, tasks, undoing
from stepladder.assignments.paths import first_comes
from stepladder.journal import sealing, verbs
from stepladder.learning.gates import add_gate
from stepladder.web import margin
from stepladder.web.frame import add_rung

sealing.watch(models.Assignment, models.Assignment.parts.through)
add_rung(5, "Assign", "assignments:list", verb="assign", namespaces=("assignments",))
verbs.register(
    assign="assigned “{course}”",
    remind="reminded {count} people",
    end_assignment="ends with {day}",
    grant_waiver="waived from “{course}” from {day} to {until}: {reason}",
    revoke_waiver="waiver from “{course}” revoked",
)
scoping.hand_in()
undoing.hand_in()
reactions.listen()
tasks.hand_in()
add_gate(first_comes)
daily.add("assignments", tasks.keep_reasons_true)
margin.add_panel("course", 5, reactions.course_panel)
margin.add_panel("path", 5, reactions.path_panel)
margin.add_verb("course", 10, reactions.assign_verb)
margin.add_verb("path", 10, reactions.assign_verb)
margin.add_verb("person", 10, reactions.waive_verb)
margin.add_verb("people", 10, reactions.assign_many_verb)
