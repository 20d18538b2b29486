"""What playing adds to sheets below it."""

from __future__ import annotations

from django.http import HttpRequest
from django.urls import reverse
from django.utils.http import urlencode

from stepladder.accounts import policy
from stepladder.library.models import Module
from stepladder.web.margin import VerbLink

__all__ = ["try_address", "try_verb"]


def try_verb(request: HttpRequest, module: Module) -> VerbLink | None:
    """Play a module to see what learners meet; nothing is kept."""
    if not policy.may(request.user, "use modules", module):
        return None
    return VerbLink("Try it", reverse("playing:try_module", args=[module.public_id]))


def try_address(module: Module, place: float, version: int | None) -> str:
    """Where a module, or one version of it, is looked at, opened at a place in it."""
    asked = {"at": f"{place:g}"} | ({"v": str(version)} if version is not None else {})
    return f"{reverse('playing:try_module', args=[module.public_id])}?{urlencode(asked)}"
