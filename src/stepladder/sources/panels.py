"""What a module's sheet says of where it came from."""

from __future__ import annotations

from django.http import HttpRequest

from stepladder.accounts import policy
from stepladder.library.details import DETAILS, PICTURE
from stepladder.library.editing import heading_of
from stepladder.library.models import Module
from stepladder.sources.models import SourceItem
from stepladder.web.margin import Panel

__all__ = ["source_panel"]


def source_panel(request: HttpRequest, module: Module) -> Panel | None:
    """The source, the file there, and which details were edited here and are not taken from it."""
    item = SourceItem.objects.select_related("source").filter(module=module).order_by("is_missing", "pk").first()
    if item is None:
        return None
    context = {
        "item": item,
        "module": module,
        "edited": [(name, heading_of(name).lower()) for name in (*DETAILS, PICTURE) if name in module.edited],
        "may_change": policy.may(request.user, "change modules", module),
        "may_open": policy.may(request.user, "keep sources"),
    }
    return Panel("Where it is from", "sources/panel.html", context)
