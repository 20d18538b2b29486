"""A session to come, who is in it, and how they stand: what tests of sessions begin with."""

from stepladder.timetable.models import Booking
from tests import factories as f


def some(*names):
    """People with an address of their own."""
    return [f.a_person(name, email=f"{name.split()[0].lower()}@ferries.example") for name in names]


def standing(session):
    """Given name → how each stands."""
    rows = Booking.objects.known_now().filter(session=session).select_related("person")
    return {row.person.given_name: row.state for row in rows}
