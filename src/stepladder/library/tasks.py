"""What the queue does for the library. It may run twice, and goes on where it stopped."""

from __future__ import annotations

import logging
from collections.abc import Mapping
from functools import partial
from typing import Any

from django.db import DatabaseError, transaction
from django_tasks import task

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.finding import fold
from stepladder.library import actions, bringing, links, storage
from stepladder.library.deriving import PARSERS, derive_anew, process, work_out
from stepladder.library.errors import LibraryError, Unusable, is_of_the_machine
from stepladder.library.models import DetailTable, Module, ModuleState, ModuleVersion, Upload
from stepladder.library.parsing.bounded import Unforeseen
from stepladder.library.titles import as_first_called, titles_in
from stepladder.queue.actions import Queue, later
from stepladder.search import index

__all__ = ["change_by_table", "derive_outdated", "look_through_table", "return_table", "work_out_upload"]

logger = logging.getLogger(__name__)


@task()
def work_out_upload(upload_id: int) -> None:
    """Make a module, or a version of one, of an upload that has arrived whole; or say why it cannot be used."""
    upload = Upload.objects.select_related("binder", "account", "replaces", "module").get(pk=upload_id)
    if upload.state in (Upload.State.DONE, Upload.State.REFUSED):
        return
    Upload.objects.filter(pk=upload.pk).update(state=Upload.State.WORKING, beat_at=clock.now())
    try:
        version = _version_of(upload)
        process(version, partial(_beat, upload))
    except LibraryError as refusal:
        _give_up(upload, str(refusal))
    except (DatabaseError, OSError) as error:
        if not isinstance(error, DatabaseError) and not is_of_the_machine(error):
            _give_up_unexpected(upload, error)
        else:
            # It may be over in a moment: the queue tries again, and what fails for good stands on the Desk.
            raise
    except Exception as error:
        _give_up_unexpected(upload, error)
    else:
        _end(upload, *_likeness_of(version, upload))
        storage.incoming(upload).unlink(missing_ok=True)


def _likeness_of(version: ModuleVersion, upload: Upload) -> tuple[str, Module | None, str]:
    """Which module that its uploader may use it is like, how, and the question in words; nothing where it is like none."""
    others = policy.visible(upload.account, "use modules", Module.objects.exclude(pk=version.module_id))
    others = others.exclude(state=ModuleState.DELETED).select_related("binder").order_by("pk")
    if version.original is None or version.number > 1:
        return "", None, ""
    if twin := others.filter(versions__original=version.original).first():
        said = (
            f"The very same file is “{twin.title}” in the binder “{twin.binder.name}” already. Is one of them enough?"
        )
        return Upload.Likeness.SAME, twin, said
    editable = policy.visible(upload.account, "change modules", others)
    named = editable.filter(binder=version.module.binder, kind=version.module.kind)
    if twin := named.filter(versions__file_name=version.file_name).first():
        said = f"“{twin.title}” was made of a file of the same name. Is this a newer version of it?"
        return Upload.Likeness.NAME, twin, said
    called = as_first_called(version.module.title)
    titled = titles_in(version.module.binder).get(fold(called), []) if called != version.module.title else []
    if twin := editable.filter(pk__in=titled, kind=version.module.kind).first():
        said = (
            f"“{twin.title}” is there already, so this one is called “{version.module.title}”. Is it a newer version?"
        )
        return Upload.Likeness.TITLE, twin, said
    return "", None, ""


def _give_up_unexpected(upload: Upload, error: Exception) -> None:
    """Whatever stood in a file that nobody thought of ends as a sentence on it, and can be tried again."""
    logger.exception("The file %s could not be worked out.", upload.public_id)
    _give_up(
        upload,
        f"“{upload.file_name}” could not be used: something in it is not as expected "
        f"({_said(error)}). Export it again; or try again, where the fault was here.",
        can_try_again=True,
    )


def _said(error: Exception) -> str:
    return str(error)[:220] if isinstance(error, Unforeseen) else f"{type(error).__name__}: {str(error)[:200]}"


def _give_up(upload: Upload, message: str, *, can_try_again: bool = False) -> None:
    """Refused, with the reason; nothing that was begun of it is left behind."""
    with transaction.atomic():
        upload.refresh_from_db()
        if upload.module is not None:
            actions.discard_version(upload=upload, because=message)
        Upload.objects.filter(pk=upload.pk).update(
            state=Upload.State.REFUSED, message=message, can_try_again=can_try_again, beat_at=clock.now(), module=None
        )
    if not can_try_again:
        storage.incoming(upload).unlink(missing_ok=True)


def words(said: Mapping[str, Any]) -> str:
    """What the task is called where it failed."""
    upload = Upload.objects.filter(pk=said.get("upload_id", 0)).first()
    return f"working out the file “{upload.file_name if upload else 'that is gone'}”"


def _beat(upload: Upload, done: int, total: int) -> None:
    Upload.objects.filter(pk=upload.pk).update(done=done, total=total, beat_at=clock.now())


def _version_of(upload: Upload) -> ModuleVersion:
    """The version that this upload makes; the one it made already, if the worker was stopped after that."""
    if upload.module is not None:
        return upload.module.versions.order_by("-number")[0]
    kind, material, worked = work_out(storage.incoming(upload), upload.file_name)
    if upload.replaces and upload.replaces.kind != kind.name:
        storage.drop_workplace(worked.folder)
        raise Unusable(
            f"“{upload.file_name}” is a {kind.name}, but “{upload.replaces.title}” is a {upload.replaces.kind}. "
            "A new version must be of the same kind: upload it as a module of its own."
        )
    original = storage.keep(material.path, material.content_type)
    with transaction.atomic():
        if upload.replaces:
            version = actions.add_version(
                module=upload.replaces, worked=worked, original=original, file_name=upload.file_name, by=upload.account
            )
        else:
            version = actions.create_module(
                binder=upload.binder,
                kind=kind,
                worked=worked,
                original=original,
                file_name=upload.file_name,
                by=upload.account,
                folder=upload.folder,
            )
        upload.module = version.module
        upload.save(update_fields=["module"])
    return version


def _end(upload: Upload, likeness: str, twin: Module | None, message: str) -> None:
    Upload.objects.filter(pk=upload.pk).update(
        state=Upload.State.DONE, message=message, likeness=likeness, twin=twin, beat_at=clock.now()
    )


# So many links a piece: a server that does not answer takes its time.
LINKS_A_PIECE = 10


@task()
def look_at_links() -> None:
    """The daily run: links that nobody looked at for a week are asked whether they are there, piece by piece."""
    wanted = links.links_to_look_at()
    for version in ModuleVersion.objects.filter(pk__in=wanted[:LINKS_A_PIECE]):
        links.look_at_link(version)
    if len(wanted) > LINKS_A_PIECE:
        with transaction.atomic():
            later(look_at_links, queue=Queue.MAIL)


# So many versions a piece: between two of them other work of the queue has its turn.
VERSIONS_A_PIECE = 20


@task()
def look_through_table(table_id: int) -> None:
    """Work out what a table of details would change."""
    table = DetailTable.objects.select_related("account").get(pk=table_id)
    if table.state == DetailTable.State.LOOKING:
        bringing.look_through(table)


@task()
def change_by_table(table_id: int) -> None:
    """Carry a table of details out, piece by piece; stopped, it goes on with the next."""
    table = DetailTable.objects.select_related("account").get(pk=table_id)
    while table.state == DetailTable.State.CHANGING and bringing.change_piece(table):
        table.refresh_from_db()


@task()
def return_table(table_id: int) -> None:
    """Take a table of details back, act by act; stopped, it goes on with the next."""
    table = DetailTable.objects.select_related("account").get(pk=table_id)
    while table.state == DetailTable.State.RETURNING and bringing.return_piece(table):
        table.refresh_from_db()


def words_of_table(said: Mapping[str, Any]) -> str:
    """What a task on a table is called where it failed."""
    table = DetailTable.objects.filter(pk=said.get("table_id", 0)).first()
    return f"the table of details “{table.file_name if table else 'that is gone'}”"


@task()
def derive_outdated() -> None:
    """The daily run: what was derived before the parsers found what they find now is derived anew, piece by piece."""
    outdated = ModuleVersion.objects.filter(derived_by__lt=PARSERS, original__isnull=False).select_related(
        "module", "original"
    )
    for version in outdated.order_by("-pk")[:VERSIONS_A_PIECE]:
        try:
            derive_anew(version)
        except Exception:
            # It plays as it did; only words and pictures that are found by now are missing.
            logger.exception("Nothing could be derived anew of version %s of “%s”.", version.number, version.module)
        ModuleVersion.objects.filter(pk=version.pk).update(derived_by=PARSERS)
        index.refresh("module", (version.module_id,))
    if outdated.exists():
        with transaction.atomic():
            later(derive_outdated, queue=Queue.BULK)
