"""What records hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder import daily
from stepladder.queue.kinds import describe
from stepladder.records import journal, reactions, skills, tasks
from stepladder.records.list_columns import add_list_column
from stepladder.records.status_columns import COLUMNS
from stepladder.web import margin
from stepladder.web.frame import add_landing, add_own_page, add_rung, add_take_back

add_rung(7, "Records", "records:board", verb="open records", namespaces=("records",))
journal.register()
for column in COLUMNS:
    add_list_column(column)
daily.add("journal head", tasks.send_head)
describe(tasks.send_head, tasks.words)
add_take_back("records:take_back")
add_landing(30, "records:board", verb="open records")
add_own_page(30, "My record", "records:own")
margin.add_verb("module", 5, reactions.watched_verb)
margin.add_verb("person", 5, reactions.record_verb)
margin.add_verb("course", 20, reactions.late_verb)
margin.add_verb("completion", 5, reactions.certificate_verb)
margin.add_section("course", 5, reactions.standing_section)
margin.add_section("skill", 5, skills.skill_section)
margin.add_section("team", 30, skills.team_section)
margin.add_panel("person", 5, reactions.asked_panel)
