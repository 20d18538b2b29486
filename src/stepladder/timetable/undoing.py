"""What stands against taking back acts on seats, and what follows when they were."""

from __future__ import annotations

from typing import Any

from stepladder import events
from stepladder.facts import Fact
from stepladder.journal import undoing
from stepladder.journal.actions import Machine
from stepladder.timetable.actions import fill_freed_seats
from stepladder.timetable.models import Booking, Session

__all__ = ["hand_in"]

FREED = Machine("Waiting list")


def _seats(rows: list[Fact]) -> None:
    bookings: Any = rows
    for session in sorted({row.session_id for row in bookings}):
        people = {row.person_id for row in bookings if row.session_id == session}
        events.announce(events.SeatsChanged(session, tuple(sorted(people))))
        fill_freed_seats(session=Session.objects.get(pk=session), by=FREED)


def _too_many(rows: list[Fact]) -> list[str]:
    """Seats that would come back though others have them by now."""
    bookings: Any = rows
    back: dict[int, int] = {}
    for row in bookings:
        if row.state == Booking.State.BOOKED:
            back[row.session_id] = back.get(row.session_id, 0) + (1 if row.is_revoked else -1)
    found = []
    for row in {row.session_id: row for row in bookings}.values():
        booked = Booking.objects.known_now().filter(session=row.session_id, state=Booking.State.BOOKED).count()
        if booked + back.get(row.session_id, 0) > row.session.capacity:
            found.append(f"The seats of “{row.session.module.title}” were given to others since.")
    return found


def hand_in() -> None:
    undoing.add_table(
        Booking,
        says=lambda row: f"{row.person.name}: {row.state} in “{row.session.module.title}”",
        depends=_too_many,
        after=_seats,
    )
    undoing.add_verbs("book seats", "book_seat", "book_many")
