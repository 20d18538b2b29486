"""PDF: pages turned in the page, counted by those shown."""

from __future__ import annotations

import io
from collections.abc import Mapping
from math import ceil
from typing import Any

import pypdfium2 as pdfium

from stepladder.library.errors import Unusable
from stepladder.library.kinds.base import Kind, Material, Worked

# What a page of a manual takes to read; whoever knows better edits the minutes.
SECONDS_A_PAGE = 45
STILL_WIDTH = 480


def work_out(material: Material) -> Worked:
    """Pages, the document's own title, and its first page as a still."""
    try:
        document = pdfium.PdfDocument(material.path)
    except pdfium.PdfiumError as error:
        if "password" in str(error).lower():
            raise Unusable(f"“{material.name}” asks for a password. Save it without one and upload it again.") from None
        raise Unusable(f"“{material.name}” is damaged or cut off. Save the PDF again and upload it.") from None
    try:
        pages = len(document)
        if not pages:
            raise Unusable(f"“{material.name}” has no pages. Save the PDF again and upload it.")
        title = document.get_metadata_dict().get("Title") or ""
        still = _still(document)
    finally:
        document.close()
    return Worked(material.title_or(title), ceil(pages * SECONDS_A_PAGE / 60), {"pages": pages}, still=still)


def _still(document: Any) -> bytes:
    page = document[0]
    picture = page.render(scale=STILL_WIDTH / max(page.get_width(), 1)).to_pil().convert("RGB")
    page.close()
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=82)
    return out.getvalue()


def describe(data: Mapping[str, Any]) -> str:
    pages = data.get("pages", 0)
    return f"{pages} page{'s' if pages != 1 else ''}"


KIND = Kind(
    "document",
    describe,
    lambda data: "done when every page was shown",
    asked_for="a PDF",
    dropped_as="PDF",
    extensions=(".pdf",),
    types=frozenset({"application/pdf"}),
    work_out=work_out,
    still_shows="First page",
)
