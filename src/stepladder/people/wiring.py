"""What people hands in to apps nearer the ground."""

from __future__ import annotations

from django.db.models import Q

from stepladder import daily, events
from stepladder.charts import index, occupants
from stepladder.journal import sealing, verbs
from stepladder.people import conditions, indexing, models, permissions, placed, queries, tasks, teams, undoing
from stepladder.search import index as search
from stepladder.web import margin
from stepladder.web.frame import add_rung

sealing.watch(models.Person, leaving_out=sealing.OF_SHEETS)
add_rung(4, "People", "people:list", verb="see people", namespaces=("people",))
verbs.register(
    hire="hired as {where} from {day}",
    mend_doubles="kept once what had been recorded twice: {names}",
    edit_person="edited",
    add_field="made the field {object}",
    change_field="changed",
    set_values="other things are known",
    invite_many="invited to sign in",
    give_role_many="became {role}",
    set_parts="administers {parts}",
    set_position_roles="brings {roles}",
    move_many="moved to {where} from {day}",
    end_many="ended {where} with {day}",
    leave_many="leave with {day}",
    move="moved to {where} from {day}",
    end_placement="ended {where} with {day}",
    correct_first_day="started on {day}, not on {before}",
    leave_organisation="leaves with {day}",
    end_leave="leave ends with {day}",
    record_leave="on leave from {day} to {until}",
)
search.add_source("person", indexing.index_people, verb="see people", visible=permissions.visible_people)
events.listen(events.EmploymentChanged, indexing.on_change, phase=events.Phase.DERIVE)
permissions.register()
conditions.add_condition("with a placement", queries.placed_on)
conditions.add_condition("without a placement", lambda day: ~Q(queries.placed_on(day)))
undoing.register()
occupants.register(placed.PlacedPeople())
margin.add_section("team", 20, teams.away_section)
margin.add_line("unit", 10, placed.placed_here)
margin.add_line("position", 10, placed.placed_here)
margin.add_line("position", 15, placed.roles_with)
margin.add_verb("position", 20, placed.roles_of_position)
index.lead_units_to(placed.unit_list)
index.add_entry(1, "Everyone", "people:list", verb="see people")
index.add_entry(5, "Fields", "people:fields", verb="change fields")
daily.add("sign-ins", tasks.shut_sign_ins)
