"""Everything that writes a task: its check list, who may sign it off, and its release."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.sign_offs import BadCheckList, kept, problems_of, read_check_list
from stepladder.journal.actions import Actor, record
from stepladder.library.actions import about, create_draft
from stepladder.library.kinds import Worked
from stepladder.library.models import Binder, ModuleVersion
from stepladder.library.releasing import add_written, open_to_courses
from stepladder.people.models import Person
from stepladder.signing.errors import NotATask, NotReady
from stepladder.signing.kind import KIND
from stepladder.signing.models import Task
from stepladder.web.sheets import TOUCHED, touch

__all__ = ["create_task", "name_signers", "release_task", "write_check_list"]


@transaction.atomic
def create_task(*, binder: Binder, title: str, by: Actor, description: str = "") -> Task:
    """A task with an empty check list, as a draft that nobody can put into a course."""
    policy.require(by, "change modules", binder)
    module = create_draft(binder=binder, kind=KIND, title=title, by=by, description=description)
    return Task.objects.create(module=module, changed_at=clock.now(), changed_by=by.name)


@transaction.atomic
def write_check_list(*, task: Task, raw: Mapping[str, Any], revision: int | None, by: Actor) -> Task:
    """What is looked at from the next release on. Raises NotATask, NewerChange (*revision* is what it was opened at)."""
    policy.require(by, "change modules", task.module)
    try:
        written = kept(read_check_list(raw))
    except BadCheckList as refusal:
        raise NotATask(str(refusal)) from None
    if written != task.check_list:
        touch(task, revision=revision, by_name=by.name)
        task.check_list, task.has_changes = written, True
        task.save(update_fields=[*TOUCHED, "check_list", "has_changes"])
    return task


@transaction.atomic
def name_signers(*, task: Task, named: Sequence[Person], only_named: bool, by: Actor) -> Task:
    """Who may sign it off beside those who lead, or instead of them; it holds at once, for every version. Raises NotATask."""
    policy.require(by, "change modules", task.module)
    if only_named and not named:
        raise NotATask("Name who may sign it off first: without them nobody could.")
    before = set(task.named.values_list("public_id", flat=True))
    after = {person.public_id for person in named}
    if before != after or task.only_named != only_named:
        data = {
            "names": ", ".join(sorted(person.name for person in named)) or "nobody by name",
            "before": sorted(before),
            "only_before": task.only_named,
        }
        task.named.set(named)
        task.only_named = only_named
        task.save(update_fields=["only_named"])
        record("name_signers", by=by, about=about(task.module), data=data)
    return task


@transaction.atomic
def release_task(*, task: Task, by: Actor, note: str = "") -> ModuleVersion:
    """A new version: the check list as it is now. Who is under way stays on theirs. Raises NotReady."""
    module = task.module
    policy.require(by, "change modules", module)
    task.refresh_from_db(from_queryset=Task.objects.select_for_update().select_related("module__binder"))
    check_list = read_check_list(task.check_list)
    if found := problems_of(check_list):
        raise NotReady(found)
    worked = Worked(module.title, check_list.minutes, {"check_list": task.check_list}, module.description)
    version = add_written(module=module, worked=worked, note=note, by=by)
    open_to_courses(module=module, by=by)
    task.has_changes = False
    task.save(update_fields=["has_changes"])
    return version
