"""What is missing in the set-up is said at start, with a remedy."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.checks import CheckMessage, Error, register


@register()
def two_origins(app_configs: Any, **kwargs: Any) -> list[CheckMessage]:
    """Packages are other people's code and may not share the application's origin."""
    if settings.CONTENT_HOST.lower() == settings.APP_HOST.lower():
        return [
            Error(
                "The content origin equals the application's.",
                hint="Set STEPLADDER_CONTENT_HOST to another name.",
                id="stepladder.E004",
            )
        ]
    return []
