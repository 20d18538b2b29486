"""Everything that writes sessions and seats."""

from stepladder.timetable.actions.planning import add_room, plan_session, set_capacity
from stepladder.timetable.actions.seats import book_seat, cancel_seat, fill_freed_seats, join_waiting_list

__all__ = [
    "add_room",
    "book_seat",
    "cancel_seat",
    "fill_freed_seats",
    "join_waiting_list",
    "plan_session",
    "set_capacity",
]
