"""Writing a content package of items. It is built by the names of 2.1; 3.0 writes the same with hyphens."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from xml.etree.ElementTree import Element, SubElement, tostring

from stepladder.core.questions.model import Kind, Question
from stepladder.core.questions.plain_text import Filed
from stepladder.core.questions.reading import read_question
from stepladder.core.questions.variants import fill

__all__ = ["VERSIONS", "write_package"]

VERSIONS: Mapping[str, tuple[str, str]] = {
    "2.1": ("http://www.imsglobal.org/xsd/imsqti_v2p1", "imsqti_item_xmlv2p1"),
    "3.0": ("http://www.imsglobal.org/xsd/imsqtiasi_v3p0", "imsqti_item_xmlv3p0"),
}
_TEMPLATES = "http://www.imsglobal.org/question/qti_v2p1/rptemplates/"
_MANIFEST = "http://www.imsglobal.org/xsd/imscp_v1p1"
_METADATA = "http://ltsc.ieee.org/xsd/LOM"
# A package that is made twice of the same questions is the same.
_MADE = (1980, 1, 1, 0, 0, 0)
# Elements of HTML and of the manifest are the same in both versions.
_PLAIN = frozenset({"p", "br"})


def write_package(questions: Sequence[Filed], version: str, kept: Sequence[bytes] = ()) -> bytes:
    """A zip with an item for each question and a manifest; *kept* are items that came in and are not asked here, as they came.

    Of numbers that are drawn an example stands there; pictures, films and sound stay behind.
    """
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        names: list[tuple[str, Filed | None]] = []
        for number, one in enumerate(questions, 1):
            name = f"items/q{number:05d}.xml"
            archive.writestr(_entry(name), _xml(_item(one, f"q{number:05d}"), version))
            names.append((name, one))
        for number, body in enumerate(kept, 1):
            name = f"items/kept{number:05d}.xml"
            archive.writestr(_entry(name), body)
            names.append((name, None))
        archive.writestr(_entry("imsmanifest.xml"), _manifest(names, version))
    return out.getvalue()


def _entry(name: str) -> zipfile.ZipInfo:
    entry = zipfile.ZipInfo(name, _MADE)
    entry.compress_type = zipfile.ZIP_DEFLATED
    return entry


def _xml(root: Element, version: str) -> bytes:
    if version == "3.0":
        _hyphenate(root)
    root.set("xmlns", VERSIONS[version][0])
    return _written(root)


def _written(root: Element) -> bytes:
    body: bytes = tostring(root, encoding="utf-8")
    return b'<?xml version="1.0" encoding="UTF-8"?>\n' + body


def _hyphenate(root: Element) -> None:
    for element in root.iter():
        if element.tag not in _PLAIN:
            element.tag = f"qti-{_with_hyphens(element.tag)}"
        for key in list(element.attrib):
            if not key.startswith("xml"):
                element.set(_with_hyphens(key), element.attrib.pop(key))


def _with_hyphens(name: str) -> str:
    return re.sub(r"[A-Z]", lambda found: f"-{found[0].lower()}", name)


def _item(one: Filed, identifier: str) -> Element:
    raw = fill(one.raw, {row["name"]: str(_low(row)) for row in one.raw.get("drawn", ())})
    question = read_question(raw)
    root = Element(
        "assessmentItem",
        {
            "identifier": identifier,
            "title": " ".join(question.text.split())[:100],
            "adaptive": "false",
            "timeDependent": "false",
        },
    )
    _WRITERS[question.kind](root, question)
    return root


def _low(row: Mapping[str, str]) -> str:
    return row["low"].replace(",", ".").replace("−", "-")


def _declared(root: Element, cardinality: str, base: str, values: Sequence[str]) -> Element:
    declared = SubElement(
        root, "responseDeclaration", {"identifier": "RESPONSE", "cardinality": cardinality, "baseType": base}
    )
    if values:
        correct = SubElement(declared, "correctResponse")
        for value in values:
            SubElement(correct, "value").text = value
    return declared


def _mapped(declared: Element, entries: Sequence[tuple[str, float]], **more: str) -> None:
    mapping = SubElement(declared, "mapping", {"defaultValue": "0", **more})
    for key, value in entries:
        SubElement(mapping, "mapEntry", {"mapKey": key, "mappedValue": f"{value:g}"})


def _body(root: Element, question: Question) -> Element:
    SubElement(root, "outcomeDeclaration", {"identifier": "SCORE", "cardinality": "single", "baseType": "float"})
    body = SubElement(root, "itemBody")
    for line in question.text.split("\n"):
        SubElement(body, "p").text = line
    return body


def _judged(root: Element, template: str) -> None:
    SubElement(root, "responseProcessing", {"template": f"{_TEMPLATES}{template}"})


def _keys(count: int, letter: str = "A") -> list[str]:
    return [f"{letter}{number}" for number in range(1, count + 1)]


def _choice(root: Element, question: Question) -> None:
    if question.kind == Kind.TRUE_FALSE:
        choices = [("true", "", question.is_true), ("false", "", not question.is_true)]
        keys = ["true", "false"]
    else:
        choices = [(one.text, one.feedback, one.is_right) for one in question.choices]
        keys = _keys(len(choices))
    right = [key for key, (_, _, is_right) in zip(keys, choices, strict=True) if is_right]
    is_several = question.kind == Kind.SEVERAL
    declared = _declared(root, "multiple" if is_several else "single", "identifier", right)
    by_parts = is_several and not question.is_all_or_nothing
    if by_parts:
        each = 1 / len(right)
        _mapped(declared, [(key, each if key in right else -each) for key in keys], lowerBound="0", upperBound="1")
    body = _body(root, question)
    attributes = {
        "responseIdentifier": "RESPONSE",
        "shuffle": str(question.is_shuffled and question.kind != Kind.TRUE_FALSE).lower(),
        "maxChoices": "0" if is_several else "1",
    }
    asked = SubElement(body, "choiceInteraction", attributes)
    for key, (text, feedback, _) in zip(keys, choices, strict=True):
        choice = SubElement(asked, "simpleChoice", {"identifier": key})
        choice.text = text
        if feedback:
            told = {"outcomeIdentifier": "FEEDBACK", "identifier": key, "showHide": "show"}
            SubElement(choice, "feedbackInline", told).text = feedback
    _judged(root, "map_response" if by_parts else "match_correct")


def _order(root: Element, question: Question) -> None:
    keys = _keys(len(question.choices))
    _declared(root, "ordered", "identifier", keys)
    asked = SubElement(_body(root, question), "orderInteraction", {"responseIdentifier": "RESPONSE", "shuffle": "true"})
    for key, choice in zip(keys, question.choices, strict=True):
        SubElement(asked, "simpleChoice", {"identifier": key}).text = choice.text
    _judged(root, "match_correct")


def _match(root: Element, question: Question) -> None:
    lefts, rights = _keys(len(question.pairs), "L"), _keys(len(question.pairs), "R")
    pairs = [f"{left} {right}" for left, right in zip(lefts, rights, strict=True)]
    declared = _declared(root, "multiple", "directedPair", pairs)
    if not question.is_all_or_nothing:
        _mapped(declared, [(pair, 1 / len(pairs)) for pair in pairs])
    attributes = {"responseIdentifier": "RESPONSE", "shuffle": "true", "maxAssociations": str(len(pairs))}
    asked = SubElement(_body(root, question), "matchInteraction", attributes)
    for keys, side in ((lefts, 0), (rights, 1)):
        one = SubElement(asked, "simpleMatchSet")
        for key, pair in zip(keys, question.pairs, strict=True):
            SubElement(one, "simpleAssociableChoice", {"identifier": key, "matchMax": "1"}).text = pair[side]
    _judged(root, "match_correct" if question.is_all_or_nothing else "map_response")


def _number(root: Element, question: Question) -> None:
    assert question.number is not None
    _declared(root, "single", "float", [f"{float(question.number):.12g}"])
    last = _body(root, question).findall("p")[-1]
    SubElement(last, "textEntryInteraction", {"responseIdentifier": "RESPONSE"}).tail = f" {question.unit}".rstrip()
    tolerance = f"{float(question.tolerance):.12g}"
    condition = SubElement(SubElement(root, "responseProcessing"), "responseCondition")
    chosen = SubElement(condition, "responseIf")
    equal = SubElement(chosen, "equal", {"toleranceMode": "absolute", "tolerance": f"{tolerance} {tolerance}"})
    SubElement(equal, "variable", {"identifier": "RESPONSE"})
    SubElement(equal, "correct", {"identifier": "RESPONSE"})
    value = SubElement(
        SubElement(chosen, "setOutcomeValue", {"identifier": "SCORE"}), "baseValue", {"baseType": "float"}
    )
    value.text = "1"


def _text(root: Element, question: Question) -> None:
    declared = _declared(root, "single", "string", question.accepted[:1])
    mapping = SubElement(declared, "mapping", {"defaultValue": "0"})
    for text in question.accepted:
        SubElement(mapping, "mapEntry", {"mapKey": text, "mappedValue": "1", "caseSensitive": "false"})
    last = _body(root, question).findall("p")[-1]
    SubElement(last, "textEntryInteraction", {"responseIdentifier": "RESPONSE"})
    _judged(root, "map_response")


def _long(root: Element, question: Question) -> None:
    is_file = question.kind == Kind.FILE
    _declared(root, "single", "file" if is_file else "string", [question.model_answer] if question.model_answer else [])
    body = _body(root, question)
    if question.rubric:
        rubric = SubElement(body, "rubricBlock", {"view": "scorer"})
        for line in question.rubric.split("\n"):
            SubElement(rubric, "p").text = line
    SubElement(body, "uploadInteraction" if is_file else "extendedTextInteraction", {"responseIdentifier": "RESPONSE"})


_WRITERS: Mapping[Kind, Callable[[Element, Question], None]] = {
    Kind.ONE: _choice,
    Kind.SEVERAL: _choice,
    Kind.TRUE_FALSE: _choice,
    Kind.ORDER: _order,
    Kind.MATCH: _match,
    Kind.NUMBER: _number,
    Kind.TEXT: _text,
    Kind.LONG: _long,
    Kind.FILE: _long,
}


def _manifest(names: Sequence[tuple[str, Filed | None]], version: str) -> bytes:
    root = Element("manifest", {"xmlns": _MANIFEST, "identifier": "questions"})
    metadata = SubElement(root, "metadata")
    SubElement(metadata, "schema").text = "QTIv2.1 Package" if version == "2.1" else "QTI Package"
    SubElement(metadata, "schemaversion").text = "1.0.0" if version == "2.1" else "3.0.0"
    organizations = SubElement(root, "organizations")
    organizations.text = ""
    resources = SubElement(root, "resources")
    for number, (name, one) in enumerate(names, 1):
        attributes = {"identifier": f"r{number}", "type": VERSIONS[version][1], "href": name}
        resource = SubElement(resources, "resource", attributes)
        if one is not None and (words := list(_keywords(one))):
            general = SubElement(SubElement(SubElement(resource, "metadata"), "lom", {"xmlns": _METADATA}), "general")
            for word in words:
                SubElement(SubElement(general, "keyword"), "string").text = word
        SubElement(resource, "file", {"href": name})
    return _written(root)


def _keywords(one: Filed) -> Iterator[str]:
    """What a question is about, as keywords that say what they are."""
    yield from (f"{name}: {getattr(one, name)}" for name in ("topic", "difficulty", "skill") if getattr(one, name))
