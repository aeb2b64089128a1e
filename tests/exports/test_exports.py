"""Exports read back: everything exactly, packages by the library of their kind, XML by a schema written by hand, timelines, reports."""

from __future__ import annotations

import csv
import hashlib
import io
import shutil
from pathlib import Path
from typing import Any

import bagit
import numpy as np
import opentimelineio as otio
import pypdfium2
import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree
from sqlalchemy import text

from tests.ledger.conftest import record, workspace  # noqa: F401  the fixtures
from tests.ledger.done import Done, finish
from tests.making import sliding_frames, write_clip
from yomikomi.core.errors import UnreadableError, WrongUseError
from yomikomi.core.exports.bags import make_bag, read_bag
from yomikomi.core.exports.carrier_report import carrier_reports, write_reports
from yomikomi.core.exports.described import described
from yomikomi.core.exports.frame_sums import frame_sums
from yomikomi.core.exports.timeline import timeline_of
from yomikomi.core.exports.whole import _cell, _value, as_json, from_json, put_into, read_csv, whole_of, write_csv
from yomikomi.core.exports.xml_records import PBCORE, check_by, dublin_core, pbcore, premis
from yomikomi.core.fixity.digests import digests_of
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.schema import Base
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.looking.spots import Spot
from yomikomi.core.planning.intake import CarrierDetails, Intake
from yomikomi.core.reading.models import Reading
from yomikomi.core.video.media import open_media
from yomikomi.core.work import SilentReporter

_NOTE = '=HYPERLINK("x") <b>&amp; \u0007 "quoted",\r\nsecond line'


@pytest.fixture
def done(record: Record, tape_reading: Reading) -> Done:  # noqa: F811
    made = finish(record, "K-001", tape_reading, title="Lantern <parade> & 燈籠")
    details = CarrierDetails(rights=True, tags=("parade", "1993"))
    record.shelf.change(made.carrier, Intake(
        label="K-001", title="Lantern <parade> & 燈籠", kind="vhs", format="525i", note=_NOTE, details=details
    ))  # fmt: skip
    finish(record, "K-002", tape_reading, title="Kiln")
    for one in record.files.unhashed():
        record.files.add(one, digests_of(one.path), "disk A")
    record.looks.add(made.copies[0], Spot(1.0, "end"), "good", who="Mio")
    return made


def _rows(of: Record) -> dict[str, list[Any]]:
    with of.store.session() as session:
        return {
            name: [tuple(row) for row in session.execute(text(f"SELECT * FROM {name} ORDER BY 1"))]
            for name in [*(table.name for table in Base.metadata.sorted_tables), "finder"]
        }  # fmt: skip


@pytest.mark.parametrize("form", ["json", "csv"])
def test_everything_comes_back_exactly(record: Record, done: Done, tmp_path: Path, form: str) -> None:  # noqa: F811
    with record.store.session() as session:
        whole = whole_of(session, workspace="a" * 32)
    if form == "json":
        again = from_json(as_json(whole))
    else:
        write_csv(whole, tmp_path / "csv")
        again = read_csv(tmp_path / "csv")
    assert again == whole
    other = Workspace(tmp_path / "other")
    try:
        fresh = Record(other)
        assert put_into(again, fresh) > 20
        assert _rows(fresh) == _rows(record)
        with pytest.raises(WrongUseError, match="holds carriers already"):
            put_into(again, fresh)
    finally:
        other.close()


def test_a_spreadsheet_obeys_nothing_of_it(record: Record, done: Done, tmp_path: Path) -> None:  # noqa: F811
    with record.store.session() as session:
        write_csv(whole_of(session), tmp_path / "csv")
    for path in (tmp_path / "csv").glob("*.csv"):
        with path.open(newline="") as file:
            assert not [cell for row in csv.reader(file) for cell in row if cell.startswith(("=", "+", "@", "\t", "\r"))]


@given(st.none() | st.text(), st.none() | st.integers(-(2**60), 2**60), st.none() | st.floats(allow_nan=False))
def test_cells_come_back_as_they_went(words: str | None, number: int | None, value: float | None) -> None:
    columns = Base.metadata.tables["takes"].columns
    for given_, kind in ((words, columns.note.type), (number, columns.frames.type), (value, columns.seconds.type)):
        line = io.StringIO()
        csv.writer(line).writerow([_cell(given_)])
        (row,) = csv.reader(io.StringIO(line.getvalue(), newline="")) if line.getvalue().strip() else ([""],)
        if given_ is None or "\0" not in str(given_):
            assert _value(row[0] if row else "", kind) == given_


@pytest.mark.parametrize("content", [b"", b"{}", b"[1]", b'{"form": "yomikomi record", "revision": "9999", "workspace": "", "tables": {}}'])
def test_what_is_no_export_is_said_to_be_none(content: bytes, tmp_path: Path) -> None:
    with pytest.raises(WrongUseError, match="no export of a record"):
        from_json(content)
    with pytest.raises(WrongUseError, match="no export of a record"):
        read_csv(tmp_path)


def test_a_bag_is_one_and_comes_back_once(record: Record, done: Done, tmp_path: Path) -> None:  # noqa: F811
    before = {path: path.read_bytes() for path in (done.take_file, *done.copy_files)}
    made = make_bag(record, [done.carrier], tmp_path / "bag")
    assert (made.files, made.left) == (2, ())
    bag = bagit.Bag(str(tmp_path / "bag"))
    bag.validate()
    sums = {name: entry["sha256"] for name, entry in bag.payload_entries().items()}
    assert sums[f"data/takes/{done.take_file.name}"] == hashlib.sha256(before[done.take_file]).hexdigest()
    assert {path: path.read_bytes() for path in before} == before
    other = Workspace(tmp_path / "other")
    fresh = Record(other)
    told = read_bag(fresh, tmp_path / "bag")
    assert (told.carriers, told.takes, told.copies, told.missing) == (1, 1, 1, [])
    (view,) = fresh.carriers()
    assert view.take is not None
    assert view.take.path.read_bytes() == before[done.take_file]
    assert view.copies[0].file.read_bytes() == before[done.copy_files[0]]
    assert (view.reading, view.note) == (record.carrier(done.carrier).reading, _NOTE)
    assert read_bag(fresh, tmp_path / "bag").known == 1
    assert read_bag(record, tmp_path / "bag").known == 1  # what it was made of
    assert len(record.carriers()) == 2
    assert len(fresh.carriers()) == 1
    assert not list(other.folder.glob(".*making"))
    other.close()


def test_a_damaged_bag_and_a_damaged_file_are_told(record: Record, done: Done, tmp_path: Path) -> None:  # noqa: F811
    make_bag(record, [done.carrier], tmp_path / "bag", takes=False)
    inside = next((tmp_path / "bag" / "data" / "copies").iterdir())
    inside.write_bytes(inside.read_bytes()[:-1] + b"!")
    with pytest.raises(UnreadableError, match="no whole package"):
        read_bag(record, tmp_path / "bag")
    shutil.rmtree(tmp_path / "bag")
    done.copy_files[0].write_bytes(b"changed")
    made = make_bag(record, [done.carrier], tmp_path / "bag")
    assert made.left == (f"{done.copy_files[0].name}: it is not what was hashed; check it in the ledger",)
    assert made.files == 1


_SCHEMA = f"""<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="{PBCORE}" xmlns="{PBCORE}"
elementFormDefault="qualified">
<xs:element name="pbcoreDescriptionDocument"><xs:complexType><xs:sequence>
<xs:element name="pbcoreAssetDate"/><xs:element name="pbcoreIdentifier" maxOccurs="unbounded"/><xs:element name="pbcoreTitle"/>
<xs:element name="pbcoreSubject" minOccurs="0" maxOccurs="unbounded"/><xs:element name="pbcoreDescription"/>
<xs:element name="pbcoreInstantiation" maxOccurs="unbounded"><xs:complexType><xs:sequence>
<xs:element name="instantiationIdentifier" maxOccurs="unbounded"/><xs:choice><xs:element name="instantiationPhysical"/>
<xs:element name="instantiationDigital"/></xs:choice><xs:element name="instantiationLocation"/>
<xs:element name="instantiationStandard" minOccurs="0"/><xs:element name="instantiationMediaType"/>
<xs:element name="instantiationGenerations" minOccurs="0"/><xs:element name="instantiationFileSize" minOccurs="0"/>
<xs:element name="instantiationDuration" minOccurs="0"/></xs:sequence></xs:complexType></xs:element>
<xs:element name="pbcoreRightsSummary" minOccurs="0"/></xs:sequence></xs:complexType></xs:element></xs:schema>"""


def test_records_as_xml_hold_what_is_known_and_are_held_against_a_schema(record: Record, done: Done, tmp_path: Path) -> None:  # noqa: F811
    """The schema is our own, by hand, of the structure that PBCore 2.1 describes (from memory)."""
    told = described(record, done.carrier)
    root = etree.fromstring(pbcore(told))
    names = {"p": PBCORE}
    assert root.findtext("p:pbcoreTitle", namespaces=names) == "Lantern <parade> & 燈籠"
    assert "\u0007" not in (root.findtext("p:pbcoreDescription", namespaces=names) or "\u0007")
    digest = hashlib.sha256(done.take_file.read_bytes()).hexdigest()
    assert digest in root.xpath("//p:instantiationIdentifier[@source='SHA-256']/text()", namespaces=names)
    schema = tmp_path / "own.xsd"
    schema.write_text(_SCHEMA)
    assert check_by(pbcore(told), schema) == []
    assert check_by(dublin_core(told), schema)
    schema.write_text("<no schema/>")
    with pytest.raises(WrongUseError, match="no schema that can be used"):
        check_by(pbcore(told), schema)
    kept = etree.fromstring(premis(told))
    spaces = {"p": "http://www.loc.gov/premis/v3"}
    assert digest in kept.xpath("//p:fixity[p:messageDigestAlgorithm='SHA-256']/p:messageDigest/text()", namespaces=spaces)
    assert len(kept.xpath("//p:event", namespaces=spaces)) == len(told.page.entries)
    plain = etree.fromstring(dublin_core(told))
    assert f"urn:sha256:{digest}" in plain.xpath("//d:identifier/text()", namespaces={"d": "http://purl.org/dc/elements/1.1/"})


def test_a_timeline_opens_in_the_library_of_its_kind(record: Record, done: Done) -> None:  # noqa: F811
    opened: Any = otio.adapters.read_from_string(timeline_of(record, record.carrier(done.carrier)), "otio_json")
    names = [(track.name, [clip.name for clip in track]) for track in opened.tracks]
    recipe = record.carrier(done.carrier).copies[0].recipe.words
    assert names == [("take", [done.take_file.name]), (recipe, [done.copy_files[0].name])]
    assert [marker.name for marker in opened.tracks[1][0].markers] == ["good (end)"]
    empty = record.carrier(record.shelf.add(label="K-009", title="", kind="vhs"))
    with pytest.raises(WrongUseError, match="no take that was read"):
        timeline_of(record, empty)


def test_reports_say_all_and_obey_nothing(record: Record, done: Done, tmp_path: Path) -> None:  # noqa: F811
    write_clip(done.copy_files[0], sliding_frames(30))
    for number, name in enumerate(("one.html", "one.pdf")):
        carriers = [done.carrier] if not number else [view.id for view in record.carriers()]
        write_reports(carrier_reports(record, carriers), tmp_path / name, title="Kamome Bay")
    page = (tmp_path / "one.html").read_text()
    assert "Lantern &lt;parade&gt; &amp; 燈籠" in page
    assert "<parade>" not in page
    assert page.count("data:image/jpeg") == 4
    assert page.count("<svg") == 1  # what was measured over time
    assert hashlib.sha256(done.take_file.read_bytes()).hexdigest() in page
    document = pypdfium2.PdfDocument(tmp_path / "one.pdf")
    words = " ".join(page.get_textpage().get_text_range() for page in document)
    document.close()
    for part in ("Kamome Bay", "2 carriers", "K-002 Kiln", "K-001 added to the shelf", "1 of 1 check passed"):
        assert part in words, part
    with pytest.raises(WrongUseError, match="no kind of report"):
        write_reports([], tmp_path / "one.doc", title="x")


def test_sums_of_frames_are_those_of_what_is_decoded(tmp_path: Path) -> None:
    """Lossless in another container and codec: the same list. Another picture: another line, and only that."""
    frames = list(sliding_frames(8))
    lists = []
    for name, codec in (("a.mkv", "ffv1"), ("b.mkv", "libx264"), ("c.mkv", "ffv1")):
        shown = [*frames[:5], np.flip(frames[5], 1), *frames[6:]] if name == "c.mkv" else frames
        write_clip(tmp_path / name, shown, codec=codec, options={"qp": "0"} if codec == "libx264" else {})
        told = frame_sums(tmp_path / name, SilentReporter()).csv
        lists.append([row for row in csv.DictReader(io.StringIO(told)) if row["stream"] == "0"])
    sums = [[row["sha256"] for row in rows] for rows in lists]
    assert sums[0] == sums[1]
    assert [one == other for one, other in zip(sums[0], sums[2], strict=True)] == [True] * 5 + [False] + [True] * 2
    with open_media(tmp_path / "a.mkv") as container:
        first = next(container.decode(video=0)).to_ndarray()
    assert sums[0][0] == hashlib.sha256(np.ascontiguousarray(first).tobytes()).hexdigest()
