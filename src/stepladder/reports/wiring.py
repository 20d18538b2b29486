"""What reports hand in to apps nearer the ground, and what of theirs they count."""

from __future__ import annotations

from stepladder import daily
from stepladder.journal import verbs
from stepladder.queue.kinds import describe
from stepladder.records.index_groups import add_index_group
from stepladder.reports import blocks, file_making, groupings, index, permissions, row_columns, sending, working
from stepladder.reports.counted import add_counted
from stepladder.reports.counting.answers import ANSWERS
from stepladder.reports.counting.attempts import ATTEMPTS
from stepladder.reports.counting.completions import COMPLETIONS
from stepladder.reports.counting.people import PEOPLE
from stepladder.reports.counting.requirements import REQUIREMENTS
from stepladder.reports.counting.seats import SEATS
from stepladder.reports.counting.time import TIME
from stepladder.reports.counting.use import USE
from stepladder.web import margin
from stepladder.web.frame import join_rung

join_rung(7, "reports")
for counted in (REQUIREMENTS, COMPLETIONS, TIME, ATTEMPTS, ANSWERS, SEATS, PEOPLE, USE):
    add_counted(counted)
groupings.register()
row_columns.register()
permissions.register()
add_index_group(10, index.ready_group)
add_index_group(20, index.kept_group)
verbs.register(
    ask_file="asks for as {form}",
    keep_report="kept",
    change_report="changed what is asked by",
    drop_report="keeps no longer",
    place_report="puts as a block",
    send_report_on="has it sent {days}, to {count}",
)
margin.add_section("desk", 50, blocks.desk_blocks)
margin.add_section("team", 40, blocks.team_blocks)
margin.add_section("unit", 50, blocks.unit_blocks)
margin.add_section("course", 50, blocks.course_blocks)
margin.add_section("path", 50, blocks.path_blocks)
# Before they are run for whoever they are sent to.
daily.add("columns of reports", working.make_ready)
daily.add("kept reports", sending.hand_over)
describe(sending.hand_over, sending.words_of_handing)
describe(sending.send_report, sending.words_of_sending)
daily.add("files of reports", file_making.drop_old)
describe(file_making.make_report_file, file_making.words)
describe(file_making.drop_old, lambda _: "clearing away old files of reports")
describe(working.work_out_day, working.words_of_day)
describe(working.make_ready, lambda _: "reading what most reports ask for")
