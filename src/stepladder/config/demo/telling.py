"""Marram Sound Ferries: what is told before and after the days, when nothing is sent, and a message with its answer."""

from __future__ import annotations

from datetime import date, timedelta

from stepladder import clock
from stepladder.accounts.models import Account, Organisation
from stepladder.assignments.models import Assignment
from stepladder.config.demo.crew import BY, at
from stepladder.learning.models import Enrolment
from stepladder.messaging.actions import answer, mark_read, write
from stepladder.messaging.models import Thread
from stepladder.people.models import Person
from stepladder.telling.actions import RuleSaid, add_rule, set_quiet_days
from stepladder.telling.findings import quiet_days
from stepladder.telling.models import NoticeRule
from stepladder.telling.tasks import enqueue_notices

__all__ = ["make_rules", "write_to_crew"]

DUE, EXPIRY = NoticeRule.Moment.DUE, NoticeRule.Moment.EXPIRY
PERSON, LEADS = NoticeRule.To.PERSON, NoticeRule.To.LEADS
RULES = [
    RuleSaid(DUE, -7, [PERSON]),
    RuleSaid(DUE, 1, [PERSON, LEADS]),
    RuleSaid(DUE, 14, [LEADS, NoticeRule.To.ADMINISTRATORS]),
    RuleSaid(EXPIRY, -30, [PERSON], words="Renewing early costs nothing: the new time begins where the old one ends."),
    RuleSaid(EXPIRY, 1, [PERSON, LEADS]),
    RuleSaid(NoticeRule.Moment.ALL_DONE, 0, [NoticeRule.To.ADMINISTRATORS]),
    RuleSaid(NoticeRule.Moment.MARKING, 2, [NoticeRule.To.CONTACT, NoticeRule.To.ADMINISTRATORS]),
]
# What the path's assignment says instead of the first of them.
ON_DECK = RuleSaid(DUE, -14, [PERSON], words="Your bosun has an hour for you every Tuesday.")
# Month and day.
STILL = [((1, 1), "New year, the boats lie still"), ((12, 25), "Yard closed"), ((12, 26), "Yard closed")]


def make_rules(today: date) -> None:
    """The rules, since last week; the days on which the ferries lie still; and the last working day's run."""
    with clock.pinned(at(today - timedelta(days=7), 9)):
        for said in RULES:
            add_rule(of=None, said=said, by=BY)
        add_rule(of=Assignment.objects.get(path__isnull=False), said=ON_DECK, by=BY)
        still = [(date(year, *day), name) for year in (today.year, today.year + 1) for day, name in STILL]
        set_quiet_days(organisation=Organisation.objects.get(), weekdays=[5, 6], dates=still, tells_at=7, by=BY)
    working = next(day for n in range(1, 8) if (day := today - timedelta(days=n)) not in quiet_days())
    with clock.pinned(at(working, 7, 30)):
        enqueue_notices()


def write_to_crew(today: date) -> None:
    """The administrator writes to whoever is in a course; one answers, and waits."""
    writer, jun = (Account.objects.get(name=name) for name in ("Ines Okoro", "Jun Pellam"))
    places = Enrolment.objects.filter(course__title="Fire on board", completed_at__isnull=True, closed_on__isnull=True)
    with clock.pinned(at(today - timedelta(days=2), 10)):
        sent = write(
            people=list(Person.objects.filter(pk__in=places.values("person"))),
            subject="Gloves for the fire drill",
            text="Bring your own gloves on Thursday: those from the locker are being cleaned.",
            about="the course “Fire on board”",
            by=writer,
        )
    with clock.pinned(at(today - timedelta(days=1), 16)):
        thread = Thread.objects.get(message=sent, person__account=jun)
        mark_read(thread=thread, by=jun)
        answer(thread=thread, text="Mine are torn. Where do I get a pair?", by=jun)
