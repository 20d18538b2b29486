"""Whether what is stored is what the facts come to: reasons and validity spans derived anew."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import Any

from django.db.models import Model

from stepladder.assignments.deriving import derive_reasons
from stepladder.assignments.models import PathReason, Reason
from stepladder.learning import validity
from stepladder.learning.models import ValiditySpan

__all__ = ["differences"]

SHOWN = 20


def differences() -> Iterator[str]:
    """A sentence for each row that is stored but not derived, or derived but not stored."""
    derived = list(derive_reasons())
    yield from _compare("reason", Reason.objects.all(), (row for row in derived if isinstance(row, Reason)))
    paths = (row for row in derived if isinstance(row, PathReason))
    yield from _compare("reason of a path", PathReason.objects.all(), paths)
    yield from _compare("validity span", ValiditySpan.objects.all(), validity.derive_spans())


def _compare(what: str, stored: Any, derived: Any) -> Iterator[str]:
    actual, expected = Counter(map(_values, stored)), Counter(map(_values, derived))
    for row in list((actual - expected).elements())[:SHOWN]:
        yield f"A {what} is stored that the facts do not give: {_words(row)}."
    for row in list((expected - actual).elements())[:SHOWN]:
        yield f"A {what} that the facts give is not stored: {_words(row)}."


def _values(row: Model) -> tuple[tuple[str, Any], ...]:
    return tuple((f.attname, getattr(row, f.attname)) for f in row._meta.concrete_fields if f.attname != "id")


def _words(row: tuple[tuple[str, Any], ...]) -> str:
    return ", ".join(f"{name} {value}" for name, value in row if value is not None)
