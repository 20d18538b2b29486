"""What people hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder import daily, events
from stepladder.journal import sealing, verbs
from stepladder.journal import undoing as journal_undoing
from stepladder.people import (
    chart_tasks,
    chart_undoing,
    comparing,
    group_undoing,
    import_tasks,
    index,
    indexing,
    lead_permissions,
    lead_undoing,
    led,
    models,
    occupants,
    parts,
    permissions,
    placed,
    reactions,
    rehearsal,
    tasks,
    undoing,
)
from stepladder.people.forms.imports import MOST_BYTES
from stepladder.queue.kinds import describe
from stepladder.search import index as search
from stepladder.web import bodies, margin
from stepladder.web.frame import add_rung

sealing.watch(models.Person, leaving_out=sealing.OF_SHEETS)
sealing.watch(models.AdministeredPart, models.Chart, models.Unit, models.Position, models.Site)
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
    move_many="moved to {where} from {day}",
    end_many="ended {where} with {day}",
    leave_many="leave with {day}",
    receive_import="received, with {rows} rows",
    import_people="imported from {file}: {said}",
    move="moved to {where} from {day}",
    end_placement="ended {where} with {day}",
    leave_organisation="leaves with {day}",
    add_chart="made the chart {object}",
    rename_chart="renamed, from “{before}” to “{after}”",
    add_node="added to {chart}",
    rename_node="called “{after}” instead of “{before}” from {day}",
    move_node="moved from {before} to {after}, from {day}",
    change_site="at the site “{site}” from {day}",
    close_node="closed with {day}",
    lock_node="locked: only who manages the charts places people there",
    unlock_node="no longer locked",
    order_nodes="put behind “{after}” in {chart}",
    give_lead="leads from {day}: {what}, to {powers}",
    end_lead="leads until {day}: {what}",
    create_group="made the group {object}",
    edit_group="edited",
    change_group="means other people now",
    carry_charts="carried into charts with days",
    end_leave="leave ends with {day}",
    record_leave="on leave from {day} to {until}",
)
events.listen(events.InstallationSetUp, reactions.on_set_up, phase=events.Phase.DERIVE)
search.add_source("person", indexing.index_people, verb="see people", visible=permissions.visible_people)
events.listen(events.EmploymentChanged, indexing.on_change, phase=events.Phase.DERIVE)
parts.hand_in()
permissions.hand_in()
lead_permissions.hand_in()
chart_undoing.hand_in()
undoing.hand_in()
group_undoing.hand_in()
lead_undoing.hand_in()
occupants.hand_in(placed.PlacedPeople())
margin.add_line("unit", 10, placed.placed_here)
margin.add_line("position", 10, placed.placed_here)
index.lead_units_to(placed.unit_list)
rehearsal.compare_by(comparing.LinesCompared)
margin.add_line("unit", 20, led.led_by_line)
margin.add_row_note("unit", led.unit_notes)
margin.add_verb("chart", 10, led.of_chart)
margin.add_verb("unit", 10, led.of_node)
margin.add_verb("position", 10, led.of_node)
margin.add_verb("people", 5, led.lead_somebody)
margin.add_section("person", 10, led.of_person)
index.add_entry(1, "Everyone", "people:list", verb="see people")
index.add_entry(2, "Charts", "people:charts", verb="see people", current=("people:chart",))
index.add_entry(3, "Leads", "people:leads", verb="see leads")
index.add_entry(4, "Imports", "people:imports", verb="import people", current=("people:imports", "people:import"))
index.add_entry(5, "Fields", "people:fields", verb="change fields")
index.add_entry(6, "Groups", "people:groups", verb="change groups")
bodies.take_long("people:imports", MOST_BYTES + 1024**2)
for work in (import_tasks.look_through_import, import_tasks.apply_import, import_tasks.return_import):
    describe(work, import_tasks.words)
journal_undoing.add_verbs("change people", "import_people", whose=undoing.of_people)
daily.add("charts", chart_tasks.keep_names_true)
daily.add("sign-ins", tasks.shut_sign_ins)
