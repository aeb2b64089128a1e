"""A carrier's record as XML that archives exchange: PBCore 2.1, PREMIS 3 and Dublin Core.

The structure of each is written from memory of its published description; no schema of theirs ships with the program, and nothing here is
called valid. A person's own schema can be given, and is then held against the document.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lxml import etree

from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.files import Located
from yomikomi.core.ledger.page_entry import CarrierPage
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.video.timecode import clock

PBCORE = "http://www.pbcore.org/PBCore/PBCoreNamespace.html"
PREMIS = "http://www.loc.gov/premis/v3"
_XSI = "http://www.w3.org/2001/XMLSchema-instance"
_OAI_DC, _DC = "http://www.openarchives.org/OAI/2.0/oai_dc/", "http://purl.org/dc/elements/1.1/"
_SOURCE = "yomikomi"


@dataclass(frozen=True)
class Described:
    """What a record is made of. ``located``: files of the carrier's takes and copies, in every place they lie in."""

    view: CarrierView
    page: CarrierPage
    located: Sequence[Located]

    @property
    def files(self) -> list[Located]:
        """Each once, where it is known from first."""
        first: dict[int, Located] = {}
        for one in self.located:
            first.setdefault(one.file_id, one)
        return list(first.values())


def pbcore(one: Described) -> bytes:
    """``pbcoreDescriptionDocument``: the work, the carrier as a physical instantiation, each file as a digital one."""
    view = one.view
    root = etree.Element(f"{{{PBCORE}}}pbcoreDescriptionDocument", nsmap={None: PBCORE})

    def put(parent: Any, name: str, words: str, **attributes: str) -> Any:
        made = etree.SubElement(parent, f"{{{PBCORE}}}{name}", attributes)
        made.text = _clean(words)
        return made

    put(root, "pbcoreAssetDate", view.created_at[:10], dateType="record created")
    put(root, "pbcoreIdentifier", view.label, source=_SOURCE)
    put(root, "pbcoreTitle", view.title or view.label)
    for tag in view.details.tags:
        put(root, "pbcoreSubject", tag)
    put(root, "pbcoreDescription", view.note or f"{kind_of(view.kind).words} {view.label}")
    held = etree.SubElement(root, f"{{{PBCORE}}}pbcoreInstantiation")
    put(held, "instantiationIdentifier", view.label, source=_SOURCE)
    put(held, "instantiationPhysical", kind_of(view.kind).words)
    put(held, "instantiationLocation", "on the shelf")
    if view.standard:
        put(held, "instantiationStandard", view.standard)
    put(held, "instantiationMediaType", "Moving Image")
    if view.nominal_seconds:
        put(held, "instantiationDuration", clock(view.nominal_seconds))
    for file in one.files:
        made = etree.SubElement(root, f"{{{PBCORE}}}pbcoreInstantiation")
        put(made, "instantiationIdentifier", file.path.name, source="file name")
        if file.sha256:
            put(made, "instantiationIdentifier", file.sha256, source="SHA-256")
        put(made, "instantiationDigital", _media_type(file.path))
        put(made, "instantiationLocation", file.place or "workspace")
        put(made, "instantiationMediaType", "Moving Image")
        put(made, "instantiationGenerations", "Master" if file.what == "take" else "Copy")
        put(made, "instantiationFileSize", str(file.size), unitsOfMeasure="bytes")
    if view.details.rights:
        rights = etree.SubElement(root, f"{{{PBCORE}}}pbcoreRightsSummary")
        put(rights, "rightsSummary", "Held, or copying is allowed, as the archive says.")
    return _bytes(root)


def premis(one: Described) -> bytes:
    """Objects with their fixity, and every entry of the page as an event."""
    root = etree.Element(f"{{{PREMIS}}}premis", nsmap={"premis": PREMIS, "xsi": _XSI}, version="3.0")

    def put(parent: Any, name: str, words: str | None = None) -> Any:
        made = etree.SubElement(parent, f"{{{PREMIS}}}{name}")
        if words is not None:
            made.text = _clean(words)
        return made

    for file in one.files:
        made = put(root, "object")
        made.set(f"{{{_XSI}}}type", "premis:file")
        named = put(made, "objectIdentifier")
        put(named, "objectIdentifierType", "SHA-256" if file.sha256 else "BLAKE3")
        put(named, "objectIdentifierValue", file.sha256 or file.content)
        known = put(made, "objectCharacteristics")
        for name, digest in (("SHA-256", file.sha256), ("BLAKE3", file.content)):
            if digest:
                fixity = put(known, "fixity")
                put(fixity, "messageDigestAlgorithm", name)
                put(fixity, "messageDigest", digest)
        put(known, "size", str(file.size))
        put(put(put(known, "format"), "formatDesignation"), "formatName", _media_type(file.path))
        put(made, "originalName", file.path.name)
        stored = put(put(made, "storage"), "contentLocation")
        put(stored, "contentLocationType", "place")
        put(stored, "contentLocationValue", file.place or "workspace")
    for number, entry in enumerate(one.page.entries, 1):
        event = put(root, "event")
        named = put(event, "eventIdentifier")
        put(named, "eventIdentifierType", "local")
        put(named, "eventIdentifierValue", f"{one.view.label}-{number:04d}")
        put(event, "eventType", entry.stage)
        put(event, "eventDateTime", entry.at)
        put(put(event, "eventDetailInformation"), "eventDetail", "; ".join((entry.head, *entry.lines)))
        if entry.mark:
            put(put(event, "eventOutcomeInformation"), "eventOutcome", entry.mark)
    return _bytes(root)


def dublin_core(one: Described) -> bytes:
    """The simple fifteen elements, in the wrapper of the protocol for metadata harvesting."""
    view = one.view
    root = etree.Element(f"{{{_OAI_DC}}}dc", nsmap={"oai_dc": _OAI_DC, "dc": _DC})
    rows = [
        ("title", view.title or view.label), *(("subject", tag) for tag in view.details.tags), ("description", view.note),
        ("date", view.created_at[:10]), ("type", "MovingImage"), ("format", kind_of(view.kind).words), ("identifier", view.label),
        *(("identifier", f"urn:sha256:{file.sha256}") for file in one.files if file.sha256),
        ("rights", "Held, or copying is allowed, as the archive says." if view.details.rights else ""),
    ]  # fmt: skip
    for name, words in rows:
        if words:
            etree.SubElement(root, f"{{{_DC}}}{name}").text = _clean(words)
    return _bytes(root)


XML_FORMS = {"pbcore": pbcore, "premis": premis, "dublin-core": dublin_core}


def check_by(content: bytes, schema: Path) -> list[str]:
    """What a person's own schema (XSD) objects to; empty: nothing. Raises WrongUseError for a schema that cannot be used.

    Neither the schema nor the document may reach for anything on the network.
    """
    parser = etree.XMLParser(no_network=True, resolve_entities=False, load_dtd=False)
    try:
        rules = etree.XMLSchema(etree.parse(str(schema), parser))
    except (etree.LxmlError, OSError) as error:
        words = f"{schema.name} is no schema that can be used: {error}."
        raise WrongUseError(words, remedy="Name an XSD file with all it includes.") from error
    document = etree.fromstring(content, parser)
    rules.validate(document)
    return [f"line {one.line}: {one.message}" for one in rules.error_log]


def _bytes(root: Any) -> bytes:
    made: bytes = etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)
    return made


def _clean(words: str) -> str:
    """Characters that XML 1.0 has none for become blanks."""
    return "".join(
        letter if letter in "\t\n" or " " <= letter <= "\ud7ff" or "\ue000" <= letter <= "\ufffd" or letter >= "\U00010000" else " "
        for letter in words
    )  # fmt: skip


_TYPES = {
    ".mkv": "video/x-matroska", ".mp4": "video/mp4", ".mov": "video/quicktime", ".avi": "video/x-msvideo", ".mpg": "video/mpeg",
}  # fmt: skip


def _media_type(path: Path) -> str:
    return _TYPES.get(path.suffix.lower(), "application/octet-stream")
