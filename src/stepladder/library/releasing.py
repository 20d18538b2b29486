"""A module that was made here is released: the next version of it, and the module itself the first time."""

from __future__ import annotations

from stepladder.accounts import policy
from stepladder.journal.actions import Actor
from stepladder.library.actions import add_version, release_module
from stepladder.library.copying import note_version
from stepladder.library.kinds import Worked
from stepladder.library.models import Module, ModuleState, ModuleVersion

__all__ = ["add_written", "open_to_courses"]


def add_written(*, module: Module, worked: Worked, note: str, by: Actor) -> ModuleVersion:
    """The next version, with what is new in it. What nobody set by hand follows it. Within the transaction of the release."""
    policy.require(by, "change modules", module)
    version = add_version(module=module, worked=worked, by=by)
    if note:
        note_version(version=version, note=note, by=by)
    if "minutes" not in module.edited:
        module.minutes = worked.minutes
        module.save(update_fields=["minutes"])
    return version


def open_to_courses(*, module: Module, by: Actor) -> None:
    """Once its version has all that belongs to it: a draft can be put into courses from now on."""
    policy.require(by, "change modules", module)
    if module.state == ModuleState.DRAFT:
        release_module(module=module, by=by)
