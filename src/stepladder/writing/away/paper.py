"""A lesson on paper: its words, tables and pictures as pages of A4; the right answers of its checks on a page at the end."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from io import BytesIO
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from PIL import Image as Picture
from PIL import ImageDraw, ImageFont
from reportlab.lib.colors import Color
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import (
    Flowable,
    HRFlowable,
    Image,
    KeepTogether,
    ListFlowable,
    ListItem,
    PageBreak,
    Paragraph,
    Preformatted,
    SimpleDocTemplate,
    Spacer,
    Table,
    TableStyle,
)

from stepladder.core.questions import Choice, Kind, problems_of, read_question, right_in_words
from stepladder.library import own_pictures
from stepladder.library.kinds import Progress
from stepladder.library.models import ModuleVersion
from stepladder.web.paper import FILES, FONTS, INK, QUIET, register_fonts, writable
from stepladder.writing.content import Content, media_of
from stepladder.writing.rendering import TONE_WORDS

__all__ = ["paper_of"]

MARGIN = 20 * mm
WIDTH = A4[0] - 2 * MARGIN
# A picture is never higher than half a page.
HIGHEST = A4[1] / 2 - MARGIN
LINE = Color(*(0.8, 0.8, 0.78))
# The ink as pictures have it.
_INK_8 = tuple(round(part * 255) for part in INK)
Node = Mapping[str, Any]

_PLAIN = ParagraphStyle("plain", fontName="Text", fontSize=10.5, leading=15, textColor=Color(*INK), spaceAfter=6)
_STYLES = {
    "plain": _PLAIN,
    "quiet": ParagraphStyle("quiet", parent=_PLAIN, fontSize=9, leading=12, textColor=Color(*QUIET)),
    "title": ParagraphStyle("title", parent=_PLAIN, fontName="Head", fontSize=24, leading=29, spaceAfter=10),
    "section": ParagraphStyle(
        "section", parent=_PLAIN, fontName="Head", fontSize=16, leading=20, spaceBefore=14, keepWithNext=1
    ),
    "head 1": ParagraphStyle(
        "head 1", parent=_PLAIN, fontName="Head", fontSize=13, leading=17, spaceBefore=8, keepWithNext=1
    ),
    "head 2": ParagraphStyle("head 2", parent=_PLAIN, fontName="TextBold", spaceBefore=6, keepWithNext=1),
    "strong": ParagraphStyle("strong", parent=_PLAIN, fontName="TextBold", keepWithNext=1),
    "quote": ParagraphStyle("quote", parent=_PLAIN, leftIndent=14),
    "listing": ParagraphStyle("listing", parent=_PLAIN, fontName="Courier", fontSize=9, leading=12),
}


def paper_of(version: ModuleVersion, content: Content, path: Path, progress: Progress) -> tuple[str, ...]:
    """Write the lesson's pages; what cannot stand on paper, as sentences."""
    register_fonts()
    drawing = _Paper(media_of(content.trees))
    title = version.module.title
    parts: list[Flowable] = [_said(title, "title")]
    if version.module.description:
        parts.append(_said(version.module.description, "quiet"))
    cover = content.options.cover
    if cover and cover["file"]:
        parts += drawing.picture(cover)
    for number, section in enumerate(content.sections, 1):
        parts.append(_said(f"{number}  {section.title}" if content.options.is_numbered else section.title, "section"))
        parts += drawing.blocks(section.tree)
        progress(number, len(content.sections) + 1)
    if drawing.answers:
        parts += [PageBreak(), _said("What is right", "section")]
        parts += [_said(f"{number}. {text}", "plain") for number, text in enumerate(drawing.answers, 1)]

    def foot(canvas: Any, _: Any) -> None:
        canvas.setFont("Text", 8)
        canvas.setFillColorRGB(*QUIET)
        canvas.drawString(MARGIN, 11 * mm, writable(f"{title}, version {version.number}"[:110], "Text")[1])
        canvas.drawRightString(A4[0] - MARGIN, 11 * mm, f"page {canvas.getPageNumber()}")

    document = SimpleDocTemplate(
        str(path),
        pagesize=A4,
        leftMargin=MARGIN,
        rightMargin=MARGIN,
        topMargin=MARGIN,
        bottomMargin=MARGIN,
        title=title,
        lang=version.module.language or "en",
        invariant=1,
    )
    document.build(parts, onFirstPage=foot, onLaterPages=foot)
    progress(len(content.sections) + 1, len(content.sections) + 1)
    return tuple(dict.fromkeys(drawing.left_out))


def _said(text: str, style: str) -> Paragraph:
    """Plain words in a style, in a font that has their letters."""
    chosen = _STYLES[style]
    font, drawn = writable(text, chosen.fontName)
    return Paragraph(escape(drawn), ParagraphStyle(f"{style} {font}", parent=chosen, fontName=font))


class _Together(KeepTogether):
    """Parts that stay on one page where they stand by themselves."""

    def __init__(self, parts: Sequence[Flowable]) -> None:
        super().__init__(list(parts))
        self.parts = parts


class _Paper:
    def __init__(self, media: Mapping[str, ModuleVersion]) -> None:
        self.media = media
        self.answers: list[str] = []
        self.left_out: list[str] = []

    def blocks(self, node: Node) -> list[Flowable]:
        """What is in a node, block by block."""
        found: list[Flowable] = []
        for child in node.get("content", ()):
            found += _BLOCKS[child["type"]](self, child)
        return found

    # --- words

    def _words(self, node: Node, style: str = "plain") -> list[Flowable]:
        base = _STYLES[style].fontName
        said = "".join(self._piece(child, base) for child in node.get("content", ()))
        return [Paragraph(said, _STYLES[style])] if said else []

    def _piece(self, node: Node, base: str) -> str:
        if node["type"] == "break":
            return "<br/>"
        marks = {mark["type"]: mark.get("attrs", {}) for mark in node.get("marks", ())}
        font, drawn = writable(node["text"], "TextBold" if "strong" in marks and base == "Text" else base)
        said = f'<font name="{font}">{escape(drawn)}</font>'
        for mark, tag in (("em", "i"), ("sub", "sub"), ("sup", "super")):
            # The house's fonts on paper have no slanted letters: what is stressed is underlined.
            said = f"<{'u' if tag == 'i' else tag}>{said}</{'u' if tag == 'i' else tag}>" if mark in marks else said
        if "link" in marks:
            said = f'<a href={quoteattr(marks["link"]["href"])} color="#00596a">{said}</a>'
        meaning = marks.get("term", {}).get("meaning", "")
        return said + (f" ({escape(writable(meaning, 'Text')[1])})" if meaning else "")

    def paragraph(self, node: Node) -> list[Flowable]:
        return self._words(node)

    def heading(self, node: Node) -> list[Flowable]:
        return self._words(node, f"head {node['attrs']['level']}")

    def list_of(self, node: Node) -> list[Flowable]:
        items: list[Any] = [ListItem(self.blocks(item) or [_said("", "plain")]) for item in node["content"]]
        if node["type"] == "bullets":
            return [ListFlowable(items, bulletType="bullet", start="•", leftIndent=16, bulletFontName="Text")]
        start = node.get("attrs", {}).get("start", 1)
        return [ListFlowable(items, bulletType="1", start=start, leftIndent=20, bulletFontName="Text")]

    def quote(self, node: Node) -> list[Flowable]:
        found = self.blocks(node)
        if node["attrs"]["source"]:
            found.append(_said(f"– {node['attrs']['source']}", "quiet"))
        return [_beside_line(found)]

    def note(self, node: Node) -> list[Flowable]:
        return [_beside_line([_said(TONE_WORDS[node["attrs"]["tone"]], "strong"), *self.blocks(node)])]

    def table(self, node: Node) -> list[Flowable]:
        rows, spans = _grid(node, self.blocks)
        caption = node["attrs"]["caption"]
        style = [("LINEBELOW", (0, 0), (-1, -1), 0.4, LINE), ("VALIGN", (0, 0), (-1, -1), "TOP"), *spans]
        table = Table(rows, colWidths=[WIDTH / len(rows[0])] * len(rows[0]), splitInRow=1)
        table.setStyle(TableStyle(style))
        return [*([_said(caption, "strong")] if caption else []), table, Spacer(1, 8)]

    def listing(self, node: Node) -> list[Flowable]:
        text = "".join(child["text"] for child in node.get("content", ()))
        plain = text.encode("cp1252", "replace").decode("cp1252")
        return [Preformatted(plain, _STYLES["listing"], maxLineLength=88)]

    def formula(self, node: Node) -> list[Flowable]:
        return [_said(node["attrs"]["words"] or node["attrs"]["source"], "quote")]

    # --- pictures

    def picture(self, row: Node, caption: str = "") -> list[Flowable]:
        """A picture and what is said to it; one that is not there any more is named."""
        if not row["file"]:
            return []
        if not own_pictures.is_kept(row["file"]):
            self.left_out.append("A picture is not there any more.")
            return []
        # What draws PDF reads no WebP; a JPEG of it is as sharp on paper.
        jpeg = BytesIO()
        with Picture.open(own_pictures.path_of(row["file"])) as opened:
            size = opened.size
            drawn_on = opened.convert("RGB")
        _mark(drawn_on, row.get("spots", ()))
        drawn_on.save(jpeg, "JPEG", quality=88)
        jpeg.seek(0)
        scale = min(WIDTH / size[0], HIGHEST / size[1], 1.0)
        said = caption or row.get("caption", "") or row.get("words", "")
        drawn = [Image(jpeg, size[0] * scale, size[1] * scale, hAlign="LEFT"), Spacer(1, 4)]
        return [_Together([*drawn, *([_said(said, "quiet")] if said else [])])]

    def one_picture(self, node: Node) -> list[Flowable]:
        return self.picture(node["attrs"])

    def gallery(self, node: Node) -> list[Flowable]:
        return [one for row in node["attrs"]["pictures"] for one in self.picture(row)]

    def spots(self, node: Node) -> list[Flowable]:
        lines = [f"{number}. {one['title']}. {one['text']}" for number, one in enumerate(node["attrs"]["spots"], 1)]
        return [*self.picture(node["attrs"]), *(_said(line, "plain") for line in lines)]

    def compare(self, node: Node) -> list[Flowable]:
        attrs, found = node["attrs"], []
        for side in ("before", "after"):
            found += self.picture({"file": attrs[f"{side}_file"]}, attrs[f"{side}_word"])
        return [*found, *([_said(attrs["caption"], "quiet")] if attrs["caption"] else [])]

    # --- what paper cannot hold

    def medium(self, node: Node) -> list[Flowable]:
        attrs = node["attrs"]
        version = self.media.get(attrs["version"])
        title = version.module.title if version is not None else attrs.get("url", "")
        if not title:
            return []
        word = {"film": "Film", "sound": "Sound", "document": "Document"}[node["type"]]
        self.left_out.append(f"“{title}”: a {word.lower()} stands on paper by its name alone.")
        return [_said(f"{word}: {title}", "quiet"), *([_said(attrs["caption"], "quiet")] if attrs["caption"] else [])]

    def attachment(self, node: Node) -> list[Flowable]:
        name = node["attrs"]["name"]
        return [_said(f"To take along: {name}", "quiet")] if node["attrs"]["file"] else []

    def page(self, node: Node) -> list[Flowable]:
        url = node["attrs"]["url"]
        return [_said(f"{node['attrs']['title'] or 'A page'}: {url}", "quiet")] if url else []

    # --- the rest

    def fold_out(self, node: Node) -> list[Flowable]:
        return [_said(node["attrs"]["title"] or "More", "strong"), *self.blocks(node)]

    def steps(self, node: Node) -> list[Flowable]:
        found: list[Flowable] = []
        for number, step in enumerate(node["content"], 1):
            title, *rest = step["content"]
            words = "".join(child.get("text", " ") for child in title.get("content", ()))
            found.append(_said(f"{number}. {words}", "strong"))
            for one in rest:
                found += _BLOCKS[one["type"]](self, one)
        return found

    def check(self, node: Node) -> list[Flowable]:
        raw = node["attrs"]["question"]
        if raw is None or problems_of(read_question(raw)):
            return []
        question = read_question(raw)
        self.answers.append("; ".join(right_in_words(question)))
        lines: list[Flowable] = [_said(f"Check {len(self.answers)}. {question.text}", "strong")]
        if question.picture is not None:
            lines += self.picture({"file": question.picture.file})
        lines += self._beside(question.media)
        choices = list(question.choices) or [Choice(right) for _, right in question.pairs]
        if question.kind in (Kind.ORDER, Kind.MATCH):
            # As they stand in the lesson they are right: on paper they go by the alphabet.
            choices = sorted(choices, key=lambda choice: choice.text.casefold())
        lines += [_said(f"to be matched: {left}", "plain") for left, _ in question.pairs]
        for choice in choices:
            lines.append(_said(f"– {choice.text}", "plain"))
            if choice.picture is not None:
                lines += self.picture({"file": choice.picture.file})
            lines += self._beside(choice.media)
        if question.kind == Kind.TRUE_FALSE:
            lines.append(_said("true – false", "plain"))
        return [_beside_line(lines)]

    def _beside(self, name: str) -> list[Flowable]:
        version = self.media.get(name)
        if version is None:
            return []
        word = "Film" if version.module.kind == "video" else "Sound"
        self.left_out.append(f"“{version.module.title}”: a {word.lower()} stands on paper by its name alone.")
        return [_said(f"{word}: {version.module.title}", "quiet")]

    def line(self, node: Node) -> list[Flowable]:
        return [HRFlowable(width="100%", thickness=0.8, color=LINE, spaceBefore=6, spaceAfter=10)]


def _mark(picture: Picture.Image, spots: Sequence[Node]) -> None:
    """Number the marked spots of a picture, on it."""
    width, height = picture.size
    radius = max(round(width * 0.028), 6)
    pen = ImageDraw.Draw(picture)
    font = ImageFont.truetype(str(FONTS / FILES["TextBold"]), round(radius * 1.2))
    for number, spot in enumerate(spots, 1):
        x, y = spot["x"] * width, spot["y"] * height
        pen.ellipse((x - radius, y - radius, x + radius, y + radius), fill=_INK_8, outline="white", width=2)
        pen.text((x, y), str(number), fill="white", font=font, anchor="mm")


def _parts_of(one: Flowable) -> Sequence[Flowable]:
    # What is kept together measures itself by a page, and has no height in a cell.
    return one.parts if isinstance(one, _Together) else [one]


def _narrowed(one: Flowable) -> Flowable:
    if isinstance(one, Image) and one.drawWidth > WIDTH - 24:
        one.drawHeight *= (WIDTH - 24) / one.drawWidth
        one.drawWidth = WIDTH - 24
    return one


def _beside_line(inside: Sequence[Flowable]) -> Flowable:
    """Blocks with a line to their left, which may go over pages."""
    rows = [[_narrowed(part)] for one in inside for part in _parts_of(one)]
    table = Table(rows or [[""]], colWidths=[WIDTH - 6])
    table.setStyle(
        TableStyle(
            [
                ("LINEBEFORE", (0, 0), (0, -1), 1.5, Color(*INK)),
                ("LEFTPADDING", (0, 0), (-1, -1), 10),
                ("TOPPADDING", (0, 0), (-1, -1), 1),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 1),
            ]
        )
    )
    # The room behind it: a table has none of its own.
    table.spaceAfter = table.spaceBefore = 6
    return table


def _grid(node: Node, draw: Callable[[Node], list[Flowable]]) -> tuple[list[list[Any]], list[Any]]:
    """A table's cells by rows and columns, and the spans of those that go over several."""
    filled: dict[tuple[int, int], Any] = {}
    spans = []
    for row_at, row in enumerate(node["content"]):
        column = 0
        for cell in row.get("content", ()):
            while (row_at, column) in filled:
                column += 1
            wide, high = cell["attrs"]["colspan"], cell["attrs"]["rowspan"]
            for one in _area(row_at, column, wide, high):
                filled[one] = ""
            filled[row_at, column] = draw(cell)
            if wide > 1 or high > 1:
                spans.append(("SPAN", (column, row_at), (column + wide - 1, row_at + high - 1)))
            column += wide
    rows = 1 + max(row for row, _ in filled)
    columns = 1 + max(column for _, column in filled)
    return [[filled.get((row, column), "") for column in range(columns)] for row in range(rows)], spans


def _area(row: int, column: int, wide: int, high: int) -> Iterator[tuple[int, int]]:
    return ((row + down, column + right) for down in range(high) for right in range(wide))


_BLOCKS: dict[str, Callable[[_Paper, Node], list[Flowable]]] = {
    "paragraph": _Paper.paragraph,
    "step_title": _Paper.paragraph,
    "heading": _Paper.heading,
    "bullets": _Paper.list_of,
    "numbers": _Paper.list_of,
    "quote": _Paper.quote,
    "note": _Paper.note,
    "table": _Paper.table,
    "listing": _Paper.listing,
    "formula": _Paper.formula,
    "picture": _Paper.one_picture,
    "gallery": _Paper.gallery,
    "spots": _Paper.spots,
    "compare": _Paper.compare,
    "film": _Paper.medium,
    "sound": _Paper.medium,
    "document": _Paper.medium,
    "attachment": _Paper.attachment,
    "page": _Paper.page,
    "check": _Paper.check,
    "fold_out": _Paper.fold_out,
    "steps": _Paper.steps,
    "line": _Paper.line,
}
