"""Office files: a reading copy of words, slides and sheets; where a converter is installed, their pages as they look."""

from __future__ import annotations

import io
import re
import shutil
import subprocess
import tempfile
import zipfile
from collections.abc import Callable, Iterator
from html import escape
from math import ceil
from pathlib import Path
from typing import Any

import mammoth
import pptx
from PIL import Image, UnidentifiedImageError
from pptx.enum.shapes import MSO_SHAPE_TYPE
from python_calamine import CalamineWorkbook, SheetVisibleEnum

from stepladder.core.packages.archive import ArchiveError, Entry, check_entries
from stepladder.library.errors import Unusable
from stepladder.library.parsing import pdf
from stepladder.library.parsing.copies import CopyPage, keep_copy, pages_by_heads, picture_name, plain_text, table_html
from stepladder.library.parsing.material import Material, Worked
from stepladder.library.parsing.pictures import MOST_PIXELS, jpeg_of, remade

__all__ = ["CONVERTED", "converter", "work_out_sheets", "work_out_slides", "work_out_words"]

# The pages as a converter drew them, in a version's folder.
CONVERTED = "pages.pdf"
CONVERTER_SECONDS = 240
WIDEST_PICTURE = 1600
MOST_PICTURES = 400
# A text's title has a style of its own, above its first heading.
TITLE_STYLE = "p[style-name='Title'] => h1.title:fresh\np.Title => h1.title:fresh"
_TITLE_ABOVE = re.compile(r'<h1 class="title">(.*?)</h1>', re.DOTALL)
MOST_ROWS, MOST_COLUMNS, LONGEST_CELL = 2000, 60, 400


def converter() -> str | None:
    """The program that draws office files as pages, where one is installed."""
    return shutil.which("soffice") or shutil.which("libreoffice")


def _as_it_looks(material: Material, out: Path, page_word: str, title: str) -> Worked | None:
    """The pages as the converter draws them; None where there is none, or where it could not."""
    program = converter()
    if program is None:
        return None
    with tempfile.TemporaryDirectory() as work:
        given = Path(work) / f"file{material.extension}"
        shutil.copyfile(material.path, given)
        # A profile of its own: two at once would wait for each other.
        profile = f"-env:UserInstallation=file://{work}/profile"
        command = [program, profile, "--headless", "--convert-to", "pdf", "--outdir", work, str(given)]
        try:
            subprocess.run(command, capture_output=True, timeout=CONVERTER_SECONDS, check=True)
            pages, _, passages, still = pdf.pages_of(given.with_suffix(".pdf"), material.name)
        except (subprocess.SubprocessError, OSError, Unusable):
            # The reading copy is there all the same.
            return None
        shutil.move(given.with_suffix(".pdf"), out / CONVERTED)
    minutes = ceil(pages * pdf.SECONDS_A_PAGE / 60)
    data = {"pages": pages, "page_word": page_word, "is_converted": True}
    return Worked(material.title_or(title), minutes, data, still=still, passages=passages)


def _checked(material: Material) -> None:
    """Raises Unusable for an office file that unpacks to far more than it holds, or that asks for a password."""
    try:
        with zipfile.ZipFile(material.path) as archive:
            check_entries(Entry(i.filename, i.file_size, i.compress_size) for i in archive.infolist())
    except ArchiveError as error:
        raise Unusable(f"“{material.name}”: {error}") from None
    except (zipfile.BadZipFile, OSError):
        raise _damaged(material) from None


def _damaged(material: Material) -> Unusable:
    return Unusable(f"“{material.name}” is damaged or cut off. Save it again, or as a PDF, and upload that.")


def _reading(material: Material, read: Callable[[], Any]) -> Any:
    """Whatever the reader of a format stumbles over is the file's fault. Raises Unusable."""
    _checked(material)
    try:
        return read()
    except Unusable:
        raise
    except Exception as error:
        raise _damaged(material) from error


class Pictures:
    """The pictures of a copy, made anew one after the other; what is no picture that can be shown is left out and counted."""

    def __init__(self, out: Path) -> None:
        self.out, self.count, self.left_out = out, 0, 0
        self.first: bytes | None = None

    def tag(self, content: bytes, alt: str) -> str:
        try:
            with Image.open(io.BytesIO(content)) as picture:
                if self.count >= MOST_PICTURES or picture.size[0] * picture.size[1] > MOST_PIXELS:
                    raise ValueError("too much")
                small = remade(picture, WIDEST_PICTURE)
        except (UnidentifiedImageError, OSError, ValueError, SyntaxError):
            self.left_out += 1
            return ""
        self.count += 1
        small.save(self.out / picture_name(self.count), "WEBP", quality=84)
        self.first = self.first or jpeg_of(small)
        return f'<img src="{picture_name(self.count)}" alt="{escape(alt, quote=True)}">'

    def noted(self, worked: Worked) -> Worked:
        return Worked(
            worked.title,
            worked.minutes,
            {**worked.data, "left_out": self.left_out},
            worked.description,
            worked.still,
            worked.passages,
        )


def work_out_words(material: Material, out: Path, *, is_copied: bool = False) -> Worked:
    """A text (DOCX): headings, paragraphs, lists, tables and pictures, cut into pages at its headings. *is_copied*: as a reading
    copy, also where a converter could draw it. Raises Unusable."""
    pictures = Pictures(out)

    @mammoth.images.img_element  # type: ignore[untyped-decorator]
    def keep(image: Any) -> dict[str, str]:
        with image.open() as source:
            tag = pictures.tag(source.read(), image.alt_text or "")
        return {"src": picture_name(pictures.count)} if tag else {"src": ""}

    def read() -> tuple[str, str]:
        with material.path.open("rb") as source:
            html = mammoth.convert_to_html(source, convert_image=keep, style_map=TITLE_STYLE).value
        title, rest = _title_above(html)
        return rest, title or _title_of(material.path)

    html, title = _reading(material, read)
    looks = None if is_copied else _as_it_looks(material, out, "page", title)
    if looks is not None:
        return looks
    copy = keep_copy(material, out, pages_by_heads(html), page_word="section", title=title, still=pictures.first)
    return pictures.noted(copy)


def _title_above(html: str) -> tuple[str, str]:
    """The title that a text has above all else, and what comes below; it says more than its file's own card, which nobody sees."""
    found = _TITLE_ABOVE.match(html)
    return (plain_text(found[1]), html[found.end() :]) if found else ("", html)


def _title_of(path: Path) -> str:
    """The title in an office file's own card."""
    from defusedxml.ElementTree import fromstring

    with zipfile.ZipFile(path) as archive:
        if "docProps/core.xml" not in archive.namelist():
            return ""
        found = fromstring(archive.read("docProps/core.xml")).find("{http://purl.org/dc/elements/1.1/}title")
    return (found.text or "") if found is not None else ""


def work_out_slides(material: Material, out: Path, *, is_copied: bool = False) -> Worked:
    """Slides (PPTX): of each its title, text, tables, pictures and what was noted to it. *is_copied*: as a reading copy, also where a
    converter could draw it. Raises Unusable."""
    pictures = Pictures(out)

    def read() -> tuple[list[CopyPage], str]:
        show = pptx.Presentation(str(material.path))
        pages = [
            _slide(slide, number, pictures) for number, slide in enumerate(show.slides, 1) if not _is_hidden(slide)
        ]
        return pages, show.core_properties.title or ""

    pages, title = _reading(material, read)
    looks = None if is_copied else _as_it_looks(material, out, "slide", title)
    if looks is not None:
        return looks
    return pictures.noted(keep_copy(material, out, pages, page_word="slide", title=title, still=pictures.first))


def _is_hidden(slide: Any) -> bool:
    return bool(slide._element.get("show") == "0")


def _slide(slide: Any, number: int, pictures: Pictures) -> CopyPage:
    title = slide.shapes.title.text_frame.text.strip() if slide.shapes.title is not None else ""
    parts = [f"<h2>{escape(title)}</h2>"] if title else []
    for shape in _shapes(slide.shapes):
        if slide.shapes.title is not None and shape.shape_id == slide.shapes.title.shape_id:
            continue
        parts.append(_shape_html(shape, pictures))
    if slide.has_notes_slide and (notes := slide.notes_slide.notes_text_frame) is not None and notes.text.strip():
        said = "".join(f"<p>{escape(line)}</p>" for line in notes.text.splitlines() if line.strip())
        parts.append(f"<blockquote>{said}</blockquote>")
    return CopyPage(" ".join(title.split()) or f"Slide {number}", "".join(parts))


def _shapes(shapes: Any) -> Iterator[Any]:
    """The shapes of a slide from top to bottom, those of groups among them."""
    for shape in sorted(shapes, key=lambda one: (one.top or 0, one.left or 0)):
        if shape.shape_type == MSO_SHAPE_TYPE.GROUP:
            yield from _shapes(shape.shapes)
        else:
            yield shape


def _shape_html(shape: Any, pictures: Pictures) -> str:
    if getattr(shape, "has_table", False):
        return table_html([[cell.text for cell in row.cells] for row in shape.table.rows])
    if shape.shape_type == MSO_SHAPE_TYPE.PICTURE:
        described = shape._element.nvPicPr.cNvPr.get("descr") or ""
        return pictures.tag(shape.image.blob, described)
    if not shape.has_text_frame:
        return ""
    lines = [line for line in shape.text_frame.paragraphs if line.text.strip()]
    if len(lines) > 1 or any(line.level for line in lines):
        return "<ul>" + "".join(f"<li>{escape(line.text)}</li>" for line in lines) + "</ul>"
    return "".join(f"<p>{escape(line.text)}</p>" for line in lines)


def work_out_sheets(material: Material, out: Path) -> Worked:
    """Sheets (XLSX, ODS): each its first rows as a table. Raises Unusable."""

    def read() -> list[CopyPage]:
        with CalamineWorkbook.from_path(str(material.path)) as book:
            seen = [sheet.name for sheet in book.sheets_metadata if sheet.visible == SheetVisibleEnum.Visible]
            return [page for name in seen if (page := _sheet(name, book.get_sheet_by_name(name)))]

    pages = _reading(material, read)
    looks = _as_it_looks(material, out, "page", "")
    return looks or keep_copy(material, out, pages, page_word="sheet")


def _sheet(name: str, sheet: Any) -> CopyPage | None:
    rows = sheet.to_python(skip_empty_area=True, nrows=MOST_ROWS + 1)
    if not rows:
        return None
    shown = [[_cell(value) for value in row[:MOST_COLUMNS]] for row in rows[:MOST_ROWS]]
    rest = "" if len(rows) <= MOST_ROWS else f"<p>Only the first {MOST_ROWS} rows are shown; the file has more.</p>"
    return CopyPage(name, f"<h2>{escape(name)}</h2>{table_html(shown)}{rest}")


def _cell(value: Any) -> str:
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return str(value)[:LONGEST_CELL]
