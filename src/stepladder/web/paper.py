"""What documents on paper are drawn with: the house's fonts and inks."""

from __future__ import annotations

from pathlib import Path

from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont

__all__ = ["FILES", "FONTS", "INK", "QUIET", "has_letters", "register_fonts", "writable"]

FONTS = Path(__file__).resolve().parent / "paper_fonts"
FILES = {"Text": "text.ttf", "TextBold": "text-bold.ttf", "Head": "head-bold.ttf", "Wide": "wide-bold.ttf"}
INK, QUIET = (0.1, 0.13, 0.18), (0.42, 0.45, 0.5)
# Drawn for a letter that no font here has.
MISSING = "□"


def register_fonts() -> None:
    """Make the house's fonts known to what draws documents."""
    if "Text" not in pdfmetrics.getRegisteredFontNames():
        for name, file in FILES.items():
            pdfmetrics.registerFont(TTFont(name, str(FONTS / file)))


def has_letters(font: str, text: str) -> bool:
    """Whether a font has all letters of a text."""
    registered = pdfmetrics.getFont(font)
    assert isinstance(registered, TTFont)
    return all(ord(letter) in registered.face.charToGlyph for letter in text)


def writable(text: str, font: str) -> tuple[str, str]:
    """The font a text can be drawn in, and the text with a sign for each letter that no font here has."""
    if has_letters(font, text):
        return font, text
    return "Wide", "".join(letter if has_letters("Wide", letter) else MISSING for letter in text)
