"""Reading imsmanifest.xml, SCORM 1.2 and SCORM 2004."""

from __future__ import annotations

import posixpath
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any
from urllib.parse import quote, unquote, urlsplit, urlunsplit
from xml.etree.ElementTree import ParseError

from defusedxml import DefusedXmlException, EntitiesForbidden
from defusedxml.ElementTree import fromstring

from stepladder.core.numbers import exact_number
from stepladder.core.packages.archive import ArchiveError
from stepladder.core.packages.names import match_name

__all__ = ["Manifest", "Sco", "file_names", "find_manifest", "parse_duration", "read_manifest"]

MANIFEST = "imsmanifest.xml"
OUTSIDE = "imsmanifest.xml refers to entities outside itself, which is not opened. Export the package again."
# A duration that is longer as text than this is none.
LONGEST_DURATION = 40
# Nothing that is taught takes ten years: what says so has gone wrong, and would be no number that is kept.
MOST_SECONDS = 10 * 365 * 24 * 3600
# And a rule of what comes first.
LONGEST_RULE = 2000


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
    # The titles of the chapters it is in, from the top; and what 1.2 asks to be done before ("intro&safety").
    chapters: tuple[str, ...] = ()
    prerequisites: str = ""
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
    """The manifest's path ("imsmanifest.xml", "course/imsmanifest.xml", in whatever case). Raises ArchiveError where there is none."""
    below = sorted((n for n in names if n.lower().rsplit("/", 1)[-1] == MANIFEST), key=lambda n: (n.count("/"), n))
    if not below:
        raise ArchiveError(_what_it_is(names))
    if len(below) > 1 and below[0].count("/") == below[1].count("/") and MANIFEST not in names:
        raise ArchiveError(
            f"There are {len(below)} manifests in this archive. Upload each package as an archive of its own."
        )
    return MANIFEST if MANIFEST in names else below[0]


def _what_it_is(names: list[str]) -> str:
    """What an archive without a manifest is, and what to do."""
    files = {name.lower().rsplit("/", 1)[-1] for name in names}
    endings = {name.rsplit(".", 1)[-1] for name in files if "." in name}
    if "cmi5.xml" in files:
        return "This is a cmi5 package, which is not played here yet. Export it as SCORM 2004 or 1.2."
    if "tincan.xml" in files:
        return "This package speaks xAPI only, which is not played here. Export it as SCORM 2004 or 1.2."
    if {"au", "crs"} <= endings:
        return "This is an AICC course, which is not played here. Export it as SCORM 1.2 or 2004."
    if {"index.html", "index.htm"} & files:
        return (
            "There is no imsmanifest.xml in this archive: it is a web page and tells nothing of how far one is. Export it as "
            "SCORM 1.2 or 2004; or, if it is SCORM, zip the folder that holds imsmanifest.xml."
        )
    return (
        "There is no imsmanifest.xml in this archive, so it is no SCORM package. If it is one, zip the folder that "
        "holds imsmanifest.xml."
    )


def read_manifest(xml: bytes, names: frozenset[str]) -> Manifest:
    """The manifest's content; *names* are the archive's files, relative to the manifest. Raises ArchiveError."""
    root = _parsed(xml)
    standard = _standard(root)
    resources = {r.get("identifier"): r for r in root.iter("resource")}
    base = _base(root) + _base(root.find("resources"))
    organisation = _organisation(root)
    found = list(_scos(organisation, resources, base)) if organisation is not None else []
    scos, faults = _launchable(found or list(_loose(resources, base)), names)
    if faults:
        raise ArchiveError.of_all(faults)
    if not scos:
        raise ArchiveError("The manifest names nothing that could be launched. Export the package again.")
    title = _text(organisation, "title") if organisation is not None else ""
    return Manifest(
        standard,
        title or _lom(root, "general/title") or scos[0].title or "Package",
        _lom(root, "general/description"),
        _minutes(root),
        tuple(scos),
    )


def file_names(xml: bytes) -> list[str]:
    """The files that a manifest lists, as it writes them: they tell which code page an archive's names are in. Raises ArchiveError."""
    root = _parsed(xml)
    base = _base(root) + _base(root.find("resources"))
    listed = [(base + _base(r), f.get("href") or "") for r in root.iter("resource") for f in [r, *r.findall("file")]]
    return [unquote(urlsplit(before + href).path).removeprefix("./") for before, href in listed if href]


def _parsed(xml: bytes) -> Any:
    """The manifest as a tree, without namespaces. Raises ArchiveError."""
    try:
        root = fromstring(_as_text(xml), forbid_dtd=False, forbid_entities=True, forbid_external=True)
    except EntitiesForbidden as error:
        if error.sysid or error.pubid:
            raise ArchiveError(OUTSIDE) from None
        raise ArchiveError(
            f"imsmanifest.xml defines an entity of its own (“{error.name}”), which is not expanded: write out what it stands for, "
            "or export the package again."
        ) from None
    except DefusedXmlException:
        raise ArchiveError(OUTSIDE) from None
    except ParseError as error:
        line, column = error.position
        raise ArchiveError(
            f"imsmanifest.xml is broken at line {line}, column {column + 1}. Export the package again."
        ) from None
    _strip_namespaces(root)
    return root


_DECLARED = re.compile(r"""^\ufeff?\s*<\?xml[^>]*?(\sencoding\s*=\s*["']([A-Za-z0-9._-]{1,40})["'])[^>]*\?>""")


def _as_text(xml: bytes) -> str:
    """The manifest as text, in whatever code page it says, or is: the parser itself knows few. Raises ArchiveError."""
    head = xml[:400].decode("utf-16" if xml[:2] in (b"\xff\xfe", b"\xfe\xff") else "latin-1", "replace")
    declared = _DECLARED.match(head.removeprefix("\xef\xbb\xbf"))
    pages = [declared[2]] if declared else []
    if xml.startswith((b"\xff\xfe", b"\xfe\xff")):
        pages = ["utf-16"]
    for page in [*pages, "utf-8-sig", "cp1252"]:
        try:
            text = xml.decode("utf-8-sig" if page.lower() in ("utf-8", "utf8") else page)
        except (UnicodeDecodeError, LookupError):
            continue
        # It is decoded already: what it says of its encoding would be taken for true once more.
        return re.sub(r"^\s*<\?xml.*?\?>", "", text.lstrip("\ufeff"), count=1, flags=re.DOTALL)
    raise ArchiveError("imsmanifest.xml is written in letters that cannot be read. Export the package again, in UTF-8.")


def _base(element: Any) -> str:
    """What an element puts before the addresses in it (xml:base)."""
    return (element.get("base") or "") if element is not None else ""


def parse_duration(text: str) -> float | None:
    """Seconds of an ISO 8601 duration ("PT1H30M5S") or a SCORM 1.2 timespan ("0001:30:05.00"); None if neither, or of ten years."""
    text = text.strip()
    if len(text) > LONGEST_DURATION:
        return None
    seconds = _duration(text)
    return seconds if seconds is not None and seconds < MOST_SECONDS else None


def _duration(text: str) -> float | None:
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


def _scos(node: Any, resources: dict[Any, Any], base: str, chapters: tuple[str, ...] = ()) -> Iterator[Sco | str]:
    """What is launched, from top to bottom, each with its chapters; a sentence where an item refers to nothing."""
    for item in node.findall("item"):
        reference = item.get("identifierref")
        if reference:
            resource = resources.get(reference)
            if resource is None:
                yield f"The manifest refers to “{reference}”, which it does not list. Export it again."
            elif resource.get("href"):
                yield _sco(item, resource, base, chapters)
        yield from _scos(item, resources, base, (*chapters, _text(item, "title")))


def _sco(item: Any, resource: Any, base: str, chapters: tuple[str, ...]) -> Sco:
    href = _with_parameters(base + _base(resource) + resource.get("href"), item.get("parameters") or "")
    kind = (resource.get("scormtype") or resource.get("scormType") or "").lower()
    mastery = _text(item, "masteryscore") or _passing_measure(item)
    return Sco(
        key=item.get("identifier") or href,
        title=_text(item, "title") or "",
        href=href,
        is_asset=kind == "asset",
        chapters=tuple(title for title in chapters if title),
        prerequisites=_text(item, "prerequisites")[:LONGEST_RULE],
        mastery=_decimal(mastery),
        threshold=_decimal(_completing_measure(item)),
        launch_data=_text(item, "datafromlms") or _text(item, "dataFromLMS") or "",
        max_seconds=_whole_seconds(_text(item, "maxtimeallowed") or item.get("attemptAbsoluteDurationLimit") or ""),
    )


def _with_parameters(href: str, parameters: str) -> str:
    """An address with an item's parameters, written with their "?" or without (SCORM CAM 3.4.1.5)."""
    rest = parameters.strip().lstrip("?&")
    if not rest:
        return href
    if rest.startswith("#"):
        return href if "#" in href else href + rest
    address, sign, fragment = href.partition("#")
    return address + ("&" if "?" in address else "?") + rest + sign + fragment


def _launchable(found: Sequence[Sco | str], names: frozenset[str]) -> tuple[list[Sco], list[str]]:
    """What can be launched, by the names that the archive has; and what is wrong with the rest."""
    scos, faults = [], []
    for one in found:
        sco = one if isinstance(one, str) else _located(one, names)
        if isinstance(sco, str):
            faults.append(sco)
        else:
            scos.append(sco)
    return scos, faults


def _located(sco: Sco, names: frozenset[str]) -> Sco | str:
    """A sco with its file's name as the archive has it; a sentence where there is none."""
    address = urlsplit(sco.href)
    if address.scheme or address.netloc:
        return (
            f"The package is launched from another server ({address.netloc or address.scheme}), which would not be "
            "counted. Export it with its content inside."
        )
    path = posixpath.normpath(unquote(address.path.replace("\\", "/"))).lstrip("/")
    name = match_name(path, names)
    if name is None:
        return f"The file that starts “{sco.title or 'the package'}”, “{path}”, is not in the archive. Export the package again."
    if unquote(address.path).removeprefix("./") == name:
        return sco
    return replace(sco, href=urlunsplit(("", "", quote(name), address.query, address.fragment)))


def _passing_measure(item: Any) -> str:
    """2004's passing score of the item itself, not of one below it; none unless it is satisfied by measure."""
    objective = item.find("sequencing/objectives/primaryObjective")
    if objective is None or not _says(objective, "satisfiedByMeasure"):
        return ""
    # The standard's own default where the measure is not written.
    return _text(objective, "minNormalizedMeasure") or "1.0"


def _completing_measure(item: Any) -> str:
    """2004's progress that completes an item: text up to the third edition; since then an attribute, if it is completed by measure."""
    threshold = item.find("completionThreshold")
    if threshold is None:
        return ""
    if threshold.text and threshold.text.strip():
        return str(threshold.text)
    if not _says(threshold, "completedByMeasure"):
        return ""
    # The standard's own default where the measure is not written.
    return threshold.get("minProgressMeasure") or "1.0"


def _says(element: Any, name: str) -> bool:
    """Whether an attribute is true, as XML writes it."""
    return (element.get(name) or "").strip().lower() in ("true", "1")


def _loose(resources: dict[Any, Any], base: str) -> Iterator[Sco | str]:
    """A manifest without an organisation: its launchable resources one after the other."""
    for key, resource in resources.items():
        if resource.get("href"):
            yield Sco(key=str(key), title="", href=base + _base(resource) + resource.get("href"))


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


def _decimal(text: str) -> Decimal | None:
    """A score or measure as it is written; None where it is none, or no number of bounded size ("1e999999999")."""
    return Decimal(text.strip()) if exact_number(text) is not None else None


def _whole_seconds(text: str) -> int | None:
    seconds = parse_duration(text)
    return int(seconds) if seconds else None
