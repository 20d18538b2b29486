"""What assignments hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder import daily, events
from stepladder.accounts.tasks import add_to_invitations
from stepladder.assignments import actions, effects, models, notices, reactions, scoping, tasks, undoing
from stepladder.assignments.paths import first_comes
from stepladder.courses import standing
from stepladder.journal import sealing, verbs
from stepladder.learning.gates import add_gate
from stepladder.notices.kinds import add_notice_kind
from stepladder.people_import import arrivals
from stepladder.queue.kinds import Kind, add_kind
from stepladder.web import margin
from stepladder.web.frame import add_rung

sealing.watch(models.Assignment, leaving_out=("later_message", "begins"))
sealing.watch(models.Assignment.parts.through)
add_rung(5, "Assign", "assignments:list", verb="assign", namespaces=("assignments",))
verbs.register(
    assign="assigned “{course}”",
    wish="took up “{course}”",
    give_up="gave up “{course}”",
    remind="reminded {count} people",
    change_assignment="changed {what}",
    end_assignment="ends with {day}",
    grant_waiver="waived from “{course}” from {day} to {until}: {reason}",
    revoke_waiver="waiver from “{course}” revoked",
)
scoping.register()
undoing.register()
events.listen(events.ChartChanged, reactions.on_people, phase=events.Phase.DERIVE)
events.listen(events.EmploymentChanged, reactions.on_people, phase=events.Phase.DERIVE)
events.listen(events.PlacementChanged, reactions.on_people, phase=events.Phase.DERIVE)
events.listen(events.GroupChanged, reactions.on_group, phase=events.Phase.DERIVE)
events.listen(events.SkillChanged, reactions.on_skill, phase=events.Phase.DERIVE)
events.listen(events.CompletionRecorded, reactions.on_holdings, phase=events.Phase.DERIVE)
events.listen(events.CompletionRevoked, reactions.on_holdings, phase=events.Phase.DERIVE)
events.listen(events.SpansChanged, reactions.on_holdings, phase=events.Phase.DERIVE)
events.listen(events.AssignmentsChanged, reactions.on_moved, phase=events.Phase.DERIVE)
events.listen(events.WaiverChanged, reactions.on_moved, phase=events.Phase.DERIVE)
events.listen(events.CompletionRecorded, reactions.on_moved, phase=events.Phase.DERIVE)
events.listen(events.CompletionRevoked, reactions.on_moved, phase=events.Phase.DERIVE)
events.listen(events.SpansChanged, reactions.on_moved, phase=events.Phase.DERIVE)
events.listen(events.CompletionRecorded, reactions.on_need, phase=events.Phase.REACT)
events.listen(events.CompletionRevoked, reactions.on_need, phase=events.Phase.REACT)
events.listen(events.SpansChanged, reactions.on_need, phase=events.Phase.REACT)
events.listen(events.AssignmentsChanged, reactions.on_need, phase=events.Phase.REACT)
events.listen(events.WaiverChanged, reactions.on_need, phase=events.Phase.REACT)
events.listen(events.CourseReleased, reactions.on_course_released, phase=events.Phase.REACT)
events.listen(events.OrganisationChanged, reactions.on_organisation, phase=events.Phase.DERIVE)
events.listen(events.PathReleased, reactions.on_path_released, phase=events.Phase.DERIVE)
events.listen(events.PlacesOpened, reactions.on_places_opened, phase=events.Phase.TELL)
events.answer(events.PeopleProposed, effects.people_effect)
events.answer(events.PathProposed, effects.path_effect)
add_kind(Kind("reasons", "who needs what", tasks.reasons_of_assignment, find=actions.concerned))
add_kind(Kind("reasons of people", "what is asked of people", tasks.reasons_of_people, find=tasks.everybody))
add_kind(Kind("places", "places in courses", tasks.places_of_people, find=tasks.everybody))
add_gate(first_comes)
standing.tell_by(reactions.path_standing_seen)
arrivals.tell_by(effects.asked_of_arrivals)
add_to_invitations(notices.asked_in_words)
for notice in notices.KINDS:
    add_notice_kind(notice)
daily.add("assignments", tasks.keep_reasons_true)
margin.add_panel("course", 5, reactions.course_panel)
margin.add_panel("path", 5, reactions.path_panel)
margin.add_verb("course", 10, reactions.assign_verb)
margin.add_verb("path", 10, reactions.assign_verb)
margin.add_verb("person", 10, reactions.waive_verb)
margin.add_verb("people", 10, reactions.assign_many_verb)
