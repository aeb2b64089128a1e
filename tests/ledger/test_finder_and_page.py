"""Search over everything, one page a carrier, and doing it the same way again."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text

from tests.ledger.ages import open_old
from tests.ledger.done import capture, finish
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.finder import terms_of
from yomikomi.core.ledger.finder_tables import INDEXED
from yomikomi.core.ledger.page_entry import page_words
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.same_way import last_like, same_way
from yomikomi.core.ledger.sentences import account_row
from yomikomi.core.planning.intake import CarrierDetails, Condition, Intake
from yomikomi.core.reading.models import Reading


def _found(record: Record, words: str, **more: str) -> list[tuple[str, str]]:
    return [(hit.what, hit.label) for hit in record.finder.find(words, **more)]


def test_whatever_was_written_down_is_found(record: Record, tape_reading: Reading) -> None:
    done = finish(record, "K-001", tape_reading)
    other = record.shelf.add(label="K-002", title="Brennofen-Öffnung", kind="video8", note="Head-switching noise seen at home")
    record.history.note(other, "found on the path: S-Video carries no sound")
    record.readings.overrule(done.take, topic="scan", was="interlaced bff", now="interlaced tff", reason="the deck's manual says so")
    assert ("Carrier", "K-002") in _found(record, "brennofen offn")  # begun words, without accents
    assert _found(record, '"head switching"') == [("Carrier", "K-002")]
    assert _found(record, '"switching head"') == []
    assert _found(record, "s-video sound") == [("History", "K-002")]
    assert {what for what, _ in _found(record, "manual deck")} == {"Overruled", "History"}
    assert ("Copy", "K-001") in _found(record, "h264")
    assert ("Take", "K-001") in _found(record, "take01")
    assert {label for _, label in _found(record, "manual h264")} == {"K-001"}  # in two lines of one carrier
    assert _found(record, "manual brennofen") == []  # in two lines, of two carriers
    assert _found(record, "added", kind="video8") == [("History", "K-002")]
    record.shelf.change(other, Intake(label="K-002", title="Kiln opening", kind="video8"))
    assert _found(record, "brennofen") == []
    assert ("Carrier", "K-002") in _found(record, "kiln")
    record.shelf.remove(other)
    assert ("Carrier", "K-002") not in _found(record, "kiln")
    assert _found(record, '"K-002 taken off"') == [("History", "")]


@given(st.text(max_size=30))
def test_whatever_is_typed_is_searched_for_and_never_obeyed(words: str) -> None:
    try:
        asked = " AND ".join(terms_of(words))
    except WrongUseError:
        assert not any(letter.isalnum() for letter in words)
        return
    with sqlite3.connect(":memory:") as connection:
        connection.execute("CREATE VIRTUAL TABLE finder USING fts5(words)")
        connection.execute("INSERT INTO finder VALUES (?)", (words,))
        connection.execute("SELECT rowid FROM finder WHERE finder MATCH ?", (asked,)).fetchall()  # an error where it is no query
    connection.close()


def test_the_index_holds_what_the_tables_hold_whatever_was_done(record: Record, tape_reading: Reading, tmp_path: Path) -> None:
    finish(record, "K-001", tape_reading)
    finish(record, "K-002", tape_reading, qualities=(20, 24))
    record.takes.forget(record.takes.begin(record.shelf.add(label="K-003", title="x", kind="vhs", standard="525i"))[0])

    def words() -> list[tuple[int, str]]:
        with record.store.session() as session:
            return [tuple(row) for row in session.execute(text("SELECT rowid, words FROM finder ORDER BY rowid"))]

    kept = words()
    with record.store.session() as session:
        session.execute(text("DELETE FROM finder"))
        for one in INDEXED:
            session.connection().exec_driver_sql(one.fill)
    assert words() == kept
    old = open_old(tmp_path / "old", "0005")
    try:
        assert Record(old).finder.find("added")
    finally:
        old.close()


def test_a_page_tells_all_from_intake_to_the_copies_in_order(record: Record, tape_reading: Reading) -> None:
    done = finish(record, "K-001", tape_reading)
    details = CarrierDetails(rights=True, condition=Condition(looked=True), tags=("parade",), wanted=("archive",))
    record.shelf.change(done.carrier, Intake(label="K-001", title="Lantern parade", kind="vhs", format="525i", details=details))
    record.readings.overrule(done.take, topic="sync", was="in step", now="40 ms late", reason="seen")
    page = record.pages.of(done.carrier)
    assert sorted(one.stage for one in page.entries) == ["capture", "reading", "reading", "run", "shelf", "treatment"]
    assert [one.at for one in page.entries] == sorted(one.at for one in page.entries)
    words = page_words(page)
    for part in (
        "K-001  Lantern parade", "Looked at, fine", "We hold the rights", "Tags: parade", "Captured: take 1, whole", "1 frame late",
        "Read: Interlaced, bottom field first", "1 of 1 check passed", "predicted 1.00 MB, 900 kB to 1.10 MB (90 % interval)",
        "Overruled: sync, in step → 40 ms late", "fidelity: predicted barely visible (42.0 dB), actual barely visible (41.2 dB)",
    ):  # fmt: skip
        assert part in words, part
    assert page.history[0].words.startswith("sync overruled")
    with pytest.raises(WrongUseError, match="not in this workspace"):
        record.pages.of(999)


def test_a_damaged_row_costs_its_own_entry(record: Record, tape_reading: Reading) -> None:
    done = finish(record, "K-001", tape_reading)
    with record.store.session() as session:
        session.execute(text("UPDATE treatments SET treatment = '[1, 2'"))
        session.execute(text("UPDATE readings SET document = '{}'"))
    record.store.maker.readings.clear()
    assert [one.stage for one in record.pages.of(done.carrier).entries] == ["shelf", "capture", "run"]


def test_the_same_way_takes_over_what_can_be_and_asks_about_the_rest(record: Record, tape_reading: Reading) -> None:
    done = finish(record, "K-001", tape_reading, qualities=(20, 26))
    past = record.carrier(done.carrier)
    capture(record, "K-009", kind="video8")
    carrier, take, _ = capture(record, "K-002")
    assert last_like(record, record.carrier(carrier)) == past
    assert "read it" in same_way(record, record.carrier(carrier), past).later
    record.readings.save(take, tape_reading)
    made = same_way(record, record.carrier(carrier), past)
    view = record.carrier(carrier)
    assert (made.differences, view.treatment) == ((), past.treatment)
    assert [copy.recipe for copy in view.copies] == [copy.recipe for copy in past.copies]
    assert [copy.state for copy in view.copies] == ["waiting", "waiting"]
    third, other, _ = capture(record, "K-003")
    scan = tape_reading.scan.model_copy(update={"kind": "progressive", "field_order": None})
    record.readings.save(other, tape_reading.model_copy(update={"scan": scan}))
    asked = same_way(record, record.carrier(third), past)
    assert [one.topic for one in asked.differences] == ["scan"]
    assert not record.carrier(third).copies
    with pytest.raises(WrongUseError, match="itself"):
        same_way(record, past, past)


def test_before_the_capture_the_codec_is_taken_over(record: Record, tape_reading: Reading) -> None:
    settings = record.settings.capture()
    past = record.shelf.add(label="K-001", title="", kind="vhs", standard="525i", source={"kind": "tape player"})
    take, path = record.takes.begin(past, RecordAs(codec="h264_high", mbps=20))
    path.write_bytes(b"x")
    fresh = record.carrier(record.shelf.add(label="K-002", title="", kind="vhs", standard="525i"))
    assert settings.record_as.codec == "ffv1"
    assert "recorded as H.264" in same_way(record, fresh, record.carrier(past)).done[0]
    assert record.settings.capture().record_as.codec == "h264_high"
    assert take


def test_fidelity_is_accounted_for_by_codec_kind_and_machine_and_older_copies_say_nothing(record: Record, tape_reading: Reading) -> None:
    finish(record, "K-001", tape_reading, qualities=(20, 24))
    older = finish(record, "K-002", tape_reading, kind="video8")
    with record.store.session() as session:  # made before fidelity was measured
        session.execute(text("UPDATE copies SET result = json_remove(result, '$.detail') WHERE id = :id"), {"id": older.copies[0]})
    (by_codec,) = record.lessons.accounts()
    assert (by_codec.copies, by_codec.compared, by_codec.steps_held) == (3, 2, 2)
    assert by_codec.detail_error == pytest.approx(0.8)
    assert account_row(by_codec)[4] == "0.8 dB, 2 of 2 no worse"
    by_kind = {one.group: account_row(one, "material")[4] for one in record.lessons.accounts("material")}
    assert by_kind == {"vhs": "0.8 dB, 2 of 2 no worse", "video8": "not measured"}
