"""The picture of a thing: its own, one made of its content, or one drawn from its title."""

from __future__ import annotations

from django import template
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import SafeString

from stepladder.web.pictures import drawn_from

register = template.Library()


@register.simple_tag
def thing_picture(digest: str, title: str, still: str = "") -> SafeString:
    """Its own picture by its digest, else the *still* at that address, else one drawn. The title beside it says what it is of."""
    address = reverse("library:own_picture", args=[digest]) if digest else still
    if address:
        return format_html('<img class="picture" src="{}" alt="" loading="lazy">', address)
    return drawn_from(title)
