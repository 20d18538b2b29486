"""Formulas: written in the notation of LaTeX, or as MathML, shown as MathML with nothing in it that could do anything."""

from __future__ import annotations

from functools import lru_cache
from xml.etree.ElementTree import Element, ParseError, SubElement, tostring

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring
from latex2mathml.converter import convert

__all__ = ["BadFormula", "mathml_of"]

MATHML = "http://www.w3.org/1998/Math/MathML"
# What draws, of MathML Core; what links, scripts or holds other markup is not among it.
_DRAWS = frozenset(
    {
        *(
            "math",
            "mi",
            "mn",
            "mo",
            "ms",
            "mspace",
            "mtext",
            "menclose",
            "merror",
            "mfenced",
            "mfrac",
            "mpadded",
            "mphantom",
        ),
        *(
            "mroot",
            "mrow",
            "msqrt",
            "mstyle",
            "mmultiscripts",
            "mover",
            "mprescripts",
            "msub",
            "msubsup",
            "msup",
            "munder",
        ),
        *("munderover", "mtable", "mtd", "mtr", "none", "semantics"),
    }
)
_SAYS = frozenset(
    {
        *(
            "accent",
            "accentunder",
            "columnspan",
            "display",
            "displaystyle",
            "fence",
            "form",
            "largeop",
            "linethickness",
        ),
        *(
            "lspace",
            "mathvariant",
            "maxsize",
            "minsize",
            "movablelimits",
            "notation",
            "rowspan",
            "rspace",
            "scriptlevel",
        ),
        *("separator", "stretchy", "symmetric", "width", "height", "depth", "columnalign", "rowalign", "open", "close"),
    }
)
MOST_SIGNS, DEEPEST = 4000, 60


class BadFormula(ValueError):
    """What was written is no formula; the message says what to do."""


@lru_cache(maxsize=512)
def mathml_of(source: str) -> str:
    """The formula as MathML, safe to be put into a page. Raises BadFormula."""
    text = source.strip()
    if not 0 < len(text) <= MOST_SIGNS:
        raise BadFormula(f"A formula has from 1 to {MOST_SIGNS} signs.")
    markup = text if text.startswith("<") else _converted(text)
    try:
        root = fromstring(markup)
    except (ParseError, DefusedXmlException, RecursionError, ValueError):
        raise BadFormula(
            "It cannot be read. In MathML every mark is closed; in \\text{…} there is no < and no &."
        ) from None
    if _name(root) != "math":
        raise BadFormula("MathML begins with <math>.")
    clean = Element("math", {"xmlns": MATHML, "display": "block"})
    _copy(root, clean, 0)
    return tostring(clean, encoding="unicode")


def _converted(text: str) -> str:
    try:
        return str(convert(text))
    # The converter has an error of its own for each thing that can be wrong, and some of Python's for others.
    except Exception as error:
        raise BadFormula(
            f"It cannot be read ({type(error).__name__}). Close each brace, and write \\frac{{a}}{{b}} whole."
        ) from None


def _name(node: Element) -> str:
    namespace, _, name = node.tag.rpartition("}") if isinstance(node.tag, str) else ("", "", "")
    return name if namespace in ("", f"{{{MATHML}") else ""


def _copy(node: Element, into: Element, depth: int) -> None:
    if depth > DEEPEST:
        raise BadFormula("It is nested too deep to be drawn.")
    into.text = node.text
    for child in node:
        name = _name(child)
        if name in _DRAWS:
            kept = SubElement(into, name, {key: value for key, value in child.items() if key in _SAYS})
            _copy(child, kept, depth + 1)
            kept.tail = child.tail
