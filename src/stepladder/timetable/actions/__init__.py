"""Everything that writes sessions and seats."""

from stepladder.timetable.actions.attendance import (
    check_in,
    join_online,
    keep_minutes,
    keep_recording,
    leave_online,
    sign_off,
)
from stepladder.timetable.actions.availability import set_room_hours, set_teaching
from stepladder.timetable.actions.changing import Moved, cancel_session, reschedule
from stepladder.timetable.actions.feeds import renew_key
from stepladder.timetable.actions.planning import (
    MeetingPlan,
    add_room,
    change_details,
    plan_series,
    plan_session,
    set_capacity,
)
from stepladder.timetable.actions.seats import (
    Seated,
    admit,
    book_many,
    book_seat,
    cancel_seat,
    change_seat,
    fill_freed_seats,
    join_waiting_list,
)

__all__ = [
    "MeetingPlan",
    "Moved",
    "Seated",
    "add_room",
    "admit",
    "book_many",
    "book_seat",
    "cancel_seat",
    "cancel_session",
    "change_details",
    "change_seat",
    "check_in",
    "fill_freed_seats",
    "join_online",
    "join_waiting_list",
    "keep_minutes",
    "keep_recording",
    "leave_online",
    "plan_series",
    "plan_session",
    "renew_key",
    "reschedule",
    "set_capacity",
    "set_room_hours",
    "set_teaching",
    "sign_off",
]
