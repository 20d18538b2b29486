"""Everything that reads sessions and seats for a screen."""

from stepladder.timetable.queries.flags import Seat, booked_flag, next_seats, seats_for
from stepladder.timetable.queries.own import Offer, OwnSeat, feed_of, offers, own_seats
from stepladder.timetable.queries.people import (
    at_the_door,
    candidates,
    needing,
    roster,
    seats,
    seats_while_away,
    waiting_list,
)
from stepladder.timetable.queries.sessions import (
    SHOWS,
    SessionRow,
    between,
    busy_sessions,
    clashes_of,
    find_sessions,
    next_with_room,
    one_row,
    session_rows,
    with_all,
)

__all__ = [
    "SHOWS",
    "Offer",
    "OwnSeat",
    "Seat",
    "SessionRow",
    "at_the_door",
    "between",
    "booked_flag",
    "busy_sessions",
    "candidates",
    "clashes_of",
    "feed_of",
    "find_sessions",
    "needing",
    "next_seats",
    "next_with_room",
    "offers",
    "one_row",
    "own_seats",
    "roster",
    "seats",
    "seats_for",
    "seats_while_away",
    "session_rows",
    "waiting_list",
    "with_all",
]
