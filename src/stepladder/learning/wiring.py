"""What learning hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder import events
from stepladder.journal import sealing, verbs
from stepladder.learning import models, permissions, reactions
from stepladder.learning.actions import move_to_edition
from stepladder.learning.validity import held_spans
from stepladder.people import reaches
from stepladder.queue.kinds import Kind, add_kind
from stepladder.web import margin

sealing.watch(models.Enrolment, models.StepDone)
permissions.hand_in()
verbs.register(
    enrol="has “{course}” before them",
    enrol_many="enrolled {count} people",
    close_enrolment="no longer needs “{course}”: {because}",
    begin_step="began “{module}” in “{course}”",
    finish_step="finished “{module}” in “{course}”, score {score}",
    undo_step="has “{module}” in “{course}” to do again",
    complete_course="completed “{course}”, score {score}, certificate {number}",
    revoke_completion="completion of “{course}” revoked: {because}",
)
events.answer(events.PeopleWithdrawn, reactions.needed_people)
events.answer(events.EditionProposed, reactions.effect_of_release)
events.listen(events.CourseReleased, reactions.on_release, phase=events.Phase.DERIVE)
events.listen(events.CourseTermsChanged, reactions.on_terms, phase=events.Phase.DERIVE)
add_kind(Kind("move to edition", "moving to the new edition", move_to_edition))
add_kind(Kind("spans", "reckoning until when completions count", reactions.refresh_spans))
reaches.add_holdings(held_spans)
margin.add_panel("course", 10, reactions.touched_panel)
