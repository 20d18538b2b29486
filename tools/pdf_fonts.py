"""Makes the fonts of certificates from the shipped ones: fixed weights, latin and latin-ext in one. What it makes is committed.

python -m tools.pdf_fonts
"""

from __future__ import annotations

import tempfile
from pathlib import Path

from fontTools.merge import Merger
from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

ROOT = Path(__file__).resolve().parents[1] / "src/stepladder"
SOURCE, TARGET = ROOT / "web/static/web/fonts", ROOT / "records/fonts"


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
        merged.save(TARGET / name)


def main() -> None:
    make("text", 400, "text.ttf")
    make("text", 700, "text-bold.ttf")
    make("head", 700, "head-bold.ttf")


if __name__ == "__main__":
    main()
