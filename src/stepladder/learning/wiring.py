"""What learning hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder import events
from stepladder.journal import sealing, verbs
from stepladder.learning import models, notices, permissions, reactions, undoing
from stepladder.learning.actions import move_to_edition
from stepladder.learning.validity import earned_spans, held_spans
from stepladder.notices.kinds import add_notice_kind
from stepladder.queue.kinds import Kind, add_kind
from stepladder.reaches import stored as reaches
from stepladder.web import margin

sealing.watch(models.Enrolment)
# When it was recorded is the instant of the entry that its digest belongs to.
# That it was exempted its entry says: a column that came later would make every digest another one.
sealing.watch(models.StepDone, leaving_out=("public_id", "recorded_on", "is_exempted"))
permissions.register()
verbs.register(
    reopen_enrolment="has “{course}” before them again, where they were",
    enrol="has “{course}” before them",
    enrol_many="enrolled {count} people",
    close_enrolment="no longer needs “{course}”: {because}",
    begin_step="began “{module}” in “{course}”",
    begin_again="began “{module}” in “{course}” for the {number}. time",
    end_attempt="ended attempt {number} at “{module}” in “{course}”",
    hand_in="handed in “{module}” in “{course}”",
    mark="{outcome} “{module}” in “{course}”, score {score}",
    exempt_step="is spared “{module}” in “{course}” by its entry test, score {score}",
    finish_step="finished “{module}” in “{course}”, score {score}",
    undo_step="has “{module}” in “{course}” to do again",
    complete_course="completed “{course}”, score {score}, certificate {number}",
    revoke_completion="completion of “{course}” revoked: {because}",
    correct_completion="completion of “{course}” of {before} corrected to {day}: {because}",
)
undoing.register()
events.answer(events.PeopleWithdrawn, reactions.needed_people)
events.answer(events.EditionProposed, reactions.effect_of_release)
events.listen(events.CourseReleased, reactions.on_release, phase=events.Phase.DERIVE)
add_notice_kind(notices.EDITION)
events.listen(events.CourseReleased, notices.on_release, phase=events.Phase.TELL)
add_kind(Kind("note of a release", "telling of the new edition", notices.tell_of_edition))
events.listen(events.CourseTermsChanged, reactions.on_terms, phase=events.Phase.DERIVE)
add_kind(Kind("move to edition", "moving to the new edition", move_to_edition))
add_kind(Kind("spans", "reckoning until when completions count", reactions.refresh_spans))
reaches.add_holdings(held_spans, earned_spans)
margin.add_panel("course", 10, reactions.touched_panel)
