"""The groups that other apps add to the index of Records."""

from __future__ import annotations

from typing import Any

from django import template

from stepladder.records.index_groups import IndexGroup, index_groups

register = template.Library()


@register.simple_tag(takes_context=True)
def added_groups(context: dict[str, Any]) -> list[IndexGroup]:
    """The groups for whoever looks at the page."""
    return index_groups(context["request"])
