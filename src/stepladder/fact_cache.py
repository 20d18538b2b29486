"""What is read from facts and kept between requests, until one of those facts is written or revoked."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, TypeVar

from django.db import connection
from django.db.models import Max, Min

from stepladder.facts import Fact

__all__ = ["cached", "state_of"]

Value = TypeVar("Value")

MOST = 60
_lock = Lock()
# What → the state that it was read in, and what was read; the longest unasked first.
_cache: OrderedDict[Hashable, tuple[Any, Any]] = OrderedDict()


def cached(what: Hashable, *, state: Callable[[], Hashable], read: Callable[[], Value]) -> Value:
    """What *read* returns, read again only when *state* is another than when it was read last.

    Within a transaction it is always read: what is written there may be rolled back.
    """
    if connection.in_atomic_block:
        return read()
    now, held = state(), _cache.get(what)
    if held is None or held[0] != now:
        held = now, read()
    with _lock:
        _cache[what] = held
        _cache.move_to_end(what)
        while len(_cache) > MOST:
            _cache.popitem(last=False)
    found: Value = held[1]
    return found


def state_of(model: type[Fact]) -> tuple[Any, ...]:
    """What tells two states of a table of facts apart: its rows are only ever written, or revoked once.

    The random public ids tell one database from another.
    """
    rows = model._default_manager
    written = rows.aggregate(last=Max("pk"), low=Min("public_id"), high=Max("public_id"))
    return (*written.values(), rows.filter(revoked_on__isnull=False).count())
