"""What one reads: PDF, pictures, office files, text and web pages; turned page by page, counted by the pages shown."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from stepladder.library.archives import unpack
from stepladder.library.kinds.base import Format, Kind
from stepladder.library.parsing import office, pdf, picture, text, web_pages
from stepladder.library.parsing.material import OFFICE_PARTS, TEXT, WEB_PAGES

OPEN_DOCUMENT_SHEET = "application/vnd.oasis.opendocument.spreadsheet"


def describe(data: Mapping[str, Any]) -> str:
    pages, word = data.get("pages", 0), data.get("page_word", "page")
    said = f"{pages} {word}{'s' if pages != 1 else ''}"
    return f"{said}, a reading copy" if data.get("is_copy") else said


def done_when(data: Mapping[str, Any]) -> str:
    word = data.get("page_word", "page")
    return f"done when every {word} was shown" if data.get("pages", 0) != 1 else f"done when the {word} was shown"


def place(data: Mapping[str, Any], number: float) -> str:
    return f"{data.get('page_word', 'page')} {int(number)}"


PDF = Format(
    "pdf",
    "a PDF",
    "PDF",
    (".pdf",),
    frozenset({"application/pdf"}),
    pdf.work_out,
    still_shows="First page",
)
PICTURE = Format(
    "picture",
    "a picture (.jpg, .png)",
    "picture",
    (".jpg", ".jpeg", ".png", ".webp", ".gif", ".heic", ".heif", ".tif", ".tiff"),
    frozenset({"image/jpeg", "image/png", "image/webp", "image/gif", "image/heic", "image/heif", "image/tiff"}),
    picture.work_out,
    still_shows="The picture",
)
DRAWING = Format(
    "drawing", "a drawing (.svg)", "drawing", (".svg",), frozenset({"image/svg+xml"}), picture.work_out_svg
)
WORDS = Format(
    "words",
    "a text (.docx)",
    "text",
    (".docx",),
    frozenset({OFFICE_PARTS["word/"]}),
    office.work_out_words,
    still_shows="A picture in it",
)
SLIDES = Format(
    "slides",
    "slides (.pptx)",
    "slides",
    (".pptx",),
    frozenset({OFFICE_PARTS["ppt/"]}),
    office.work_out_slides,
    still_shows="A picture in it",
)
SHEETS = Format(
    "sheets",
    "a workbook (.xlsx, .ods)",
    "workbook",
    (".xlsx", ".ods"),
    frozenset({OFFICE_PARTS["xl/"], OPEN_DOCUMENT_SHEET}),
    office.work_out_sheets,
)
MARKDOWN = Format(
    "markdown", "Markdown (.md)", "Markdown", (".md", ".markdown"), frozenset({TEXT}), text.work_out_markdown
)
TABLE = Format("table", "a table (.csv)", "table", (".csv", ".tsv"), frozenset({TEXT}), text.work_out_table)
PLAIN = Format("text", "plain text (.txt)", "plain text", (".txt",), frozenset({TEXT}), text.work_out_text)
PAGES = Format(
    "web pages", "web pages (.zip)", "web pages", (".zip",), frozenset({WEB_PAGES}), web_pages.work_out, process=unpack
)

KIND = Kind(
    "document",
    describe,
    done_when,
    formats=(PDF, PICTURE, DRAWING, WORDS, SLIDES, SHEETS, PLAIN, MARKDOWN, TABLE, PAGES),
    place=place,
)
