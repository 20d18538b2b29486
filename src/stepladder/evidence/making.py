"""Making packs, by the queue: it may be stopped and run again at any time."""

from __future__ import annotations

import logging
from collections.abc import Mapping
from datetime import timedelta
from functools import partial
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import DatabaseError, transaction
from django_tasks import task

from stepladder import clock
from stepladder.accounts import policy
from stepladder.evidence import check
from stepladder.evidence.asking import people_in
from stepladder.evidence.errors import EvidenceError
from stepladder.evidence.models import Pack
from stepladder.evidence.writing import Sealed, write_pack
from stepladder.journal.actions import Named, record
from stepladder.journal.chain import head
from stepladder.journal.content_digests import keep_digests
from stepladder.library import storage
from stepladder.library.uploads import KEPT_FREE

__all__ = ["KEPT", "about", "drop_old", "file_of", "make_pack", "read_new_entries", "words"]

logger = logging.getLogger(__name__)
State = Pack.State
# So long its file is kept; what was asked for and its seal stay.
KEPT = timedelta(days=90)
# So often it is written anew where something was written into it meanwhile.
TRIES = 3
FULL = "The disk is almost full, so no pack was made. Tell whoever runs this installation, and make it again then."


def about(pack: Pack) -> Named:
    return Named("evidence pack", pack.public_id, pack.name)


def file_of(pack: Pack) -> Path:
    folder = Path(settings.MEDIA_ROOT) / "evidence"
    folder.mkdir(parents=True, exist_ok=True)
    return folder / f"{pack.public_id}.zip"


@task()
def make_pack(key: int) -> None:
    """Write the file and check it, whole or not at all: what is half written has a name of its own."""
    pack = Pack.objects.select_related("account").filter(pk=key).first()
    if pack is None or not pack.is_under_way:
        return
    target = file_of(pack)
    part = target.with_suffix(".part")
    Pack.objects.filter(pk=key).update(state=State.WORKING, done=0, total=pack.people)
    try:
        if storage.free_bytes() < KEPT_FREE:
            raise EvidenceError(FULL)
        if not policy.may(pack.account, "make evidence packs"):
            raise EvidenceError(
                f"{pack.account.name}, who asked for it, may make packs no more. Ask for one of your own."
            )
        people = people_in(pack.reach, day=pack.day, known_on=pack.known_on, account=pack.account)
        if not people:
            raise EvidenceError("Nobody was in this reach on that day.")
        sealed, report = _made(pack, people, part)
        size = part.stat().st_size
        part.replace(target)
    except EvidenceError as refusal:
        _fail(pack, str(refusal))
    except DatabaseError:
        # It may be over in a moment: the queue tries again.
        raise
    except OSError as error:
        logger.exception("%s could not be written.", pack)
        _fail(pack, f"It could not be written: {error.strerror or error}. Make it again when there is room.")
    except Exception as error:
        # What nobody thought of ends on its page too, not in one that says “being made” for ever.
        logger.exception("%s could not be made.", pack)
        _fail(pack, f"It could not be made: {type(error).__name__}: {str(error)[:200]}. Tell an administrator.")
    else:
        _keep(pack, len(people), size, sealed, report)


def _made(pack: Pack, people: list[int], part: Path) -> tuple[Sealed, check.Report]:
    """The pack as it was written last, with what its own check says of it.

    What somebody wrote while it was gathered makes its parts differ: then it is gathered again.
    """
    for tries_left in reversed(range(TRIES)):
        before = head()
        sealed = write_pack(pack, people, part, partial(_beat, pack.pk))
        report = check.check(part, seal=sealed.seal)
        if report.is_whole or not tries_left or sealed.head == before:
            return sealed, report
    raise AssertionError("The last try is returned.")


def _beat(key: int, done: int, total: int) -> None:
    Pack.objects.filter(pk=key).update(done=done, total=total)


@transaction.atomic
def _keep(pack: Pack, people: int, size: int, sealed: Sealed, report: check.Report) -> None:
    Pack.objects.filter(pk=pack.pk).update(
        state=State.DONE,
        people=people,
        size=size,
        seal=sealed.seal,
        head=str(sealed.head),
        holds=report.holds,
        fails=report.fails,
        made_at=clock.now(),
    )
    # The seal stands in the journal, so that it cannot be changed on the page either.
    record("make_pack", by=pack.account, about=about(pack), data={"seal": sealed.seal, "head": str(sealed.head)})


def _fail(pack: Pack, trouble: str) -> None:
    file_of(pack).with_suffix(".part").unlink(missing_ok=True)
    Pack.objects.filter(pk=pack.pk).update(state=State.FAILED, trouble=trouble)


def words(said: Mapping[str, Any]) -> str:
    """What the task is called where it failed."""
    pack = Pack.objects.filter(pk=said.get("key", 0)).first()
    return f"making the evidence pack “{pack.name}”" if pack else "making an evidence pack that is gone by now"


@task()
def read_new_entries() -> None:
    """The daily run: what the chain of a pack needs of new entries is ready before anybody waits for one."""
    keep_digests()


@task()
def drop_old() -> None:
    """The daily run: files of packs that are older than 90 days go; what they were, and their seals, stay."""
    for pack in Pack.objects.filter(state=State.DONE, made_at__lt=clock.now() - KEPT):
        file_of(pack).unlink(missing_ok=True)
        Pack.objects.filter(pk=pack.pk, state=State.DONE).update(state=State.DROPPED)
