"""A picture as a document: JPEG, PNG, WebP, GIF, HEIC, TIFF, and SVG made safe."""

from __future__ import annotations

from pathlib import Path

from lxml import etree

from stepladder.library.errors import Unusable
from stepladder.library.parsing.material import Material, Passage, Worked
from stepladder.library.parsing.pictures import jpeg_of, opened, save_pages

__all__ = ["work_out", "work_out_svg"]

SVG = "{http://www.w3.org/2000/svg}"
XLINK = "{http://www.w3.org/1999/xlink}href"
LARGEST_SVG = 8 * 1024**2
# What draws. What runs, what brings in other pages, and what reaches out of the file is left out.
_DRAWS = (
    "svg g defs symbol use title desc path rect circle ellipse line polyline polygon text tspan textPath linearGradient "
    "radialGradient stop clipPath mask pattern marker switch filter feBlend feColorMatrix feComponentTransfer feComposite "
    "feFlood feFuncA feFuncB feFuncG feFuncR feGaussianBlur feMerge feMergeNode feMorphology feOffset feTile feTurbulence"
)
DRAWS = frozenset(_DRAWS.split())


def work_out(material: Material, out: Path) -> Worked:
    """Its pages, made anew."""
    with opened(material) as picture:
        still = jpeg_of(picture)
        sizes = save_pages(picture, out, material.name)
    data = {"pages": len(sizes), "sizes": [list(size) for size in sizes], "page_word": "picture"}
    return Worked(material.title, 1, data, still=still)


def work_out_svg(material: Material, out: Path) -> Worked:
    """What draws in it, and nothing else; its title and its words. Raises Unusable."""
    if material.size > LARGEST_SVG:
        raise Unusable(f"“{material.name}” is larger than 8 MB, too large to be drawn in a page. Export it as PNG.")
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, remove_comments=True, remove_pis=True
    )
    try:
        root = etree.parse(str(material.path), parser).getroot()
    except etree.XMLSyntaxError as error:
        raise Unusable(f"“{material.name}” cannot be read ({error.msg}). Export it again, or as PNG.") from None
    if root.tag != f"{SVG}svg":
        raise Unusable(f"“{material.name}” is no SVG picture. Export it again, or as PNG.")
    title = " ".join("".join(found.itertext()) for found in root.findall(f"{SVG}title")[:1])
    left_out = _clean(root)
    words = " ".join(" ".join(root.itertext()).split())[:20_000]
    # Drawn by whoever looks, at the size of the page: without one of its own it would be drawn at some size or none.
    if not root.get("viewBox") and (width := root.get("width")) and (height := root.get("height")):
        root.set("viewBox", f"0 0 {width.removesuffix('px')} {height.removesuffix('px')}")
    (out / "page-1.svg").write_bytes(etree.tostring(root, encoding="utf-8", xml_declaration=True))
    data = {"pages": 1, "page_word": "picture", "is_drawn": True, "left_out": left_out}
    passages = [Passage(1, words)] if words else []
    return Worked(material.title_or(title), 1, data, passages=passages)


def _clean(root: etree._Element) -> int:
    """Leave out of a drawing what does not draw; how many things were."""
    left_out = 0
    for element in list(root.iter()):
        name = etree.QName(element).localname if isinstance(element.tag, str) else ""
        if not isinstance(element.tag, str) or not element.tag.startswith(SVG) or name not in DRAWS:
            parent = element.getparent()
            if parent is not None:
                parent.remove(element)
            left_out += 1
            continue
        for key, value in list(element.attrib.items()):
            if not _is_safe(key, value):
                del element.attrib[key]
                left_out += 1
    return left_out


def _is_safe(key: str, value: str) -> bool:
    name = etree.QName(key).localname.lower()
    said = "".join(value.split()).lower()
    if name.startswith("on") or "javascript:" in said:
        return False
    if name == "href":
        return said.startswith("#")
    # A reference is to something in the drawing itself, whatever it is written in.
    return (
        "\\" not in said
        and all(part.lstrip("'\"").startswith("#") for part in said.split("url(")[1:])
        and ("@import" not in said)
    )
