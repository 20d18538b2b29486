"""Where live online sessions are held: a service outside, handed in by whoever connects one."""

from __future__ import annotations

from collections.abc import Callable

from stepladder.timetable.errors import NoLiveService
from stepladder.timetable.models import Session

__all__ = ["open_room", "provide"]

# Opens a meeting room for a session; the address to join at, absolute or below this installation's own.
OpenRoom = Callable[[Session], str]
_services: list[OpenRoom] = []


def provide(service: OpenRoom) -> None:
    """Hand in the service; the last one handed in is asked."""
    _services.append(service)


def open_room(session: Session) -> str:
    """The address at which a session is joined. Raises NoLiveService."""
    if not _services:
        raise NoLiveService("No service for meeting rooms is connected. Give the address to join at.")
    return _services[-1](session)
