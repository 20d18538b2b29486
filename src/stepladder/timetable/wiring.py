"""What timetable hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder import events
from stepladder.journal import sealing, verbs
from stepladder.library.kinds import add_kind
from stepladder.notices.kinds import add_notice_kind
from stepladder.playing.players import add_player
from stepladder.search import index
from stepladder.timetable import indexing, models, notices, permissions, reactions, undoing
from stepladder.timetable.kind import KIND
from stepladder.timetable.player import SessionPlayer
from stepladder.web import margin
from stepladder.web.frame import add_landing, add_own_page, add_rung

add_kind(KIND)
for notice in notices.KINDS:
    add_notice_kind(notice)
add_player(KIND.name, SessionPlayer())
sealing.watch(models.Session, models.Session.instructors.through, models.Meeting, models.Presence)
permissions.register()
verbs.register(
    add_room="has {seats} seats",
    set_room_hours="can be had {hours}; for people of {site}",
    set_teaching="teaches {what}, on {days}, {most} a day at most",
    plan_session="planned for {when}",
    plan_series="planned {count} times, {every} weeks apart",
    change_session="taught by {instructors}",
    set_capacity="has {after} seats instead of {before}",
    book_seat="{state} in “{session}”",
    book_many="{booked} got a seat, {waiting} wait",
    reschedule="moved from {before} to {after}, {place}",
    cancel_session="cancelled: {because}; {people} people were in it, {moved} have a place elsewhere",
    sign_off="signed off: {attended} attended, {partly_attended} partly, {absent} absent",
    keep_recording="has a recording",
    give_back_of_leavers="lost {count} who leave: {names}",
    renew_calendar_key="made a new address for their calendar",
)
undoing.register()
index.add_source("session", indexing.index_sessions, verb="open sessions", visible=indexing.visible_sessions)
events.listen(events.SessionPlanned, indexing.on_session, phase=events.Phase.DERIVE)
events.listen(events.SessionRescheduled, indexing.on_session, phase=events.Phase.DERIVE)
events.listen(events.SessionCancelled, indexing.on_session, phase=events.Phase.DERIVE)
events.listen(events.EmploymentChanged, reactions.on_employment, phase=events.Phase.REACT)
events.listen(events.SeatsChanged, notices.on_seats, phase=events.Phase.TELL)
events.listen(events.SeatsMovedUp, notices.on_moved_up, phase=events.Phase.TELL)
events.listen(events.SessionRescheduled, notices.on_rescheduled, phase=events.Phase.TELL)
events.listen(events.InstructorsChanged, notices.on_instructors, phase=events.Phase.TELL)
events.listen(events.SessionCancelled, notices.on_cancelled, phase=events.Phase.TELL)
margin.add_verb("module", 5, reactions.plan_verb)
margin.add_panel("module", 5, reactions.sessions_panel)
margin.add_row_note("person", reactions.booked_notes)
margin.add_panel("thing", 10, reactions.thing_sessions)
margin.add_section("course", 10, reactions.course_sessions)
margin.add_section("person", 1, reactions.away_section)
add_rung(6, "Sessions", "timetable:week", verb="open sessions", namespaces=("timetable",))
add_landing(28, "timetable:week", verb="take attendance")
add_own_page(20, "My sessions", "timetable:own")
