"""What training from outside hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder.journal import sealing, verbs
from stepladder.notices.kinds import add_notice_kind
from stepladder.outside import models, notices, sections, undoing
from stepladder.outside.documents import MOST_BYTES
from stepladder.outside.queries import transcript_rows
from stepladder.records.index_groups import add_index_group
from stepladder.records.transcripts import add_transcript_rows
from stepladder.web import bodies, margin
from stepladder.web.frame import join_rung

join_rung(7, "outside")
sealing.watch(models.OutsideTraining)
verbs.register(
    record_outside="“{title}” of {day} recorded, from outside",
    ask_outside="asks to have “{title}” of {day} confirmed, from outside",
    confirm_outside="“{title}” of {day} confirmed, from outside",
    refuse_outside="“{title}” of {day} not confirmed, from outside",
    withdraw_outside="“{title}” of {day} withdrawn, from outside",
)
undoing.register()
add_notice_kind(notices.DECIDED)
for address in ("outside:record", "outside:ask"):
    bodies.take_long(address, MOST_BYTES + 65_536)
margin.add_section("record", 30, sections.record_section)
add_transcript_rows(transcript_rows)
add_index_group(30, sections.waiting_group)
