"""Real files of every form, made for the tests."""

import io
import zipfile

import pptx
import xlsxwriter
from PIL import Image
from pptx.util import Inches

W = 'xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"'
TYPES = (
    '<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
    '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
    '<Override PartName="/word/document.xml" ContentType="application/vnd.openxmlformats-officedocument.'
    'wordprocessingml.document.main+xml"/></Types>'
)
RELATIONS = (
    '<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">'
    '<Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" '
    'Target="word/document.xml"/></Relationships>'
)


def a_picture(form="PNG", size=(80, 60), colour="teal", **more):
    out = io.BytesIO()
    Image.new("RGB", size, colour).save(out, form, **more)
    return out.getvalue()


def a_docx(*paragraphs, head="Muster", title="", above=""):
    """A heading and paragraphs, as a word processor zips them; *title* on its card, *above* as the title that one sees."""
    styled = [("Title", above)] if above else []
    body = "".join(
        f'<w:p><w:pPr><w:pStyle w:val="{style}"/></w:pPr><w:r><w:t>{text}</w:t></w:r></w:p>'
        for style, text in [*styled, ("Heading1", head)]
    ) + "".join(f"<w:p><w:r><w:t>{text}</w:t></w:r></w:p>" for text in paragraphs)
    files = {
        "[Content_Types].xml": TYPES,
        "_rels/.rels": RELATIONS,
        "word/document.xml": f'<?xml version="1.0"?><w:document {W}><w:body>{body}</w:body></w:document>',
    }
    if title:
        files["docProps/core.xml"] = (
            '<cp:coreProperties xmlns:cp="http://schemas.openxmlformats.org/package/2006/metadata/core-properties" '
            f'xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:title>{title}</dc:title></cp:coreProperties>'
        )
    return zipped(files)


def a_pptx():
    """Two slides: a title with points, and a picture; the first has a note."""
    show = pptx.Presentation()
    first = show.slides.add_slide(show.slide_layouts[1])
    first.shapes.title.text = "Snap-back"
    first.placeholders[1].text = "Never stand in the bight\nWatch the line"
    first.notes_slide.notes_text_frame.text = "Tell them about the Knot."
    second = show.slides.add_slide(show.slide_layouts[6])
    second.shapes.add_picture(io.BytesIO(a_picture()), Inches(1), Inches(1))
    out = io.BytesIO()
    show.save(out)
    return out.getvalue()


def an_xlsx(rows=3, hidden=True):
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"in_memory": True})
    sheet = book.add_worksheet("Rates")
    sheet.write_row(0, 0, ["Vessel", "Cars"])
    for n in range(1, rows):
        sheet.write_row(n, 0, [f"Vessel {n}", n])
    if hidden:
        secret = book.add_worksheet("Secret")
        secret.write(0, 0, "salaries")
        secret.hide()
    book.close()
    return out.getvalue()


def zipped(files):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in files.items():
            archive.writestr(name, content)
    return out.getvalue()
