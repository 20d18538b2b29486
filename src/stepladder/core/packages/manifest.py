"""Reading imsmanifest.xml, SCORM 1.2 and SCORM 2004."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Any
from urllib.parse import unquote, urlsplit
from xml.etree.ElementTree import ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

from stepladder.core.packages.archive import ArchiveError

__all__ = ["Manifest", "Sco", "find_manifest", "parse_duration", "read_manifest"]

MANIFEST = "imsmanifest.xml"
# A duration that is longer as text than this is none.
LONGEST_DURATION = 40


@dataclass(frozen=True)
class Sco:
    """Something of a package that is launched: its address within the package, and what the package asks of it.

    *mastery* is a percentage (1.2) or a share (2004's minNormalizedMeasure) as written, *threshold* 2004's completion
    threshold; None where the package says nothing. *is_asset*: it does not talk to the run-time, so showing it does it.
    """

    key: str
    title: str
    href: str
    is_asset: bool = False
    mastery: Decimal | None = None
    threshold: Decimal | None = None
    launch_data: str = ""
    max_seconds: int | None = None


@dataclass(frozen=True)
class Manifest:
    """What a package says of itself. *standard* is "scorm12" or "scorm2004"."""

    standard: str
    title: str
    description: str
    minutes: int | None
    scos: tuple[Sco, ...]


def find_manifest(names: list[str]) -> str:
    """The folder that holds the manifest ("" or "course/"). Raises ArchiveError where there is none to be found."""
    if MANIFEST in names:
        return ""
    below = sorted((n for n in names if n.lower().rsplit("/", 1)[-1] == MANIFEST), key=lambda n: (n.count("/"), n))
    if not below:
        raise ArchiveError(
            "There is no imsmanifest.xml in this archive, so it is no SCORM package. If it is one, zip the folder that "
            "holds imsmanifest.xml."
        )
    if len(below) > 1 and below[0].count("/") == below[1].count("/"):
        raise ArchiveError(
            f"There are {len(below)} manifests in this archive. Upload each package as an archive of its own."
        )
    return below[0][: -len(MANIFEST)]


def read_manifest(xml: bytes, names: frozenset[str]) -> Manifest:
    """The manifest's content; *names* are the archive's files, relative to the manifest. Raises ArchiveError."""
    try:
        root = fromstring(xml, forbid_dtd=False, forbid_entities=True, forbid_external=True)
    except DefusedXmlException:
        raise ArchiveError(
            "imsmanifest.xml refers to entities outside itself, which is not opened. Export the package again."
        ) from None
    except ParseError as error:
        line, column = error.position
        raise ArchiveError(
            f"imsmanifest.xml is broken at line {line}, column {column + 1}. Export the package again."
        ) from None
    _strip_namespaces(root)
    standard = _standard(root)
    resources = {r.get("identifier"): r for r in root.iter("resource")}
    organisation = _organisation(root)
    scos = tuple(_scos(organisation, resources, names)) if organisation is not None else ()
    if not scos:
        scos = tuple(_loose(resources, names))
    if not scos:
        raise ArchiveError("The manifest names nothing that could be launched. Export the package again.")
    title = _text(organisation, "title") if organisation is not None else ""
    return Manifest(
        standard,
        title or _lom(root, "general/title") or scos[0].title or "Package",
        _lom(root, "general/description"),
        _minutes(root),
        scos,
    )


def parse_duration(text: str) -> float | None:
    """Seconds of an ISO 8601 duration ("PT1H30M5S") or a SCORM 1.2 timespan ("0001:30:05.00"); None if neither."""
    text = text.strip()
    if len(text) > LONGEST_DURATION:
        return None
    if match := re.fullmatch(r"(\d{2,4}):(\d{2}):(\d{2}(?:\.\d{1,2})?)", text):
        return int(match[1]) * 3600 + int(match[2]) * 60 + float(match[3])
    iso = r"P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:\.\d+)?)S)?)?"
    match = re.fullmatch(iso, text)
    if not match or text in ("P", "PT"):
        return None
    years, months, days, hours, minutes = (int(part or 0) for part in match.groups()[:5])
    return (((years * 365 + months * 30 + days) * 24 + hours) * 60 + minutes) * 60 + float(match[6] or 0)


def _strip_namespaces(root: Any) -> None:
    for element in root.iter():
        element.tag = str(element.tag).rsplit("}", 1)[-1]
        for name in list(element.attrib):
            if "}" in name:
                element.attrib[name.rsplit("}", 1)[-1]] = element.attrib.pop(name)


def _standard(root: Any) -> str:
    if root.tag != "manifest":
        raise ArchiveError("imsmanifest.xml holds something else than a manifest. Export the package again.")
    version = (_text(root, "metadata/schemaversion") or "").lower()
    if version.startswith(("2004", "cam 1.3", "1.3")):
        return "scorm2004"
    if not version and root.find(".//sequencing") is not None:
        return "scorm2004"
    return "scorm12"


def _organisation(root: Any) -> Any:
    holder = root.find("organizations")
    if holder is None:
        return None
    default = holder.get("default")
    found = [o for o in holder.findall("organization") if o.get("identifier") == default]
    return found[0] if found else holder.find("organization")


def _scos(node: Any, resources: dict[Any, Any], names: frozenset[str]) -> Iterator[Sco]:
    for item in node.findall("item"):
        reference = item.get("identifierref")
        if reference:
            resource = resources.get(reference)
            if resource is None:
                raise ArchiveError(f"The manifest refers to “{reference}”, which it does not list. Export it again.")
            if resource.get("href"):
                yield _sco(item, resource, names)
        yield from _scos(item, resources, names)


def _sco(item: Any, resource: Any, names: frozenset[str]) -> Sco:
    href = (resource.get("base") or "") + resource.get("href") + (item.get("parameters") or "")
    _check_launch(href, names)
    kind = (resource.get("scormtype") or resource.get("scormType") or "").lower()
    mastery = _text(item, "masteryscore") or _passing_measure(item)
    threshold = item.find("completionThreshold")
    minimum = None
    if threshold is not None:
        minimum = threshold.get("minProgressMeasure") or (threshold.text or "").strip() or None
    return Sco(
        key=item.get("identifier") or href,
        title=_text(item, "title") or "",
        href=href,
        is_asset=kind == "asset",
        mastery=_decimal(mastery),
        threshold=_decimal(minimum),
        launch_data=_text(item, "datafromlms") or _text(item, "dataFromLMS") or "",
        max_seconds=_whole_seconds(_text(item, "maxtimeallowed") or item.get("attemptAbsoluteDurationLimit") or ""),
    )


def _passing_measure(item: Any) -> str:
    """2004's passing score of the item itself, not of one below it; none unless it is satisfied by measure."""
    objective = item.find("sequencing/objectives/primaryObjective")
    if objective is None or (objective.get("satisfiedByMeasure") or "false").strip().lower() not in ("true", "1"):
        return ""
    # The standard's own default where the measure is not written.
    return _text(objective, "minNormalizedMeasure") or "1.0"


def _loose(resources: dict[Any, Any], names: frozenset[str]) -> Iterator[Sco]:
    """A manifest without an organisation: its launchable resources one after the other."""
    for key, resource in resources.items():
        if resource.get("href"):
            _check_launch(resource.get("href"), names)
            yield Sco(key=str(key), title="", href=resource.get("href"))


def _check_launch(href: str, names: frozenset[str]) -> None:
    address = urlsplit(href)
    if address.scheme or address.netloc:
        raise ArchiveError(
            f"The package is launched from another server ({address.netloc or address.scheme}), which would not be "
            "counted. Export it with its content inside."
        )
    path = unquote(address.path).removeprefix("./")
    if path not in names:
        raise ArchiveError(
            f"The file that starts the package, “{path}”, is not in the archive. Export the package again."
        )


def _text(node: Any, path: str) -> str:
    found = node.find(path) if node is not None else None
    return (found.text or "").strip() if found is not None else ""


def _lom(root: Any, path: str) -> str:
    lom = root.find("metadata/lom")
    found = lom.find(path) if lom is not None else None
    if found is None:
        return ""
    return " ".join(" ".join(found.itertext()).split())


def _minutes(root: Any) -> int | None:
    lom = root.find("metadata/lom")
    if lom is None:
        return None
    found = lom.find("educational/typicallearningtime")
    if found is None:
        found = lom.find("educational/typicalLearningTime")
    if found is None:
        return None
    for text in found.itertext():
        seconds = parse_duration(text)
        if seconds:
            return max(1, round(seconds / 60))
    return None


def _decimal(text: str | None) -> Decimal | None:
    try:
        number = Decimal(text) if text and len(text) <= 24 else None
    except InvalidOperation:
        return None
    return number if number is not None and number.is_finite() else None


def _whole_seconds(text: str) -> int | None:
    seconds = parse_duration(text)
    return int(seconds) if seconds else None
