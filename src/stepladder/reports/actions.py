"""Everything that writes kept reports."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.journal.actions import Named, record
from stepladder.queue.actions import Queue, later
from stepladder.reports.counted import counted_named
from stepladder.reports.errors import ReportError
from stepladder.reports.file_making import make_report_file
from stepladder.reports.files import FORMS
from stepladder.reports.models import KeptReport, Place, ReportFile
from stepladder.reports.sentences import Sentence, asked_of

__all__ = ["ask_file", "drop_report", "keep_report", "place_report", "send_report_on"]

# More kept reports nobody finds his way among; more readers are a list of their own.
MOST_KEPT, MOST_READERS = 100, 200
LONGEST_QUERY = 2_000


@transaction.atomic
def keep_report(*, name: str, sentence: Sentence, by: Account) -> KeptReport:
    """Keep a report under a name; under one of one's own it says that one anew. Raises ReportError."""
    policy.require(by, "keep reports")
    name = " ".join(name.split())
    if not name:
        raise ReportError("Give the report a name.")
    if len(name) > 80:
        raise ReportError("A name has 80 letters at most.")
    asked, errors = asked_of(sentence, by)
    if asked is None:
        raise ReportError(" ".join(errors))
    if KeptReport.objects.filter(owner=by).exclude(name=name).count() >= MOST_KEPT:
        raise ReportError(f"You keep {MOST_KEPT} reports. Put one away first.")
    said = {"sentence": sentence.words(), "kept_at": clock.now(), "trouble": ""}
    kept, is_new = KeptReport.objects.update_or_create(owner=by, name=name, defaults=said)
    record("keep_report" if is_new else "change_report", by=by, about=_named(kept), data={"sentence": sentence.words()})
    return kept


@transaction.atomic
def drop_report(*, kept: KeptReport, by: Account) -> None:
    """Keep it no longer; nobody is sent it any more."""
    policy.require(by, "keep reports", kept)
    record("drop_report", by=by, about=_named(kept), data={"sentence": kept.sentence})
    kept.delete()


@transaction.atomic
def place_report(*, kept: KeptReport, places: Sequence[str], by: Account) -> None:
    """Let a kept report stand as a block in these places, and in no others. Raises ReportError."""
    policy.require(by, "keep reports", kept)
    if not set(places) <= set(Place.values):
        raise ReportError("Choose where it stands.")
    counted = counted_named(Sentence.read(kept.sentence).figure.partition(".")[0])
    about_courses = {Place.COURSE.value, Place.PATH.value} & set(places)
    if about_courses and (counted is None or "course" not in counted.groups):
        raise ReportError("It counts people whatever they learn, so it can’t stand on sheets of courses or paths.")
    kept.places = [place for place in Place.values if place in places]
    kept.save(update_fields=["places"])
    record("place_report", by=by, about=_named(kept), data={"places": kept.places})


@transaction.atomic
def send_report_on(*, kept: KeptReport, days: str, readers: Sequence[Account], by: Account) -> None:
    """Send a kept report on days to these accounts, each with the rows that they may see. Raises ReportError."""
    policy.require(by, "keep reports", kept)
    if days not in KeptReport.Days.values:
        raise ReportError("Choose on which days it is sent.")
    if len(readers) > MOST_READERS:
        raise ReportError(f"A report goes to {MOST_READERS} people at most.")
    if days and not readers:
        raise ReportError("Choose to whom it is sent.")
    without = [account.name for account in readers if not policy.may(account, "open records")]
    if without:
        raise ReportError(f"{', '.join(without)} may see nobody’s records, and would be sent nothing. Take them out.")
    kept.days, kept.trouble = days, ""
    # The first goes out on the next of its days.
    kept.sent_on = clock.today() if days else None
    kept.save(update_fields=["days", "trouble", "sent_on"])
    kept.readers.set(readers if days else [])
    data = {"days": kept.get_days_display(), "count": len(readers) if days else 0}
    record("send_report_on", by=by, about=_named(kept), data=data)


@transaction.atomic
def ask_file(*, title: str, query: str, form: str, by: Account) -> ReportFile:
    """Have the rows of a report made into a file by the queue. Asked again while it is under way it is as once. Raises ReportError."""
    policy.require(by, "open records")
    if form not in FORMS:
        raise ReportError("There is no such kind of file. Choose CSV or XLSX.")
    if len(query) > LONGEST_QUERY:
        raise ReportError("This report says more than fits into an address. Shorten its sentence.")
    said = {"title": title[:160] or "Report", "query": query, "form": form}
    under_way = ReportFile.objects.filter(account=by, query=query, form=form, state__in=("waiting", "working")).first()
    if under_way is not None:
        return under_way
    made = ReportFile.objects.create(account=by, **said)
    record("ask_file", by=by, about=Named("report file", made.public_id, made.title), data={"form": form.upper()})
    later(make_report_file, queue=Queue.BULK, key=made.pk)
    return made


def _named(kept: KeptReport) -> Named:
    return Named("report", kept.public_id, kept.name)
