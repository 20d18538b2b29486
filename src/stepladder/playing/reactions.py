"""What playing adds to sheets below it."""

from __future__ import annotations

from django.http import HttpRequest
from django.urls import reverse

from stepladder.library.models import Module
from stepladder.web.margin import VerbLink

__all__ = ["try_verb"]


def try_verb(request: HttpRequest, module: Module) -> VerbLink:
    """Play a module to see what learners meet; nothing is kept."""
    return VerbLink("Try it", reverse("playing:try_module", args=[module.public_id]))
