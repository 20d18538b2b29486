"""What is read from facts and kept between requests, until one of those facts is written or revoked."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, TypeVar

from django.db import connection
from django.db.models import Max, Min

from stepladder.facts import Fact

__all__ = ["kept", "state_of"]

Read = TypeVar("Read")

MOST = 60
_pen = Lock()
# What → the state that it was read in, and what was read; the longest unasked first.
_kept: OrderedDict[Hashable, tuple[Any, Any]] = OrderedDict()


def kept(what: Hashable, *, state: Callable[[], Hashable], read: Callable[[], Read]) -> Read:
    """What *read* returns, read again only when *state* is another than when it was read last.

    Within a transaction it is always read: what is written there may be rolled back.
    """
    if connection.in_atomic_block:
        return read()
    now, held = state(), _kept.get(what)
    if held is None or held[0] != now:
        held = now, read()
    with _pen:
        _kept[what] = held
        _kept.move_to_end(what)
        while len(_kept) > MOST:
            _kept.popitem(last=False)
    found: Read = held[1]
    return found


def state_of(model: type[Fact]) -> tuple[Any, ...]:
    """What tells two states of a table of facts apart: its rows are only ever written, or revoked once.

    The random public ids tell one database from another.
    """
    rows = model._default_manager
    written = rows.aggregate(last=Max("pk"), low=Min("public_id"), high=Max("public_id"))
    return (*written.values(), rows.filter(revoked_on__isnull=False).count())
