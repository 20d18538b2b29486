"""The daily run over what was brought in and never came to an end, and over what was deleted and has rested."""

from __future__ import annotations

import shutil
from datetime import timedelta
from functools import partial

from django.db import transaction
from django.db.models import ProtectedError
from django_tasks import task

from stepladder import clock
from stepladder.journal.actions import Machine, Named, record
from stepladder.library import storage
from stepladder.library.models import REST, Module, ModuleState, StoredFile, Upload
from stepladder.library.uploads import discard_upload, finish_received

__all__ = ["empty_rest", "tidy_uploads"]

BY = Machine("Daily run")

# Parts that nobody went on with for so long are not kept any longer.
GIVEN_UP = timedelta(days=7)


@task()
def tidy_uploads() -> None:
    """The daily run: what is whole is worked out, and what nobody went on with for a week goes."""
    for folder in storage.old_workplaces(clock.now() - GIVEN_UP):
        storage.drop_workplace(folder)
    for upload in Upload.objects.filter(state=Upload.State.RECEIVING).select_related("account"):
        if not finish_received(upload=upload) and upload.beat_at < clock.now() - GIVEN_UP:
            discard_upload(upload=upload, by=upload.account)


# So many a run: the rest comes the day after.
MOST = 500


@task()
def empty_rest() -> None:
    """The daily run: what was deleted more than 30 days ago is gone for good, with its files; in backups it is until they end."""
    rested = Module.objects.filter(state=ModuleState.DELETED, deleted_at__lt=clock.now() - REST)
    for module in rested.order_by("pk")[:MOST]:
        try:
            with transaction.atomic():
                _remove(module)
        except ProtectedError:
            # Somebody has learnt from it: the record still says what that was.
            with transaction.atomic():
                module.state, module.deleted_at = ModuleState.WITHDRAWN, None
                module.save(update_fields=["state", "deleted_at"])


def _remove(module: Module) -> None:
    named = Named("module", module.public_id, module.title)
    originals = set(module.versions.exclude(original=None).values_list("original", flat=True))
    folders = []
    for version in module.versions.all():
        folders += [storage.package_folder(version), storage.derived_folder(version)]
        version.delete()
    module.delete()
    record("remove_module", by=BY, about=named)
    for stored in StoredFile.objects.filter(pk__in=originals, versions__isnull=True):
        path = storage.file_of(stored)
        try:
            stored.delete()
        except ProtectedError:
            # Something else of this application's still shows it.
            continue
        transaction.on_commit(partial(path.unlink, missing_ok=True))
    for folder in folders:
        # Only once it is certain: rolled back, the version would be there without its files.
        transaction.on_commit(partial(shutil.rmtree, folder, ignore_errors=True))
