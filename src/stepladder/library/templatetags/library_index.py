"""The index beside the library's pages."""

from __future__ import annotations

from typing import Any

from django import template

from stepladder.accounts.signed_in import account_of
from stepladder.library.kept_searches import kept_of
from stepladder.library.models import Binder, KeptSearch
from stepladder.library.places import Place, places

register = template.Library()


@register.simple_tag(takes_context=True)
def library_places(context: dict[str, Any]) -> list[Place]:
    """The pages beside the library that who is signed in may open."""
    return places(context["request"].user)


@register.simple_tag(takes_context=True)
def kept_searches(context: dict[str, Any]) -> list[KeptSearch]:
    """The searches that who is signed in keeps."""
    return kept_of(account_of(context["request"]))


@register.simple_tag
def binder_who(binder: Binder) -> str:
    """Who keeps, who uses and who sees a binder, in words."""
    uses = "its editors alone" if not binder.is_shared else "some authors" if binder.used_by else "every author"
    seen = "" if not binder.is_open else f"; {'some others see' if binder.seen_by else 'every author sees'} it"
    return f"Kept by {binder.owner.name}, for {uses} to use{seen}"
