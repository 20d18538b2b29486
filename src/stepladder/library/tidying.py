"""The daily run over what was brought in and never came to an end."""

from __future__ import annotations

from datetime import timedelta

from django_tasks import task

from stepladder import clock
from stepladder.library.models import Upload
from stepladder.library.uploads import discard_upload, finish_received

__all__ = ["tidy_uploads"]

# Parts that nobody went on with for so long are not kept any longer.
GIVEN_UP = timedelta(days=7)


@task()
def tidy_uploads() -> None:
    """The daily run: what is whole is worked out, and parts that nobody went on with for a week go."""
    for upload in Upload.objects.filter(state=Upload.State.RECEIVING).select_related("account"):
        if not finish_received(upload=upload) and upload.beat_at < clock.now() - GIVEN_UP:
            discard_upload(upload=upload, by=upload.account)
