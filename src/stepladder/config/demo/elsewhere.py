"""Marram Sound Ferries: what people learned elsewhere."""

from __future__ import annotations

import io
from datetime import date, timedelta

from reportlab.lib.pagesizes import A5, landscape
from reportlab.pdfgen.canvas import Canvas

from stepladder import clock
from stepladder.config.demo.crew import BY, at
from stepladder.outside.actions import OutsideSaid, ask_outside, record_outside
from stepladder.outside.documents import take_document
from stepladder.people.models import Person
from stepladder.web.paper import register_fonts

__all__ = ["make_outside"]

PROVIDER = "Holm School of Seamanship"


def make_outside(today: date) -> None:
    """One recorded when he came aboard, one that waits to be confirmed with its paper."""
    jun = Person.objects.get(given_name="Jun", family_name="Pellam")
    asks = Person.objects.filter(placements__position__name="Deckhand", placements__to_day=None).exclude(pk=jun.pk)
    hired = jun.employments.get(revoked_on=None).hired_on
    with clock.pinned(at(min(hired + timedelta(days=1), today), 9)):
        said = OutsideSaid(
            None,
            "First aid at sea",
            hired - timedelta(days=200),
            None,
            PROVIDER,
            960,
            "Two days, with a practical part.",
        )
        record_outside(person=jun, said=said, by=BY)
    with clock.pinned(at(today - timedelta(days=1), 16)):
        paper = _paper("Radio operator’s certificate, coastal", asks.order_by("pk")[4].name)
        kept = take_document(io.BytesIO(paper), "radio-certificate.pdf", len(paper))
        radio = OutsideSaid(
            None,
            "Radio operator’s certificate, coastal",
            today - timedelta(days=40),
            today + timedelta(days=1800),
            PROVIDER,
            2400,
            document=kept,
            document_name="radio-certificate.pdf",
        )
        ask_outside(person=asks.order_by("pk")[4], said=radio, by=BY)


def _paper(title: str, name: str) -> bytes:
    """The certificate of the school, as it was scanned."""
    register_fonts()
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=landscape(A5), invariant=1)
    for y, size, text in (
        (330, 11, PROVIDER),
        (260, 20, title),
        (220, 13, f"held by {name}"),
        (120, 11, "Examined and found able."),
    ):
        canvas.setFont("Head" if size == 20 else "Text", size)
        canvas.drawString(60, y, text)
    canvas.showPage()
    canvas.save()
    return out.getvalue()
