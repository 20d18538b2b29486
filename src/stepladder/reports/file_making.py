"""Making large files of reports, by the queue: it may be stopped and run again at any time."""

from __future__ import annotations

import logging
from collections.abc import Iterator, Mapping, Sequence
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import DatabaseError
from django.http import QueryDict
from django_tasks import task

from stepladder import clock
from stepladder.library import storage
from stepladder.library.uploads import KEPT_FREE
from stepladder.reports.errors import ReportError
from stepladder.reports.models import ReportFile
from stepladder.reports.pages import rows_asked
from stepladder.reports.rows import ReportRows
from stepladder.reports.sentences import Sentence, asked_of
from stepladder.tabular.writing import as_csv, as_xlsx

__all__ = ["KEPT", "drop_old", "file_of", "make_report_file", "words"]

logger = logging.getLogger(__name__)
State = ReportFile.State
# So long it can be fetched; it is made anew at any time.
KEPT = timedelta(days=7)


def file_of(made: ReportFile) -> Path:
    """Where a file lies."""
    folder = Path(settings.MEDIA_ROOT) / "reports"
    folder.mkdir(parents=True, exist_ok=True)
    return folder / f"{made.public_id}.{made.form}"


@task()
def make_report_file(key: int) -> None:
    """Write the file with the rows that its asker may see now, whole or not at all: what is half written has a name of its own."""
    made = ReportFile.objects.select_related("account").filter(pk=key).first()
    if made is None or not made.is_under_way:
        return
    target = file_of(made)
    part = target.with_suffix(".part")
    ReportFile.objects.filter(pk=key).update(state=State.WORKING, done=0, total=0)
    try:
        if storage.free_bytes() < KEPT_FREE:
            raise ReportError("The disk is almost full, so nothing was made. Tell whoever runs this installation.")
        rows = _write(made, part)
        size = part.stat().st_size
        part.replace(target)
    except ReportError as refusal:
        _fail(made, part, str(refusal))
    except DatabaseError:
        # It may be over in a moment: the queue tries again.
        raise
    except OSError as error:
        logger.exception("%s could not be written.", made)
        _fail(made, part, f"It could not be written: {error.strerror or error}. Ask again when there is room.")
    except Exception as error:
        # What nobody thought of ends on its page too, not in one that says “being made” for ever.
        logger.exception("%s could not be made.", made)
        _fail(made, part, f"It could not be made: {type(error).__name__}: {str(error)[:200]}. Tell an administrator.")
    else:
        ReportFile.objects.filter(pk=key).update(state=State.DONE, done=rows, total=rows, size=size)


def _write(made: ReportFile, path: Path) -> int:
    """Write the rows; how many there were."""
    data = QueryDict(made.query)
    asked, errors = asked_of(Sentence.read(data), made.account)
    rows = rows_asked(asked, data) if asked else None
    if asked is None or rows is None:
        raise ReportError(" ".join(errors) or "This report has no rows of its own. Open a figure’s first.")
    pieces = _counted(made, rows)
    if made.form == "csv":
        with path.open("wb") as file:
            for part in as_csv(rows.heads, pieces):
                file.write(part)
    else:
        as_xlsx(path, made.title, rows.heads, pieces, asked.description)
    return len(rows)


def _counted(made: ReportFile, rows: ReportRows) -> Iterator[list[Sequence[Any]]]:
    """The rows piece by piece, with how far they are said after each."""
    done = 0
    for piece in rows.pieces():
        yield piece
        done += len(piece)
        ReportFile.objects.filter(pk=made.pk).update(done=done, total=len(rows))


def _fail(made: ReportFile, part: Path, trouble: str) -> None:
    part.unlink(missing_ok=True)
    ReportFile.objects.filter(pk=made.pk).update(state=State.FAILED, trouble=trouble)


def words(said: Mapping[str, Any]) -> str:
    """What the task is called where it failed."""
    made = ReportFile.objects.filter(pk=said.get("key", 0)).first()
    return f"making “{made.title}” as a file" if made else "making a file that is gone by now"


@task()
def drop_old() -> None:
    """The daily run: files that are older than a week go; they can be made again."""
    for made in ReportFile.objects.filter(created_at__lt=clock.now() - KEPT).exclude(state=State.DROPPED):
        file_of(made).unlink(missing_ok=True)
        ReportFile.objects.filter(pk=made.pk).update(state=State.DROPPED)
