"""What is missing in the set-up is said at start: each with its id, the reason and the remedy. Errors keep the server from starting."""

from __future__ import annotations

import logging
import os
import shutil
import sqlite3
from typing import Any
from urllib.parse import urlsplit

from django.conf import settings
from django.core.checks import CheckMessage, Error, Warning, register, run_checks

__all__ = ["TAG", "told_at_start"]

logger = logging.getLogger(__name__)
# By which they are asked for apart from Django's own.
TAG = "stepladder"
# SQLite that knows all that is asked of it (RETURNING, and what it says of JSON).
LEAST_SQLITE = (3, 38, 0)
# Uploads are refused below half of this; there is time to make room.
LITTLE_ROOM = 2 * 1024**3


def told_at_start() -> None:
    """Look at the set-up: what is worth a thought goes to the log. Raises SystemExit with all errors."""
    errors = []
    for found in run_checks(tags=[TAG]):
        words = f"{found.id}: {found.msg} {found.hint or ''}".strip()
        if found.is_serious():
            errors.append(words)
        else:
            logger.warning("%s", words)
    if errors:
        raise SystemExit("\n".join(errors))


@register(TAG)
def own_folder(app_configs: Any, **kwargs: Any) -> list[CheckMessage]:
    """The data folder takes what is written, and has room."""
    folder = settings.DATA_DIR
    if not os.access(folder, os.W_OK | os.X_OK):
        return [
            Error(
                f"Nothing can be written into {folder}.",
                hint="Give it to the user that runs the server (chown -R), or say another one with --data.",
                id="stepladder.E006",
            )
        ]
    free = shutil.disk_usage(folder).free
    if free < LITTLE_ROOM:
        return [
            Warning(
                f"Only {free // 1024**2} MB are free where {folder} lies; below 512 MB no file is taken.",
                hint="Make room, give the disk more, or set a quota for what is derived (Organisation).",
                id="stepladder.W007",
            )
        ]
    return []


@register(TAG)
def letters_go_out(app_configs: Any, **kwargs: Any) -> list[CheckMessage]:
    """Whoever serves others mails them."""
    if settings.APP_HOST in ("localhost", "127.0.0.1") or settings.EMAIL_HOST:
        return []
    return [
        Warning(
            "There is no mail server: notices and invitations land in the mail tray, and nobody gets them.",
            hint="Set STEPLADDER_SMTP_HOST, and STEPLADDER_FROM to an address that it sends for.",
            id="stepladder.W008",
        )
    ]


@register(TAG)
def a_content_host_each(app_configs: Any, **kwargs: Any) -> list[CheckMessage]:
    """Packages do not share an origin with each other either."""
    if settings.CONTENT_HOST.startswith("*."):
        return []
    return [
        Warning(
            "All packages share one content host, so one can read what another keeps in the browser.",
            hint="Set STEPLADDER_CONTENT_HOST to a wildcard on another domain (*.content.example), with a certificate for it.",
            id="stepladder.W009",
        )
    ]


@register(TAG)
def a_database_that_knows_enough(app_configs: Any, **kwargs: Any) -> list[CheckMessage]:
    if sqlite3.sqlite_version_info >= LEAST_SQLITE:
        return []
    return [
        Error(
            f"SQLite {sqlite3.sqlite_version} is too old.",
            hint="Use a Python that comes with SQLite 3.38 or newer: Debian 12 and later have one.",
            id="stepladder.E010",
        )
    ]


@register(TAG)
def an_address_that_leads_here(app_configs: Any, **kwargs: Any) -> list[CheckMessage]:
    """Links in notices and on certificates begin with it."""
    address = urlsplit(settings.PUBLIC_ADDRESS)
    if address.scheme in ("http", "https") and address.hostname and not address.path.strip("/"):
        return []
    return [
        Error(
            f"“{settings.PUBLIC_ADDRESS}” is no address that links can begin with.",
            hint="Set STEPLADDER_ADDRESS to the address in the browser, without a path: https://training.example",
            id="stepladder.E011",
        )
    ]


@register(TAG)
def folders_of_sources(app_configs: Any, **kwargs: Any) -> list[CheckMessage]:
    """A share that is named is mounted."""
    return [
        Warning(
            f"{root} is not there, or can’t be read: sources below it are not looked at.",
            hint="Mount it, or take it out of STEPLADDER_SOURCES.",
            id="stepladder.W012",
        )
        for root in settings.SOURCE_ROOTS
        if root != settings.DATA_DIR / "sources" and not os.access(root, os.R_OK | os.X_OK)
    ]


@register(TAG)
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


@register(TAG)
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
