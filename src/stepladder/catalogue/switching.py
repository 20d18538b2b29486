"""What of the catalogue an organisation can switch off."""

from __future__ import annotations

from django.utils.translation import ngettext

from stepladder.accounts.switches import Switch
from stepladder.catalogue.models import PassedOn, Rating

__all__ = ["OTHERS", "PASSING", "RATINGS"]


def _ratings() -> str:
    count = Rating.objects.count()
    return ngettext("%d rating", "%d ratings", count) % count if count else ""


def _passed() -> str:
    count = PassedOn.objects.count()
    return ngettext("%d thing passed on", "%d things passed on", count) % count if count else ""


RATINGS = Switch(
    "ratings",
    "rate what they did",
    "nobody rates, and no rating is shown or orders anything, also to authors.",
    _ratings,
)
PASSING = Switch(
    "passing on",
    "pass things on to each other",
    "nobody passes on; what was is not shown, and comes no longer first.",
    _passed,
)
OTHERS = Switch(
    "what others did",
    "see how many others in their position did something",
    "it is told nowhere, and orders nothing.",
)
