"""Tasks as a kind of module: a check list that is written here, of no file."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.http import HttpRequest

from stepladder.accounts import policy
from stepladder.core.sign_offs import in_words, read_check_list
from stepladder.library.kinds import Kind, Made
from stepladder.library.models import Module, ModuleVersion
from stepladder.signing.models import Task
from stepladder.web.margin import Panel

__all__ = ["KIND"]


def describe(data: Mapping[str, Any]) -> str:
    count = len(data.get("check_list", {}).get("criteria", []))
    return f"{count} {'criteria' if count != 1 else 'criterion'}"


def done_when(data: Mapping[str, Any]) -> str:
    if "check_list" not in data:
        return "done when it is signed off"
    return f"done when {in_words(read_check_list(data['check_list']))} are signed off"


def section(request: HttpRequest, module: Module, version: ModuleVersion | None) -> Panel | None:
    """What is looked at, and the way to change it."""
    task = Task.objects.filter(module=module).first()
    if task is None or not policy.may(request.user, "change modules", module):
        return None
    context = {"task": task, "module": module, "check_list": read_check_list(task.check_list), "version": version}
    return Panel("Signed off here", "signing/module_section.html", context)


def share(of: ModuleVersion, to: ModuleVersion) -> None:
    """*to* asks what *of* asks, and so does its draft. Within the transaction of the act that made it."""
    defaults = {
        "check_list": of.data["check_list"],
        "has_changes": False,
        "changed_at": to.made_at,
        "changed_by": to.made_by,
    }
    Task.objects.update_or_create(module=to.module, defaults=defaults)


def words(version: ModuleVersion) -> str:
    """What the search finds it by."""
    rows = read_check_list(version.data.get("check_list", {})).criteria
    return "\n".join(f"{one.text} {one.note}".strip() for one in rows)


KIND = Kind(
    "task",
    describe,
    done_when,
    made=Made("Something to show on the job?", "New task…", "signing:new_task"),
    section=section,
    share=share,
    words=words,
)
