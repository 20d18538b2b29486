"""The certificate: a page with a number and a code that leads to where it can be checked."""

from __future__ import annotations

import io
from pathlib import Path

import segno
from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.utils import ImageReader, simpleSplit
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from stepladder.learning.models import Completion
from stepladder.web.templatetags.web import day as written
from stepladder.web.templatetags.web import share

__all__ = ["certificate_pdf"]

FONTS = Path(__file__).resolve().parent / "fonts"
INK, ACCENT, QUIET = (0.1, 0.13, 0.18), (0.0, 0.35, 0.41), (0.42, 0.45, 0.5)


def _register_fonts() -> None:
    if "Text" not in pdfmetrics.getRegisteredFontNames():
        for name, file in (("Text", "text.ttf"), ("TextBold", "text-bold.ttf"), ("Head", "head-bold.ttf")):
            pdfmetrics.registerFont(TTFont(name, str(FONTS / file)))


def certificate_pdf(completion: Completion, *, organisation: str, valid_until: str, check_url: str) -> bytes:
    """One landscape page; the same completion gives the same bytes."""
    _register_fonts()
    out = io.BytesIO()
    width, height = landscape(A4)
    canvas = Canvas(out, pagesize=(width, height), invariant=1)
    canvas.setTitle(f"Certificate {completion.number}")
    canvas.setAuthor(organisation)
    _ladder(canvas, height)
    canvas.setFillColorRGB(*QUIET)
    canvas.setFont("Text", 13)
    canvas.drawString(150, height - 92, organisation)
    canvas.setFillColorRGB(*INK)
    canvas.setFont("Text", 15)
    canvas.drawString(150, height - 168, "This certifies that")
    canvas.setFont("Head", 34)
    canvas.drawString(150, height - 212, completion.person.name)
    canvas.setFont("Text", 15)
    canvas.drawString(150, height - 250, "has completed")
    canvas.setFont("Head", 26)
    y = height - 290
    for line in simpleSplit(completion.edition.title, "Head", 26, width - 330)[:2]:
        canvas.drawString(150, y, line)
        y -= 32
    _facts(canvas, completion, valid_until, y - 18)
    code = io.BytesIO()
    segno.make(check_url, error="m").save(code, kind="png", scale=6, border=0)
    code.seek(0)
    canvas.drawImage(ImageReader(code), width - 170, 70, 96, 96)
    canvas.setFillColorRGB(*QUIET)
    canvas.setFont("Text", 9)
    canvas.drawString(150, 62, f"To check it: {check_url}")
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _ladder(canvas: Canvas, height: float) -> None:
    canvas.setLineCap(1)
    canvas.setStrokeColorRGB(*INK)
    canvas.setLineWidth(3)
    canvas.line(64, 56, 64, height - 56)
    canvas.line(108, 56, 108, height - 56)
    canvas.setStrokeColorRGB(*ACCENT)
    canvas.setLineWidth(6)
    for rung in range(9):
        canvas.line(67, 86 + rung * 52, 105, 86 + rung * 52)


def _facts(canvas: Canvas, completion: Completion, valid_until: str, y: float) -> None:
    facts = [("Completed on", written(completion.day)), ("Valid until", valid_until)]
    if completion.score is not None:
        facts.append(("Score", share(completion.score)))
    facts.append(("Number", completion.number))
    for label, value in facts:
        canvas.setFillColorRGB(*QUIET)
        canvas.setFont("Text", 12)
        canvas.drawString(150, y, label)
        canvas.setFillColorRGB(*INK)
        canvas.setFont("TextBold", 12)
        canvas.drawString(250, y, value)
        y -= 20
