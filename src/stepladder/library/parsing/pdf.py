"""PDF: how many pages, its own title, its words page by page, and its first page as a still."""

from __future__ import annotations

from math import ceil
from pathlib import Path
from typing import Any

import pypdfium2 as pdfium

from stepladder.library.errors import Unusable
from stepladder.library.parsing.material import Material, Passage, Worked
from stepladder.library.parsing.pictures import jpeg_of

__all__ = ["SECONDS_A_PAGE", "pages_of", "work_out"]

# What a page of a manual takes to read; whoever knows better edits the minutes.
SECONDS_A_PAGE = 45
STILL_WIDTH = 480
MOST_PAGES = 5000
# What is kept of a page's words: more than any page of a book has.
LONGEST = 20_000


def work_out(material: Material, out: Path) -> Worked:
    """Pages, title, words and still. Raises Unusable."""
    pages, title, passages, still = pages_of(material.path, material.name)
    return Worked(
        material.title_or(title), ceil(pages * SECONDS_A_PAGE / 60), {"pages": pages}, still=still, passages=passages
    )


def pages_of(path: Path, name: str) -> tuple[int, str, list[Passage], bytes]:
    """How many pages, the document's title, its words by page, and its first page. Raises Unusable."""
    try:
        document = pdfium.PdfDocument(path)
    except pdfium.PdfiumError as error:
        if "password" in str(error).lower():
            raise Unusable(f"“{name}” asks for a password. Save it without one and upload it again.") from None
        raise Unusable(f"“{name}” is damaged or cut off. Save the PDF again and upload it.") from None
    try:
        pages = len(document)
        if not pages:
            raise Unusable(f"“{name}” has no pages. Save the PDF again and upload it.")
        if pages > MOST_PAGES:
            raise Unusable(f"“{name}” has {pages} pages; {MOST_PAGES} is the most. Split it.")
        title = document.get_metadata_dict().get("Title") or ""
        passages = [Passage(n + 1, words) for n in range(pages) if (words := _words(document[n]))]
        return pages, title, passages, _still(document)
    finally:
        document.close()


def _words(page: Any) -> str:
    text = page.get_textpage()
    try:
        return "\n".join(line for line in text.get_text_range()[:LONGEST].splitlines() if line.strip()).replace(
            "\x00", ""
        )
    finally:
        text.close()
        page.close()


def _still(document: Any) -> bytes:
    page = document[0]
    # A page that is narrow and endless is not drawn whole at that width.
    scale = min(STILL_WIDTH / max(page.get_width(), 1), 4 * STILL_WIDTH / max(page.get_height(), 1))
    picture = page.render(scale=scale).to_pil()
    page.close()
    return jpeg_of(picture)
