"""What is missing in the set-up is said at start, with a remedy."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.checks import CheckMessage, Error, Warning, register


@register()
def in_the_clear(app_configs: Any, **kwargs: Any) -> list[CheckMessage]:
    """Whoever serves others serves them behind TLS."""
    if settings.APP_HOST not in ("localhost", "127.0.0.1") and not settings.BEHIND_TLS:
        return [
            Warning(
                "Passwords and records go over the line in the clear.",
                hint="Put a proxy with TLS before this server and set STEPLADDER_ADDRESS to its address, with https://.",
                id="stepladder.W005",
            )
        ]
    return []


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
