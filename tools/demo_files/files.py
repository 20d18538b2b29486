"""Makes the demo's files: packages, films with captions, sound, documents. Run it by hand; what it makes is committed.

python -m tools.demo_files.files
"""

from __future__ import annotations

import json
import subprocess
import tempfile
import zipfile
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from PIL import Image, ImageDraw, ImageFont
from reportlab.lib.pagesizes import A5
from reportlab.lib.utils import simpleSplit
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from tools.demo_files import office
from tools.demo_files.packages import DOCUMENTS, FILM, FILM_2, PACKAGES, SPEECH

HERE = Path(__file__).resolve().parent
FILES = HERE.parents[1] / "src/stepladder/config/demo/files"
FONTS = HERE.parents[1] / "src/stepladder/web/paper_fonts"
# A ferry on two waves: what the made-up line puts on everything.
MARK = (
    "<svg viewBox='0 0 44 28' width='44' height='28' aria-hidden='true'><path d='M3 15h38l-5 7H8z' fill='#fbf7ee'/>"
    "<path d='M12 9h18v6H12zM17 4h7v5h-7z' fill='#fbf7ee'/>"
    "<path d='M0 25q5.5-4 11 0t11 0 11 0 11 0' fill='none' stroke='#8fc4c9' stroke-width='1.6'/></svg>"
)
LONG_AGO = (2026, 1, 5, 9, 0, 0)
FRAMES_A_SECOND = 8

NAMESPACES = {
    "scorm12": 'xmlns="http://www.imsproject.org/xsd/imscp_rootv1p1p2" '
    'xmlns:adlcp="http://www.adlnet.org/xsd/adlcp_rootv1p2" xmlns:lom="http://www.imsglobal.org/xsd/imsmd_rootv1p2p1"',
    "scorm2004": 'xmlns="http://www.imsglobal.org/xsd/imscp_v1p1" xmlns:adlcp="http://www.adlnet.org/xsd/adlcp_v1p3" '
    'xmlns:imsss="http://www.imsglobal.org/xsd/imsss" xmlns:lom="http://ltsc.ieee.org/xsd/LOM"',
}


def manifest(package: dict[str, Any]) -> str:
    """imsmanifest.xml of a package with one sco."""
    new = package["standard"] == "scorm2004"
    version = "2004 4th Edition" if new else "1.2"
    type_ = 'adlcp:scormType="sco"' if new else 'adlcp:scormtype="sco"'
    time = (
        f"<lom:duration>PT{package['minutes']}M</lom:duration>"
        if new
        else f"<lom:datetime>PT{package['minutes']}M</lom:datetime>"
    )
    word = "string" if new else "langstring"
    learning = "typicalLearningTime" if new else "typicallearningtime"
    asks = (
        '<imsss:sequencing><imsss:objectives><imsss:primaryObjective objectiveID="o1" satisfiedByMeasure="true">'
        f"<imsss:minNormalizedMeasure>{package['mastery']}</imsss:minNormalizedMeasure>"
        "</imsss:primaryObjective></imsss:objectives></imsss:sequencing>"
        if new
        else f"<adlcp:masteryscore>{package['mastery']}</adlcp:masteryscore>"
    )
    return f"""<?xml version="1.0" encoding="UTF-8"?>
<manifest identifier="{package["file"][:-4]}" version="1" {NAMESPACES[package["standard"]]}>
  <metadata><schema>ADL SCORM</schema><schemaversion>{version}</schemaversion>
    <lom:lom><lom:general><lom:title><lom:{word}>{package["title"]}</lom:{word}></lom:title>
      <lom:description><lom:{word}>{package["about"]}</lom:{word}></lom:description></lom:general>
      <lom:educational><lom:{learning}>{time}</lom:{learning}></lom:educational></lom:lom>
  </metadata>
  <organizations default="all"><organization identifier="all"><title>{package["title"]}</title>
    <item identifier="item1" identifierref="r1"><title>{package["title"]}</title>{asks}</item>
  </organization></organizations>
  <resources><resource identifier="r1" type="webcontent" {type_} href="index.html">
    <file href="index.html"/><file href="course.js"/><file href="sco.js"/><file href="sco.css"/></resource></resources>
</manifest>
"""


def make_package(package: dict[str, Any]) -> None:
    page = f"""<!DOCTYPE html><html lang="en"><head><meta charset="utf-8"><title>{package["title"]}</title>
<meta name="viewport" content="width=device-width"><link rel="icon" href="data:,"><link rel="stylesheet" href="sco.css"><script src="course.js"></script><script src="sco.js"></script></head>
<body><header>{MARK}<span>Marram Sound Ferries</span><b>{package["title"]}</b></header>
<main id="page" tabindex="-1"></main><footer><button id="back">Back</button><button id="next">Next</button><span id="where"></span></footer></body></html>
"""
    course = {"pass": package["pass"], "pages": package["pages"]}
    parts = {
        "imsmanifest.xml": manifest(package),
        "index.html": page,
        "course.js": "window.COURSE = " + json.dumps(course, ensure_ascii=False, indent=1) + ";\n",
        "sco.js": (HERE / "sco.js").read_text(),
        "sco.css": (HERE / "sco.css").read_text(),
    }
    with zipfile.ZipFile(FILES / package["file"], "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in parts.items():
            archive.writestr(zipfile.ZipInfo(name, LONG_AGO), text, zipfile.ZIP_DEFLATED)


def make_document(document: dict[str, Any]) -> None:
    # Fonts that stand in the file: a reader without those of the office would draw it in others.
    for name, file in (("Text", "text.ttf"), ("Strong", "text-bold.ttf"), ("Head", "head-bold.ttf")):
        pdfmetrics.registerFont(TTFont(name, FONTS / file))
    canvas = Canvas(str(FILES / document["file"]), pagesize=A5, invariant=1)
    width, height = A5
    canvas.setTitle(document["title"])
    for number, (title, text) in enumerate(document["pages"], 1):
        canvas.setFillColorRGB(0.05, 0.36, 0.39)
        canvas.rect(0, height - 92, width, 92, stroke=0, fill=1)
        _waves(canvas, width, height - 92)
        canvas.setFillColorRGB(1, 1, 1)
        canvas.setFont("Strong", 9)
        canvas.drawString(36, height - 34, "Marram Sound Ferries")
        canvas.setFont("Text", 9)
        canvas.drawString(36, height - 48, document["title"])
        canvas.setFillColorRGB(0.1, 0.13, 0.18)
        canvas.setFont("Head", 22)
        y = height - 146
        for line in simpleSplit(title, "Head", 22, width - 72):
            canvas.drawString(36, y, line)
            y -= 28
        canvas.setFont("Text", 13)
        y -= 8
        for line in simpleSplit(text, "Text", 13, width - 72):
            canvas.drawString(36, y, line)
            y -= 20
        canvas.setStrokeColorRGB(0.1, 0.13, 0.18)
        for rung in range(len(document["pages"])):
            canvas.setLineWidth(3 if rung < number else 1)
            canvas.line(width - 60, 60 + rung * 12, width - 36, 60 + rung * 12)
        canvas.setFont("Text", 9)
        canvas.drawString(36, 40, f"{number} of {len(document['pages'])}")
        canvas.showPage()
    canvas.save()


def _waves(canvas: Canvas, width: float, y: float) -> None:
    """The line's mark: two rows of waves, and a ferry on them."""
    canvas.setStrokeColorRGB(0.55, 0.78, 0.8)
    canvas.setLineWidth(1.2)
    for row in range(2):
        for x in range(0, int(width) + 28, 28):
            canvas.arc(x - 14 * row, y + 6 + 8 * row, x + 28 - 14 * row, y + 16 + 8 * row, 180, 180)
    canvas.setFillColorRGB(0.98, 0.96, 0.93)
    hull = canvas.beginPath()
    hull.moveTo(width - 128, y + 34)
    for dx, dy in ((-36, 34), (-46, 20), (-116, 20)):
        hull.lineTo(width + dx, y + dy)
    hull.close()
    canvas.drawPath(hull, stroke=0, fill=1)
    canvas.rect(width - 108, y + 34, 52, 12, stroke=0, fill=1)
    canvas.rect(width - 94, y + 46, 18, 9, stroke=0, fill=1)


# Films are drawn on 640 x 360 points, this many pixels each.
SCALE = 1.5
INK, FOAM, HULL, SUN = (22, 40, 56), (120, 170, 178), (247, 243, 232), (244, 196, 92)


def font(name: str, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(str(FONTS / name), round(size * SCALE))


def scaled(*points: float) -> tuple[float, ...]:
    return tuple(point * SCALE for point in points)


def frame(scene: tuple[str, str], at: float, number: int, count: int, title: str) -> Image.Image:
    """One picture: evening over the sound, a ferry, the scene's words, the film's title, and the rungs climbed so far."""
    width, height = round(640 * SCALE), round(360 * SCALE)
    picture = Image.new("RGB", (width, height), INK)
    draw = ImageDraw.Draw(picture)
    sea = round(206 * SCALE)
    for y in range(sea):
        # From night above to the last light over the water.
        share = (y / sea) ** 2
        draw.line(
            (0, y, width, y), fill=tuple(round(a + (b - a) * share) for a, b in zip(INK, (96, 92, 96), strict=True))
        )
    draw.polygon(
        [scaled(0, 206), *(scaled(x, 206 - h) for x, h in ((70, 22), (150, 34), (230, 14), (330, 0)))],
        fill=(30, 46, 58),
    )
    draw.ellipse(scaled(470, 150, 514, 194), fill=SUN)
    draw.rectangle(scaled(0, 206, 640, 360), fill=(13, 76, 92))
    for row in range(3):
        for wave in range(-1, 12):
            x = wave * 60 + (at * (24 - 6 * row) + 20 * row) % 60
            draw.arc(scaled(x, 232 + 16 * row, x + 60, 250 + 16 * row), 180, 360, fill=FOAM, width=2)
    ferry(draw, 40 + at * 5, smokes=number <= 2, at=at)
    draw.rectangle(scaled(0, 0, 640, 30), fill=(13, 30, 44))
    draw.text(
        scaled(24, 15),
        f"Marram Sound Ferries  ·  {title}",
        fill=(200, 214, 218),
        font=font("text.ttf", 12),
        anchor="lm",
    )
    draw.text(scaled(24, 66), scene[0], fill=HULL, font=font("head-bold.ttf", 32), anchor="lm")
    draw.rectangle(scaled(0, 300, 640, 360), fill=(13, 30, 44))
    draw.text(scaled(24, 330), scene[1], fill=HULL, font=font("text.ttf", 18), anchor="lm")
    for rung in range(count):
        colour = SUN if rung <= number else (70, 92, 108)
        draw.line(scaled(598, 284 - rung * 16, 622, 284 - rung * 16), fill=colour, width=6)
    for x in (596, 624):
        draw.line(scaled(x, 284 - count * 16, x, 294), fill=HULL, width=4)
    return picture


def ferry(draw: ImageDraw.ImageDraw, x: float, *, smokes: bool, at: float) -> None:
    if smokes:
        for puff in range(5):
            size = 10 + puff * 6 + (at * 3) % 5
            left, top = x + 176 - puff * 16, 178 - puff * 18
            draw.ellipse(scaled(left, top, left + size, top + size), fill=(118 + puff * 8,) * 3)
    hull = [(x, 212), (x + 270, 212), (x + 244, 252), (x + 26, 252)]
    draw.polygon([scaled(*point) for point in hull], fill=HULL)
    draw.line(scaled(x + 8, 226, x + 260, 226), fill=(178, 60, 48), width=8)
    draw.rectangle(scaled(x + 60, 176, x + 214, 212), fill=HULL)
    draw.rectangle(scaled(x + 96, 150, x + 150, 176), fill=HULL)
    draw.rectangle(scaled(x + 166, 156, x + 182, 176), fill=(178, 60, 48))
    for window in range(9):
        draw.rectangle(scaled(x + 68 + window * 16, 186, x + 76 + window * 16, 196), fill=(58, 84, 102))


def make_film(film: dict[str, Any]) -> None:
    """H.264 pictures, and the captions as a file of their own beside it."""
    scenes = film["scenes"]
    each = film["seconds"] / len(scenes)
    with av.open(str(FILES / film["file"]), "w", options={"movflags": "faststart"}) as out:
        pictures = out.add_stream("libx264", rate=FRAMES_A_SECOND)
        pictures.width, pictures.height, pictures.pix_fmt = round(640 * SCALE), round(360 * SCALE), "yuv420p"
        pictures.options = {"crf": "32", "preset": "slow"}
        pictures.codec_context.time_base = Fraction(1, FRAMES_A_SECOND)
        for n in range(film["seconds"] * FRAMES_A_SECOND):
            at = n / FRAMES_A_SECOND
            number = min(int(at / each), len(scenes) - 1)
            picture = av.VideoFrame.from_image(frame(scenes[number], at, number, len(scenes), film["title"]))
            picture.pts = n
            out.mux(pictures.encode(picture))
        out.mux(pictures.encode())
    lines = ["WEBVTT", ""]
    for n, (title, says) in enumerate(scenes):
        lines += [f"{_time(n * each)} --> {_time((n + 1) * each)}", f"{title}. {says}", ""]
    (FILES / film["file"].replace(".mp4", ".vtt")).write_text("\n".join(lines))


def _time(seconds: float) -> str:
    return f"00:{int(seconds // 60):02d}:{seconds % 60:06.3f}"


def make_speech(speech: dict[str, Any]) -> None:
    with tempfile.TemporaryDirectory() as folder:
        wav = Path(folder) / "speech.wav"
        subprocess.run(["espeak-ng", "-v", "en-gb", "-s", "150", "-w", str(wav), speech["text"]], check=True)  # noqa: S607
        with av.open(str(wav)) as source, av.open(str(FILES / speech["file"]), "w") as out:
            stream = out.add_stream("libmp3lame", rate=22050, layout="mono")
            stream.bit_rate = 40000
            for sound in source.decode(audio=0):
                sound.pts = None
                out.mux(stream.encode(sound))
            out.mux(stream.encode(None))
    write_words(speech)


def write_words(speech: dict[str, Any]) -> None:
    """What is said, sentence by sentence, each as long as its letters are of the whole."""
    with av.open(str(FILES / speech["file"])) as sound:
        seconds = float(sound.duration) / 1_000_000
    sentences = [f"{sentence.strip(' .')}." for sentence in speech["text"].split(". ")]
    letters, at, lines = sum(map(len, sentences)), 0.0, ["WEBVTT", ""]
    for sentence in sentences:
        end = at + seconds * len(sentence) / letters
        lines += [f"{_time(at)} --> {_time(end)}", sentence, ""]
        at = end
    (FILES / speech["file"].replace(".mp3", ".vtt")).write_text("\n".join(lines))


def main() -> None:
    FILES.mkdir(exist_ok=True)
    for package in PACKAGES:
        make_package(package)
    for document in DOCUMENTS:
        make_document(document)
    for film in (FILM, FILM_2):
        make_film(film)
    make_speech(SPEECH)
    office.make_all(FILES, FONTS)


if __name__ == "__main__":
    main()
