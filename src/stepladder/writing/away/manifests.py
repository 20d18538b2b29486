"""The manifest of a package: SCORM 1.2 (CAM 1.2, section 2.3) and SCORM 2004 4th edition (CAM, section 3.4)."""

from __future__ import annotations

from collections.abc import Iterable
from xml.etree import ElementTree as ET

__all__ = ["manifest_1_2", "manifest_2004"]

_XSI = "http://www.w3.org/2001/XMLSchema-instance"
CP_1_2, ADL_1_2 = "http://www.imsproject.org/xsd/imscp_rootv1p1p2", "http://www.adlnet.org/xsd/adlcp_rootv1p2"
CP_2004, ADL_2004 = "http://www.imsglobal.org/xsd/imscp_v1p1", "http://www.adlnet.org/xsd/adlcp_v1p3"
_LOCATION_1_2 = f"{CP_1_2} imscp_rootv1p1p2.xsd {ADL_1_2} adlcp_rootv1p2.xsd"
_LOCATION_2004 = f"{CP_2004} imscp_v1p1.xsd {ADL_2004} adlcp_v1p3.xsd"


def manifest_1_2(*, key: str, title: str, files: Iterable[str]) -> bytes:
    """A manifest with one shareable content object, whose page is index.html; *files* are the paths of all others."""
    return _manifest("1.2", CP_1_2, ADL_1_2, "scormtype", _LOCATION_1_2, key=key, title=title, files=files)


def manifest_2004(*, key: str, title: str, files: Iterable[str]) -> bytes:
    """As of 1.2, by the later edition."""
    return _manifest(
        "2004 4th Edition", CP_2004, ADL_2004, "scormType", _LOCATION_2004, key=key, title=title, files=files
    )


def _manifest(
    edition: str, cp: str, adl: str, type_name: str, location: str, *, key: str, title: str, files: Iterable[str]
) -> bytes:
    # Prefixes are written as most readers expect them: the content package's names stand bare.
    root = ET.Element("manifest", {"identifier": f"lesson-{key}", "version": "1"})
    root.set("xmlns", cp)
    root.set("xmlns:adlcp", adl)
    root.set("xmlns:xsi", _XSI)
    root.set("xsi:schemaLocation", location)
    metadata = ET.SubElement(root, "metadata")
    ET.SubElement(metadata, "schema").text = "ADL SCORM"
    ET.SubElement(metadata, "schemaversion").text = edition
    organizations = ET.SubElement(root, "organizations", {"default": "lesson"})
    organization = ET.SubElement(organizations, "organization", {"identifier": "lesson"})
    ET.SubElement(organization, "title").text = title
    item = ET.SubElement(
        organization, "item", {"identifier": "page", "identifierref": "page-files", "isvisible": "true"}
    )
    ET.SubElement(item, "title").text = title
    resources = ET.SubElement(root, "resources")
    said = {"identifier": "page-files", "type": "webcontent", "href": "index.html", f"adlcp:{type_name}": "sco"}
    resource = ET.SubElement(resources, "resource", said)
    for path in ("index.html", *files):
        ET.SubElement(resource, "file", {"href": path})
    ET.indent(root)
    said_as: bytes = ET.tostring(root, encoding="utf-8", xml_declaration=True)
    return said_as
