"""The picture of a thing: its own, one made of its content, or one drawn from its title."""

from __future__ import annotations

from django import template
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import SafeString

from stepladder.library.models import Module
from stepladder.library.opening import still_address
from stepladder.library.queries import newest_of
from stepladder.web.pictures import drawn_from

register = template.Library()


@register.simple_tag
def small_picture(module: Module) -> SafeString | str:
    """In a list of modules read with their newest versions: its own picture or its content's; nothing where one would be drawn."""
    still = content_picture(module)
    return thing_picture(module.picture, "", still) if module.picture or still else ""


@register.simple_tag
def content_picture(module: Module) -> str:
    """Where the picture of a module's content is, read with its newest version; empty where there is none."""
    newest = newest_of(module)
    return still_address(module, newest[0] if newest else None)


@register.simple_tag
def thing_picture(digest: str, title: str, still: str = "") -> SafeString:
    """Its own picture by its digest, else the *still* at that address, else one drawn. The title beside it says what it is of."""
    address = reverse("library:own_picture", args=[digest]) if digest else still
    if address:
        return format_html('<img class="picture" src="{}" alt="" loading="lazy">', address)
    return drawn_from(title)
