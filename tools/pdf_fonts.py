"""Makes the fonts of certificates from the shipped ones: fixed weights, latin and latin-ext in one. What it makes is committed.

python -m tools.pdf_fonts [DejaVuSans-Bold.ttf]

Given the named font, it also makes the one that stands in where a name has letters that the others lack: Latin, Greek, Cyrillic, Armenian
and Georgian. Scripts that must be shaped or run from right to left are left out: drawn letter by letter they would be wrong.
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from fontTools.merge import Merger
from fontTools.subset import Options, Subsetter
from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

ROOT = Path(__file__).resolve().parents[1] / "src/stepladder"
SOURCE, TARGET = ROOT / "web/static/web/fonts", ROOT / "web/paper_fonts"


def make(family: str, weight: int, name: str) -> None:
    with tempfile.TemporaryDirectory() as folder:
        parts = []
        for part in ("latin", "latin-ext"):
            font = instantiateVariableFont(TTFont(SOURCE / f"{family}-{part}.woff2"), {"wght": weight})
            font.flavor = None
            for table in ("GSUB", "GPOS", "GDEF", "STAT", "MVAR", "HVAR", "meta", "DSIG"):
                if table in font:
                    del font[table]
            path = Path(folder) / f"{part}.ttf"
            font.save(path)
            parts.append(str(path))
        merged = Merger().merge(parts)
        # A weight of its own name: what draws PDF takes two fonts of one name for one.
        base = str(merged["name"].getDebugName(6)).split("-")[0]
        for record in merged["name"].names:
            if record.nameID == 6:
                merged["name"].setName(f"{base}-{weight}", 6, record.platformID, record.platEncID, record.langID)
        merged.save(TARGET / name)


WIDE = [
    *range(0x20, 0x590),  # Latin, Greek, Cyrillic, Armenian
    *range(0x10A0, 0x1100),  # Georgian
    *range(0x1E00, 0x2000),  # Latin and Greek, extended
    *range(0x2010, 0x2040),  # dashes and quotation marks
    0x20AC,
    0x2116,
    0x25A1,  # stands for what cannot be drawn
]


def make_wide(source: Path) -> None:
    options = Options(layout_features=[], name_IDs=["*"], notdef_outline=True, glyph_names=False, hinting=False)
    subsetter = Subsetter(options)
    subsetter.populate(unicodes=WIDE)
    font = TTFont(source)
    subsetter.subset(font)
    font.save(TARGET / "wide-bold.ttf")


def main() -> None:
    if len(sys.argv) > 1:
        make_wide(Path(sys.argv[1]))
    make("text", 400, "text.ttf")
    make("text", 700, "text-bold.ttf")
    make("head", 700, "head-bold.ttf")


if __name__ == "__main__":
    main()
