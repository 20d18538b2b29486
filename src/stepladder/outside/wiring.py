"""What training from outside hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.journal import sealing, verbs
from stepladder.notices.kinds import add_notice_kind
from stepladder.outside import history, models, notices, sections, undoing
from stepladder.outside.documents import MOST_BYTES
from stepladder.outside.queries import minutes_of, minutes_outside, transcript_rows
from stepladder.queue.kinds import Kind, add_kind
from stepladder.records.hours import add_minutes
from stepladder.records.index_groups import add_index_group
from stepladder.records.transcripts import add_transcript_rows
from stepladder.reports.counting.time import add_minutes_elsewhere
from stepladder.web import bodies, margin
from stepladder.web.frame import join_rung

join_rung(7, "outside")
sealing.watch(models.OutsideTraining)
add_kind(Kind("history", "rows of earlier training", history.record_rows, piece=history.PIECE))
add_kind(Kind("history returned", "rows of earlier training, taken back", history.return_rows, piece=history.PIECE))
verbs.register(
    record_outside="“{title}” of {day} recorded, from outside",
    ask_outside="asks to have “{title}” of {day} confirmed, from outside",
    confirm_outside="“{title}” of {day} confirmed, from outside",
    refuse_outside="“{title}” of {day} not confirmed, from outside",
    record_history="{count} rows of earlier training handed over to be recorded",
    record_history_rows="{count} rows of earlier training recorded",
    return_history="{count} rows of earlier training handed over to be taken back",
    return_history_rows="{count} rows of earlier training taken back",
    withdraw_outside="“{title}” of {day} withdrawn, from outside",
)
undoing.register()
add_notice_kind(notices.DECIDED)
bodies.take_long("outside:files", history.MOST_BYTES + 65_536)
for address in ("outside:record", "outside:ask"):
    bodies.take_long(address, MOST_BYTES + 65_536)
margin.add_section("record", 30, sections.record_section)
add_transcript_rows(transcript_rows)
add_minutes(minutes_of)
add_minutes_elsewhere(minutes_outside)
add_index_group(30, sections.waiting_group)
