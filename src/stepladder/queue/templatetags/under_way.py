"""How far what follows from an act on a thing is."""

from __future__ import annotations

from typing import Any

from django import template

from stepladder.queue import queries

register = template.Library()


@register.inclusion_tag("queue/under_way.html")
def under_way(kind: str, public_id: str) -> dict[str, Any]:
    """ "250 of 3000 people", asked again until all of it stands; nothing where nothing follows."""
    return {"work": queries.under_way(kind, public_id), "kind": kind, "public_id": public_id, "was_asked": False}
