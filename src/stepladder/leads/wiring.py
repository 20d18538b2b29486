"""What leads hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.charts import index, rehearsal
from stepladder.core.leads import Power
from stepladder.journal import verbs
from stepladder.leads import comparing, conditions, permissions, powers, shown, undoing
from stepladder.web import margin
from stepladder.web.frame import join_rung

verbs.register(
    give_lead="leads from {day}: {what}, to {powers}",
    end_lead="leads until {day}: {what}",
)
permissions.register()
powers.act_on(Power.SEE_RECORDS, Power.ASSIGN)
conditions.register()
undoing.register()
rehearsal.compare_by(comparing.LinesCompared)
join_rung(4, "leads")
index.add_entry(3, "Leads", "leads:leads", verb="see leads")
margin.add_line("unit", 20, shown.led_by_line)
margin.add_row_note("unit", shown.unit_notes)
margin.add_verb("chart", 10, shown.of_chart)
margin.add_verb("unit", 10, shown.of_node)
margin.add_verb("position", 10, shown.of_node)
margin.add_verb("people", 5, shown.lead_somebody)
margin.add_section("person", 10, shown.of_person)
