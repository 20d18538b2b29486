"""A transcript: everything that one person has done, as a document and as a table."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from fractions import Fraction
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib.colors import Color
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from stepladder.core.days import FOREVER
from stepladder.core.validity import link_on
from stepladder.learning.models import ValiditySpan
from stepladder.learning.queries import completions_of
from stepladder.learning.validity import link_from
from stepladder.people.models import Person
from stepladder.records.hours import YearOfHours
from stepladder.timetable.models import Booking
from stepladder.web.paper import INK, QUIET, register_fonts, writable
from stepladder.web.templatetags.web import day as written
from stepladder.web.templatetags.web import minutes, share

__all__ = ["HEADS", "TranscriptRow", "add_transcript_rows", "transcript_pdf", "transcript_rows"]

HEADS = ("What", "On", "How", "Score", "Valid until", "Certificate")


@dataclass(frozen=True)
class TranscriptRow:
    """Something that a person did: *how* is completed, what came of a session, or from where else it is."""

    title: str
    day: date
    how: str
    score: str = ""
    valid_until: date | None = None
    number: str = ""
    # "4/5": for who reckons with it.
    exact_score: str | None = None

    @property
    def values(self) -> tuple[Any, ...]:
        """As a file says it; what does not run out has no day."""
        until = None if self.valid_until == FOREVER else self.valid_until
        return (self.title, self.day, self.how, self.score, until, self.number)


RowsOf = Callable[[Person, date, date], list[TranscriptRow]]
_further: list[RowsOf] = []


def add_transcript_rows(rows: RowsOf) -> None:
    """Hand in further rows of a transcript: of a person, by a day, as known on a day."""
    _further.append(rows)


def transcript_rows(person: Person, *, day: date, known_on: date) -> list[TranscriptRow]:
    """What a person had completed and attended by a day, as known on a day, the newest first."""
    links: dict[int, list[Any]] = {}
    spans = ValiditySpan.objects.filter(person=person, known_from__lte=known_on, known_to__gt=known_on)
    for span in spans.order_by("first"):
        links.setdefault(span.course_id, []).append(link_from(span))
    rows = []
    for one in completions_of(person, day=day, known_on=known_on):
        link = link_on(links.get(one.course_id, []), one.day)
        score = share(one.score) if one.score is not None else ""
        until = link.valid_until if link else None
        rows.append(TranscriptRow(one.edition.title, one.day, "completed", score, until, one.number, _exact(one.score)))
    states = (Booking.State.ATTENDED, Booking.State.PARTLY)
    seats = Booking.objects.known_on(known_on).filter(person=person, state__in=states)
    for seat in seats.select_related("session__module").prefetch_related("session__meetings"):
        ended = max(meeting.ends_at for meeting in seat.session.meetings.all()).date()
        if ended <= day:
            rows.append(TranscriptRow(seat.session.module.title, ended, seat.get_state_display()))
    rows += [row for further in _further for row in further(person, day, known_on)]
    return sorted(rows, key=lambda row: (row.day, row.title), reverse=True)


def _in_words(year: YearOfHours) -> str:
    """ "2026: 12 h 30 min, and 3 h elsewhere"."""
    elsewhere = f", and {minutes(year.outside)} elsewhere" if year.outside else ""
    return f"{year.label}: {minutes(year.here)}{elsewhere}"


def _exact(score: Fraction | None) -> str | None:
    return None if score is None else str(score)


def transcript_pdf(
    person: Person,
    rows: Sequence[TranscriptRow],
    hours: Sequence[YearOfHours],
    *,
    organisation: str,
    where: str,
    description: str,
) -> bytes:
    """Pages of A4 with a head on each, numbered; *description* says as of which day."""
    register_fonts()
    out = io.BytesIO()
    title = f"Transcript of {person.name}"
    document = SimpleDocTemplate(
        out, pagesize=A4, leftMargin=18 * mm, rightMargin=18 * mm, topMargin=20 * mm, bottomMargin=18 * mm, title=title
    )
    plain = ParagraphStyle("plain", fontName="Text", fontSize=9, leading=12, textColor=Color(*INK))
    quiet = ParagraphStyle("quiet", parent=plain, textColor=Color(*QUIET))
    head = ParagraphStyle("head", parent=plain, fontName="Head", fontSize=18, leading=22)

    def said(text: str, style: ParagraphStyle = plain) -> Paragraph:
        font, drawn = writable(text, style.fontName)
        return Paragraph(escape(drawn), ParagraphStyle(f"{style.name} {font}", parent=style, fontName=font))

    parts = [
        said(organisation, quiet),
        said(title, head),
        said(f"{person.employee_number} · {where}" if where else person.employee_number),
        said(description, quiet),
        Spacer(1, 6 * mm),
    ]
    lines = [[said(text, quiet) for text in HEADS]]
    for row in rows:
        until = "" if row.valid_until is None else "no end" if row.valid_until == FOREVER else written(row.valid_until)
        cells = (row.title, written(row.day), row.how, row.score, until, row.number)
        lines.append([said(text) for text in cells])
    widths = [52 * mm, 23 * mm, 26 * mm, 15 * mm, 24 * mm, 34 * mm]
    table = Table(lines, colWidths=widths, repeatRows=1)
    table.setStyle(
        TableStyle(
            [
                ("LINEBELOW", (0, 0), (-1, 0), 1, Color(*INK)),
                ("LINEBELOW", (0, 1), (-1, -1), 0.3, Color(*QUIET)),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LEFTPADDING", (0, 0), (-1, -1), 0),
            ]
        )
    )
    parts.append(table if rows else said("Nothing is completed or attended by that day."))
    if hours:
        parts += [Spacer(1, 6 * mm), said("Hours learned", quiet), *(said(_in_words(year)) for year in hours)]

    def foot(canvas: Any, _: Any) -> None:
        canvas.setFont("Text", 8)
        canvas.setFillColorRGB(*QUIET)
        canvas.drawString(18 * mm, 10 * mm, writable(title, "Text")[1])
        canvas.drawRightString(A4[0] - 18 * mm, 10 * mm, f"page {canvas.getPageNumber()}")

    document.build(parts, onFirstPage=foot, onLaterPages=foot)
    return out.getvalue()
