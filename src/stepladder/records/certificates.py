"""Certificates: each a page with a number and a code that leads to where it can be checked."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

import segno
from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.utils import simpleSplit
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfgen.canvas import Canvas

from stepladder.core.days import FOREVER
from stepladder.learning.models import Completion
from stepladder.web.paper import INK, QUIET, has_letters, register_fonts, writable
from stepladder.web.templatetags.web import day as written
from stepladder.web.templatetags.web import share

__all__ = ["CertificatePage", "certificates_pdf"]

ACCENT = (0.0, 0.35, 0.41)
WIDTH, HEIGHT = landscape(A4)
LEFT, ROOM = 150, WIDTH - 150 - 60


@dataclass(frozen=True)
class CertificatePage:
    """What a page is drawn of. *valid_until* FOREVER: it does not run out."""

    completion: Completion
    valid_until: date
    check_url: str


def certificates_pdf(pages: Sequence[CertificatePage], *, organisation: str) -> bytes:
    """A landscape page each; the same completions give the same bytes."""
    register_fonts()
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(WIDTH, HEIGHT), invariant=1)
    first = pages[0].completion
    canvas.setTitle(f"Certificate {first.number}" if len(pages) == 1 else f"Certificates of {first.person.name}")
    canvas.setAuthor(organisation)
    for page in pages:
        _draw_page(canvas, page, organisation)
        canvas.showPage()
    canvas.save()
    return out.getvalue()


def _draw_page(canvas: Canvas, page: CertificatePage, organisation: str) -> None:
    completion = page.completion
    _ladder(canvas)
    canvas.setFillColorRGB(*QUIET)
    _draw(canvas, organisation, "Text", (13,), HEIGHT - 92)
    canvas.setFillColorRGB(*INK)
    _draw(canvas, "This certifies that", "Text", (15,), HEIGHT - 168)
    y = _draw(canvas, _name(completion), "Head", (34, 28, 22, 18, 14), HEIGHT - 212)
    y = _draw(canvas, "has completed", "Text", (15,), y - 16)
    y = _draw(canvas, completion.edition.title, "Head", (26, 22, 18, 14), y - 20, most=2)
    _facts(canvas, completion, page.valid_until, y - 18)
    _way_to_check(canvas, page.check_url)


def _name(completion: Completion) -> str:
    """Who it is of. A name in letters that cannot be drawn is not drawn half: the employee number stands for it."""
    person = completion.person
    if has_letters("Head", person.name) or has_letters("Wide", person.name):
        return person.name
    return f"the holder of employee number {person.employee_number}"


def _draw(canvas: Canvas, text: str, font: str, sizes: tuple[int, ...], y: float, *, most: int = 1) -> float:
    """Draw a text from *y* downwards in the largest size at which it takes at most *most* lines; where the next may begin."""
    font, text = writable(text, font)
    size, lines = _fitted(text, font, sizes, most)
    canvas.setFont(font, size)
    for line in lines:
        canvas.drawString(LEFT, y, line)
        y -= size * 1.25
    return y


def _fitted(text: str, font: str, sizes: tuple[int, ...], most: int) -> tuple[int, list[str]]:
    for size in sizes:
        lines: list[str] = simpleSplit(text, font, size, ROOM)
        widest = max((pdfmetrics.stringWidth(line, font, size) for line in lines), default=0)
        if len(lines) <= most and widest <= ROOM:
            return size, lines
    # Too long for one line at any size: as many lines as it takes, broken within words where one is longer than a line.
    size = sizes[-1]
    lines = [part for line in simpleSplit(text, font, size, ROOM) for part in _broken(line, font, size)]
    return size, lines


def _broken(line: str, font: str, size: int) -> list[str]:
    parts = [""]
    for letter in line:
        if pdfmetrics.stringWidth(parts[-1] + letter, font, size) > ROOM:
            parts.append("")
        parts[-1] += letter
    return parts


def _ladder(canvas: Canvas) -> None:
    canvas.setLineCap(1)
    canvas.setStrokeColorRGB(*INK)
    canvas.setLineWidth(3)
    canvas.line(64, 56, 64, HEIGHT - 56)
    canvas.line(108, 56, 108, HEIGHT - 56)
    canvas.setStrokeColorRGB(*ACCENT)
    canvas.setLineWidth(6)
    for rung in range(9):
        canvas.line(67, 86 + rung * 52, 105, 86 + rung * 52)


def _facts(canvas: Canvas, completion: Completion, valid_until: date, y: float) -> None:
    facts = [("Completed on", written(completion.day))]
    facts.append(("Valid", "without end") if valid_until == FOREVER else ("Valid until", written(valid_until)))
    if completion.score is not None:
        facts.append(("Score", share(completion.score)))
    facts.append(("Number", completion.number))
    for label, value in facts:
        canvas.setFillColorRGB(*QUIET)
        canvas.setFont("Text", 12)
        canvas.drawString(LEFT, y, label)
        canvas.setFillColorRGB(*INK)
        canvas.setFont("TextBold", 12)
        canvas.drawString(250, y, value)
        y -= 20


def _draw_code(canvas: Canvas, text: str, x: float, y: float, size: float) -> None:
    """A code that a camera reads, drawn as one path: an image of each took half the time of a certificate."""
    rows = segno.make(text, error="m").matrix
    module, path = size / len(rows), canvas.beginPath()
    for n, row in enumerate(rows, 1):
        dark, top = 0, y + size - n * module
        # Runs of dark modules, so that no seams show between them.
        for column, is_dark in enumerate([*row, 0]):
            if is_dark:
                dark += 1
            elif dark:
                path.rect(x + (column - dark) * module, top, dark * module, module)
                dark = 0
    canvas.setFillColorRGB(*INK)
    canvas.drawPath(path, stroke=0, fill=1)


def _way_to_check(canvas: Canvas, check_url: str) -> None:
    _draw_code(canvas, check_url, WIDTH - 170, 70, 96)
    canvas.setFillColorRGB(*QUIET)
    canvas.setFont("Text", 9)
    canvas.drawString(LEFT, 62, f"To check it: {check_url}")
