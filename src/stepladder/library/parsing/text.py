"""Text and Markdown as a reading copy, and tables of values between commas."""

from __future__ import annotations

import csv
import io
from html import escape
from itertools import islice
from pathlib import Path

from charset_normalizer import from_bytes
from markdown_it import MarkdownIt

from stepladder.library.errors import Unusable
from stepladder.library.parsing.copies import CopyPage, keep_copy, pages_by_heads, table_html
from stepladder.library.parsing.material import Material, Worked
from stepladder.library.parsing.office import MOST_COLUMNS, MOST_ROWS

__all__ = ["decoded", "text_of", "work_out_markdown", "work_out_table", "work_out_text"]

LARGEST = 20 * 1024**2


def decoded(raw: bytes, name: str) -> str:
    """The text in whichever letters it was written. Raises Unusable."""
    try:
        return raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        best = from_bytes(raw).best()
    if best is None:
        raise Unusable(f"“{name}” is not readable as text. Save it as UTF-8 and upload it again.")
    return str(best)


def text_of(material: Material) -> str:
    """The text of a file that is one. Raises Unusable."""
    if material.size > LARGEST:
        raise Unusable(f"“{material.name}” has more than 20 MB of text. Split it.")
    return decoded(material.path.read_bytes(), material.name).replace("\x00", "")


def work_out_markdown(material: Material, out: Path) -> Worked:
    """Markdown, its own HTML left as text. Raises Unusable."""
    html = MarkdownIt("commonmark", {"html": False}).enable("table").enable("strikethrough").render(text_of(material))
    pages = pages_by_heads(html)
    return keep_copy(material, out, pages, page_word="section", title=pages[0].title if pages else "")


def work_out_text(material: Material, out: Path) -> Worked:
    """Plain text: paragraphs at empty lines. Raises Unusable."""
    parts = text_of(material).replace("\r\n", "\n").replace("\f", "\n\n").split("\n\n")
    html = "".join("<p>" + "<br>".join(map(escape, part.split("\n"))) + "</p>" for part in parts if part.strip())
    return keep_copy(material, out, pages_by_heads(html), page_word="section")


def work_out_table(material: Material, out: Path) -> Worked:
    """Values between commas, semicolons or tabs. Raises Unusable."""
    text = text_of(material)
    try:
        dialect: type[csv.Dialect] = csv.Sniffer().sniff(text[:8192], ",;\t|")
    except csv.Error:
        dialect = csv.excel
    try:
        rows = list(islice(csv.reader(io.StringIO(text), dialect), MOST_ROWS + 1))
    except csv.Error as error:
        raise Unusable(f"“{material.name}” is no table that can be read ({error}). Save it again as CSV.") from None
    shown = [row[:MOST_COLUMNS] for row in rows[:MOST_ROWS] if any(row)]
    rest = "" if len(rows) <= MOST_ROWS else f"<p>Only the first {MOST_ROWS} rows are shown; the file has more.</p>"
    return keep_copy(material, out, [CopyPage("", table_html(shown) + rest)], page_word="sheet")
