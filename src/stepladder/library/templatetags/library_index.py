"""The index beside the library's pages."""

from __future__ import annotations

from typing import Any

from django import template

from stepladder.library.places import Place, places

register = template.Library()


@register.simple_tag(takes_context=True)
def library_places(context: dict[str, Any]) -> list[Place]:
    """The pages beside the library that who is signed in may open."""
    return places(context["request"].user)
