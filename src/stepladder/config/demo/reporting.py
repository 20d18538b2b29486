"""Marram Sound Ferries: the reports that the administrator keeps, who is sent them, and what the auditor has proved."""

from __future__ import annotations

from datetime import date, timedelta

from stepladder import clock
from stepladder.accounts.models import Account, Role
from stepladder.charts.models import Unit
from stepladder.config.demo.crew import at
from stepladder.courses.models import Course
from stepladder.evidence.actions import ask_pack
from stepladder.evidence.asking import PackAsked
from stepladder.reports.actions import keep_report, place_report, send_report_on
from stepladder.reports.sentences import Sentence

__all__ = ["keep_reports", "prove_fire"]


def keep_reports(today: date) -> None:
    """For the board of directors, and for whoever looks at one vessel every Monday."""
    ines = Account.objects.get(name="Ines Okoro")
    auditor = Account.objects.filter(grants__role=Role.AUDITOR).order_by("pk").first()
    dunlin = Unit.objects.get(name="Dunlin")
    with clock.pinned(at(today - timedelta(days=9))):
        board = keep_report(
            name="For the board, quarterly",
            sentence=Sentence("requirements.covered", "", "", "unit1", "quarter", "start of last year", "today"),
            by=ines,
        )
        readers = [ines] if auditor is None else [ines, auditor]
        send_report_on(kept=board, days="quarterly", readers=readers, by=ines)
        monday = keep_report(
            name="Dunlin, every Monday",
            sentence=Sentence("requirements.late", dunlin.public_id, "", "course", "", "today", "today"),
            by=ines,
        )
        send_report_on(kept=monday, days="weekly", readers=[ines], by=ines)
        done = keep_report(
            name="Done and how long it took",
            sentence=Sentence("completions.days_taken", "", "", "unit1", "", "start of last year", "today"),
            by=ines,
        )
        place_report(kept=done, places=["course"], by=ines)


def prove_fire(today: date) -> None:
    """The auditor asked yesterday who on Dunlin was covered for fire nine months ago, as it was known then."""
    auditor = Account.objects.filter(grants__role=Role.AUDITOR).order_by("pk").first()
    dunlin = Unit.objects.get(name="Dunlin")
    day = (today - timedelta(days=270)).replace(day=1)
    reach = {"in": {"kind": "all", "parts": [{"kind": "unit", "unit": dunlin.pk, "below": True}]}}
    fire = Course.objects.filter(title__in=["Fire on board", "Sea survival basics"])
    if auditor is not None:
        with clock.pinned(at(today - timedelta(days=1))):
            ask_pack(asked=PackAsked(reach, list(fire), day, day), name="Dunlin, fire and survival", by=auditor)
