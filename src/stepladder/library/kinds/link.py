"""A link: what stands elsewhere in the web. It comes from no file; how it is done, the module says."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import urlsplit

from django.http import HttpRequest

from stepladder.library.kinds.base import Kind, Made
from stepladder.library.link_forms import DONE_WHEN, LinkForm
from stepladder.library.models import LinkLook, Module, ModuleVersion
from stepladder.web.margin import Panel

__all__ = ["KIND", "LINK", "host_of"]

LINK = "link"


def host_of(data: Mapping[str, Any]) -> str:
    """The server that a link leads to: "ferries.example"."""
    return urlsplit(str(data.get("url", ""))).hostname or ""


def section(request: HttpRequest, module: Module, version: ModuleVersion | None) -> Panel | None:
    """Where it leads, whether it answers, and how it is changed."""
    if version is None:
        return None
    look = LinkLook.objects.filter(version=version).first()
    context = {"form": LinkForm(initial=version.data), "module": module, "url": version.data["url"], "look": look}
    return Panel("Where it leads", "library/link_section.html", context)


KIND = Kind(
    LINK,
    host_of,
    lambda data: f"done {DONE_WHEN[str(data.get('done_when', 'opened'))]}",
    section=section,
    # What one looks for where one remembers only whose page it is.
    words=lambda version: str(version.data.get("url", "")),
    made=Made("Something in the web?", "New link…", "library:new_link"),
)
