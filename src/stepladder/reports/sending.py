"""Sending kept reports on their days: as mail with the file, each reader their own rows. Rule: 16."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any

from django.conf import settings
from django.core.mail import EmailMessage
from django.db import transaction
from django.urls import reverse
from django_tasks import task

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.organisation import organisation
from stepladder.core.days import Calendar
from stepladder.queue.actions import Queue, later
from stepladder.reports.files import file_name, table_of
from stepladder.reports.models import KeptReport, Sending
from stepladder.reports.rows import ReportRows
from stepladder.reports.running import opened, run
from stepladder.reports.sentences import Asked, Sentence, asked_of
from stepladder.tabular.writing import as_csv
from stepladder.web.templatetags.web import day as written

__all__ = ["due_day", "hand_over", "send_report", "words_of_handing", "words_of_sending"]

TEXT = """{name}, as of {day}.

{said}

The file holds what you may see. The report, with the rows behind each figure:
{address}

{organisation}
"""
# A larger file goes to nobody: the mail says where it is to be had instead.
MOST_BYTES = 8_000_000


def words_of_handing(said: Mapping[str, Any]) -> str:
    """What the task is called where it failed."""
    return "looking which reports are to be sent"


def words_of_sending(said: Mapping[str, Any]) -> str:
    return "sending a kept report"


def due_day(days: str, today: date, calendar: Calendar, *, is_quiet: bool) -> date | None:
    """The newest day up to *today* on which a report with these days is to be sent; None for one that is not.

    *is_quiet*: today is a day on which nothing daily goes.
    """
    if days == KeptReport.Days.WEEKLY:
        return calendar.start_of("week", today)
    if days == KeptReport.Days.MONTHLY:
        return calendar.start_of("month", today)
    if days == KeptReport.Days.QUARTERLY:
        return calendar.start_of("quarter", today)
    if days == KeptReport.Days.DAILY and not is_quiet:
        return today
    return None


@task()
def hand_over() -> None:
    """Every day: the reports whose day has come since they were sent last; missed days come to one."""
    today, ours = clock.today(), organisation()
    is_quiet = today.weekday() in ours.quiet_weekdays or today.isoformat() in {day for day, _ in ours.quiet_dates}
    for kept in KeptReport.objects.exclude(days=KeptReport.Days.NEVER).select_related("owner").order_by("pk"):
        due = due_day(kept.days, today, clock.calendar(), is_quiet=is_quiet)
        if due is None or (kept.sent_on is not None and due <= kept.sent_on):
            continue
        with transaction.atomic():
            trouble = (
                ""
                if kept.owner.is_active
                else f"{kept.owner.name} keeps it and signs in no more: it is sent to nobody."
            )
            KeptReport.objects.filter(pk=kept.pk).update(sent_on=today, trouble=trouble)
            for reader in [] if trouble else kept.readers.filter(is_active=True).order_by("pk"):
                row, is_new = Sending.objects.get_or_create(kept=kept, reader=reader, day=today)
                if is_new:
                    later(send_report, queue=Queue.MAIL, sending=row.pk)


@task()
def send_report(sending: int) -> None:
    """Run a report with the rights of its reader and send what comes of it; once, however often it runs.

    A mail server that refuses is said on the report, and asked again by the queue.
    """
    row = Sending.objects.select_related("kept", "reader").filter(pk=sending, sent_at__isnull=True).first()
    if row is None or row.rows == 0:
        return
    if not (row.reader.is_active and policy.may(row.reader, "open records")):
        Sending.objects.filter(pk=row.pk).update(rows=0)
        return
    asked, errors = asked_of(Sentence.read(row.kept.sentence), row.reader)
    if asked is None:
        _keep_trouble(row, " ".join(errors))
        KeptReport.objects.filter(pk=row.kept_id).update(trouble=f"It can’t be run: {' '.join(errors)}"[:300])
        return
    body, count, said = _file(asked)
    if not count:
        Sending.objects.filter(pk=row.pk).update(rows=0)
        return
    letter = _letter(row, asked, body, said)
    try:
        letter.send()
    except OSError as error:
        _keep_trouble(row, f"The mail server did not take it: {error}")
        raise
    Sending.objects.filter(pk=row.pk).update(rows=count, sent_at=clock.now(), trouble="")


def _keep_trouble(row: Sending, words: str) -> None:
    Sending.objects.filter(pk=row.pk).update(trouble=words[:300])


def _file(asked: Asked) -> tuple[bytes, int, str]:
    """(CSV, how many rows it counts, what it says in a line): of groups their figures, else the rows."""
    if asked.groupings:
        report = run(asked)
        counted = max((value.rows for value in report.total.values()), default=0)
        heads, pieces = table_of(report)
        return b"".join(as_csv(heads, pieces)), counted, f"{len(report.lines)} lines"
    rows = ReportRows(asked.counted, opened(asked, (), asked.figure, part=False), "-day", asked.account)
    parts, size = [], 0
    for part in as_csv(rows.heads, rows.pieces()):
        parts.append(part)
        size += len(part)
        if size > MOST_BYTES:
            return b"", len(rows), f"{len(rows)} rows: too many for a mail. Take them as a file from the report."
    return b"".join(parts), len(rows), f"{len(rows)} rows"


def _letter(row: Sending, asked: Asked, body: bytes, said: str) -> EmailMessage:
    described = "\n".join(f"{word}: {value}" for word, value in asked.description)
    text = TEXT.format(
        name=row.kept.name,
        day=written(row.day),
        said=f"{described}\n{said}",
        address=settings.PUBLIC_ADDRESS + reverse("reports:kept", args=[row.kept.public_id]),
        organisation=organisation().name,
    )
    letter = EmailMessage(f"{row.kept.name}, {written(row.day)}", text, settings.DEFAULT_FROM_EMAIL, [row.reader.email])
    if body:
        letter.attach(f"{file_name(row.kept.name, asked.known_on)}.csv", body, "text/csv")
    return letter
