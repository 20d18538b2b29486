"""Makes the demo's office files, pictures, text and web pages. Run by tools.demo_files.files; what it makes is committed."""

from __future__ import annotations

import io
import zipfile
from datetime import datetime
from html import escape
from pathlib import Path

import pptx
import xlsxwriter
from PIL import Image, ImageDraw, ImageFont
from pptx.dml.color import RGBColor
from pptx.util import Inches, Pt

__all__ = ["make_all"]

LONG_AGO = (2026, 1, 5, 9, 0, 0)
TEAL, INK, PAPER, SUN, RED = (13, 92, 99), (28, 35, 48), (251, 247, 238), (242, 193, 78), (178, 60, 48)
W = "http://schemas.openxmlformats.org/wordprocessingml/2006/main"
OFFICE = "application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml"

BRIEFING = [
    ("h", "Carrying dangerous goods"),
    (
        "p",
        "Gas bottles, paint and fireworks come aboard every week. This is what we take, where it stands, and who is told.",
    ),
    ("h", "What we take"),
    ("p", "Only what is on the day's list, in the packing that it came in, with its label to the front."),
    (
        "t",
        [
            ["Class", "What", "Most in one sailing"],
            ["2.1", "gas in bottles", "40 bottles"],
            ["3", "paint, fuel in cans", "200 litres"],
            ["1.4G", "fireworks, packed", "50 kg"],
            ["5.1", "pool chemicals", "none with class 3"],
        ],
    ),
    ("h", "Where it stands"),
    (
        "l",
        [
            "On the open deck, aft of frame 40.",
            "Three metres from anything with an engine.",
            "Nothing on top of it, and nobody asleep beside it.",
        ],
    ),
    (
        "p",
        "Two classes that do not like each other stand at least six metres apart. The plan on the bridge shows which.",
    ),
    ("h", "Who is told"),
    (
        "p",
        "The mate on deck, before the ramp goes up; the bridge, with class and place; the terminal at the other side, by radio.",
    ),
    ("p", "If it leaks: nobody touches it. Upwind, shut the vents, tell the bridge, read the card."),
]

SLIDES = [
    (
        "Lashing a lorry",
        ["Four chains, two each end", "Angle between 30 and 60 degrees", "Nothing to a bumper or a step"],
        "Ask who has seen a chain part. Let them tell it.",
    ),
    (
        "Before the ramp goes up",
        ["Brakes on, engine off, in gear", "Chocks at the rear axle", "The driver is out of the cab"],
        "",
    ),
    (
        "When it blows",
        [
            "From six on: every lorry is lashed",
            "From eight on: motorbikes too",
            "Check again after the first half hour",
        ],
        "The Knot rolls more than the others.",
    ),
    ("What you report", ["A chain that is stretched or bent", "A lashing point that moves", "A lorry that leans"], ""),
]

WEIGHTS = [("Vessel", "Deck", "Cars", "Lorries", "Most on one axle, t")] + [
    (vessel, deck, cars, lorries, axle)
    for vessel, decks in {
        "Sandpiper": (("main", 42, 4, 9.0), ("upper", 18, 0, 2.5)),
        "Dunlin": (("main", 56, 6, 10.0), ("upper", 24, 0, 2.5)),
        "Turnstone": (("main", 30, 2, 8.0),),
        "Knot": (("main", 64, 8, 11.5), ("upper", 30, 0, 3.0)),
        "Sanderling": (("main", 20, 1, 6.0),),
    }.items()
    for deck, cars, lorries, axle in decks
]

MARKDOWN = """# Words on the deck

What is said between the mooring deck and the bridge, and what it means. Say it, hear it said back, then do it.

## Lines

- **Send one** – throw the heaving line.
- **All fast** – it is on the bollard and holds.
- **Slack away** – let it run, slowly, under control.
- **Avast** – stop, whatever you are doing, at once.
- **Let go aft** – the after lines come off; nobody stands in the bight.

## Ramp

| Said | Means |
| --- | --- |
| ramp clear | nobody on it, nobody under it |
| ramp going down | it moves; hands off the chains |
| ramp down, pins in | cars may roll |

Who has not heard it said back says it again. Nobody nods on a radio.
"""

PLAN = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 720 420" width="720" height="420">
<title>Where a parting line goes</title>
<rect width="720" height="420" fill="#fbf7ee"/>
<path d="M40 330h640" stroke="#1c2330" stroke-width="6"/>
<path d="M60 120h420l60 60v90H60z" fill="#0d5c63"/>
<g fill="#f2c14e" fill-opacity=".55"><path d="M470 180 700 40v150z"/><path d="M110 190 10 60l-4 150z"/></g>
<g stroke="#1c2330" stroke-width="5" fill="none"><path d="M470 180 640 330"/><path d="M110 190 70 330"/></g>
<g fill="#b23c30"><circle cx="640" cy="330" r="12"/><circle cx="70" cy="330" r="12"/></g>
<g font-family="sans-serif" font-size="20" fill="#1c2330">
<text x="520" y="30">never stand here</text><text x="20" y="40">nor here</text>
<text x="84" y="245" fill="#fbf7ee">stand inboard, and out of the bight</text>
<text x="560" y="372">bollard</text><text x="40" y="372">bollard</text></g></svg>"""

PAGES = {
    "index.html": (
        "The terminals",
        "<p>Three terminals, three ways to wait. Read the one you work at, then the two others: you will be sent there.</p>"
        "<ul><li><a href='marram-quay.html'>Marram Quay</a></li><li><a href='osier-point.html'>Osier Point</a></li>"
        "<li><a href='holm-landing.html'>Holm Landing</a></li></ul>",
    ),
    "marram-quay.html": (
        "Marram Quay",
        "<p>Six lanes. Lane 1 is for the island's doctor and the fire engine, and stays empty.</p>"
        "<p>Foot passengers wait behind the yellow line until the ramp light is green.</p><p><a href='index.html'>Back</a></p>",
    ),
    "osier-point.html": (
        "Osier Point",
        "<p>Two lanes and a hill. Nobody parks on the hill: a trailer that rolls, rolls into the water.</p>"
        "<p>The tide gauge is read before each lorry.</p><p><a href='index.html'>Back</a></p>",
    ),
    "holm-landing.html": (
        "Holm Landing",
        "<p>One lane, no barrier. You are the barrier: vest on, arms out, eyes on the driver.</p>"
        "<p><a href='index.html'>Back</a></p>",
    ),
}
STYLE = (
    "body{font:18px/1.5 sans-serif;margin:2rem;background:#fbf7ee;color:#1c2330;max-width:40rem}"
    "h1{color:#0d5c63;border-bottom:3px solid #f2c14e}a{color:#0d5c63}"
)


def make_all(files: Path, fonts: Path) -> None:
    """Every one of them, into *files*."""
    files.joinpath("dangerous-goods.docx").write_bytes(_docx())
    files.joinpath("lashing-a-lorry.pptx").write_bytes(_pptx(fonts))
    files.joinpath("car-deck-weights.xlsx").write_bytes(_xlsx())
    files.joinpath("words-on-the-deck.md").write_text(MARKDOWN)
    files.joinpath("where-a-line-goes.svg").write_text(PLAN)
    files.joinpath("terminals.zip").write_bytes(_site())
    _deck(fonts, 1600).save(files / "mustering-on-the-dunlin.png", optimize=True)


def _zip(entries: dict[str, str | bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in entries.items():
            archive.writestr(zipfile.ZipInfo(name, LONG_AGO), content, zipfile.ZIP_DEFLATED)
    return out.getvalue()


def _run(text: str) -> str:
    return f'<w:r><w:t xml:space="preserve">{escape(text)}</w:t></w:r>'


def _block(kind: str, content: object) -> str:
    if kind == "t":
        rows = "".join(
            "<w:tr>" + "".join(f"<w:tc><w:p>{_run(cell)}</w:p></w:tc>" for cell in row) + "</w:tr>"
            for row in content  # type: ignore[attr-defined]
        )
        return f"<w:tbl>{rows}</w:tbl>"
    if kind == "l":
        number = '<w:numPr><w:ilvl w:val="0"/><w:numId w:val="1"/></w:numPr>'
        return "".join(f"<w:p><w:pPr>{number}</w:pPr>{_run(line)}</w:p>" for line in content)  # type: ignore[attr-defined]
    style = '<w:pPr><w:pStyle w:val="Heading1"/></w:pPr>' if kind == "h" else ""
    return f"<w:p>{style}{_run(str(content))}</w:p>"


def _docx() -> bytes:
    body = "".join(_block(kind, content) for kind, content in BRIEFING)
    relations = "http://schemas.openxmlformats.org/package/2006/relationships"
    office = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    return _zip(
        {
            "[Content_Types].xml": '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
            '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
            f'<Override PartName="/word/document.xml" ContentType="{OFFICE}"/></Types>',
            "_rels/.rels": f'<Relationships xmlns="{relations}"><Relationship Id="r1" Type="{office}/officeDocument" '
            'Target="word/document.xml"/></Relationships>',
            "word/_rels/document.xml.rels": f'<Relationships xmlns="{relations}"><Relationship Id="r2" '
            f'Type="{office}/numbering" Target="numbering.xml"/></Relationships>',
            "word/numbering.xml": f'<w:numbering xmlns:w="{W}"><w:abstractNum w:abstractNumId="0"><w:lvl w:ilvl="0">'
            '<w:numFmt w:val="bullet"/></w:lvl></w:abstractNum><w:num w:numId="1"><w:abstractNumId w:val="0"/></w:num></w:numbering>',
            "word/document.xml": f'<w:document xmlns:w="{W}"><w:body>{body}</w:body></w:document>',
        }
    )


def _pptx(fonts: Path) -> bytes:
    show = pptx.Presentation()
    show.core_properties.title = "Lashing a lorry"
    show.core_properties.created = show.core_properties.modified = datetime(*LONG_AGO)  # noqa: DTZ001 - the format has no zone
    for number, (title, points, note) in enumerate(SLIDES):
        slide = show.slides.add_slide(show.slide_layouts[1])
        slide.shapes.title.text = title
        slide.placeholders[1].text = "\n".join(points)
        for paragraph in slide.placeholders[1].text_frame.paragraphs:
            paragraph.font.size, paragraph.font.color.rgb = Pt(24), RGBColor(*INK)
        if note:
            slide.notes_slide.notes_text_frame.text = note
        if number == 0:
            picture = io.BytesIO()
            _lorry(fonts).save(picture, "PNG", optimize=True)
            shape = slide.shapes.add_picture(picture, Inches(5.6), Inches(4.6), width=Inches(3.8))
            shape._element.nvPicPr.cNvPr.set("descr", "A lorry from the side with a chain at each corner")
    out = io.BytesIO()
    show.save(out)
    # As of always the same moment, so that the same words give the same bytes.
    with zipfile.ZipFile(out) as made:
        return _zip({name: made.read(name) for name in made.namelist()})


def _xlsx() -> bytes:
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"in_memory": True})
    book.set_properties({"title": "Car deck weights", "created": datetime(*LONG_AGO)})  # noqa: DTZ001 - the format has no zone
    sheet = book.add_worksheet("Weights")
    for number, row in enumerate(WEIGHTS):
        sheet.write_row(number, 0, row)
    rules = book.add_worksheet("Rules")
    for number, row in enumerate(
        [
            ("Rule", "Why"),
            ("Heavy first, over the keel", "she stays upright"),
            ("No lorry forward of frame 20", "the ramp must close"),
        ]
    ):
        rules.write_row(number, 0, row)
    book.close()
    return out.getvalue()


def _site() -> bytes:
    pages = {
        name: f"<!doctype html><html lang='en'><meta charset='utf-8'><title>{title}</title>"
        f"<link rel='stylesheet' href='style.css'><h1>{title}</h1>{body}"
        for name, (title, body) in PAGES.items()
    }
    return _zip({**pages, "style.css": STYLE})


def _lorry(fonts: Path) -> Image.Image:
    picture = Image.new("RGB", (760, 380), PAPER)
    draw = ImageDraw.Draw(picture)
    draw.line((20, 320, 740, 320), fill=INK, width=6)
    draw.rectangle((190, 110, 640, 280), fill=TEAL)
    draw.polygon([(100, 280), (100, 190), (130, 150), (180, 150), (180, 280)], fill=RED)
    for x in (140, 300, 520, 590):
        draw.ellipse((x - 30, 262, x + 30, 322), fill=INK)
        draw.ellipse((x - 12, 280, x + 12, 304), fill=PAPER)
    for start, end in (
        ((210, 280), (70, 318)),
        ((250, 280), (380, 318)),
        ((560, 280), (440, 318)),
        ((620, 280), (720, 318)),
    ):
        draw.line((*start, *end), fill=SUN, width=8)
    return picture


def _deck(fonts: Path, width: int) -> Image.Image:
    """A vessel from above with its muster stations."""
    height = width * 9 // 16
    unit = width / 160
    picture = Image.new("RGB", (width, height), (206, 226, 228))
    draw = ImageDraw.Draw(picture)

    def at(*points: float) -> list[float]:
        return [point * unit for point in points]

    title = ImageFont.truetype(str(fonts / "head-bold.ttf"), round(5 * unit))
    text = ImageFont.truetype(str(fonts / "text.ttf"), round(3.2 * unit))
    draw.text(at(6, 6), "Mustering on the Dunlin", fill=INK, font=title)
    draw.polygon(at(10, 34, 120, 30, 152, 50, 120, 70, 10, 66), fill=PAPER, outline=INK, width=round(unit / 2))
    for x in (30, 62, 94):
        draw.rectangle(at(x, 38, x + 24, 62), outline=(150, 160, 160), width=round(unit / 4))
    stations = {
        "A": (16, 42, "crew"),
        "B": (58, 34, "car deck, port"),
        "C": (58, 66, "car deck, starboard"),
        "D": (122, 50, "saloon"),
    }
    for letter, (x, y, who) in stations.items():
        draw.ellipse(at(x - 4, y - 4, x + 4, y + 4), fill=TEAL)
        draw.text(at(x, y), letter, fill=PAPER, font=title, anchor="mm")
        draw.text(at(x + 5.5, y - 1.6), who, fill=INK, font=text)
    draw.text(
        at(6, 80), "Go to the letter on your card. If you cannot: to the nearest one, and say so.", fill=INK, font=text
    )
    return picture
