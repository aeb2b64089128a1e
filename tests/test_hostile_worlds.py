"""A dozen of the kills of ``make torture``, some hundreds of the damaged files of ``make fuzz``, and what is too rare for chance."""

from __future__ import annotations

import struct
import time
from pathlib import Path

import pytest

from tests import fuzzing, torture
from yomikomi.core.capture.marks import Clip, Mark, as_csv, clips_of, marks_document, name_clips
from yomikomi.core.disc.tables import Bytes, read_title_set
from yomikomi.core.errors import UnfinishedError, UnreadableError, WrongUseError
from yomikomi.core.planning.intake import Intake
from yomikomi.core.planning.inventory import match_columns, read_table, take_in, write_table
from yomikomi.core.video.rates import KNOWN_RATES
from yomikomi.core.work import Job, Reporter
from yomikomi.core.work.defects import defect
from yomikomi.core.work.text import from_spreadsheet_cell, printable, spreadsheet_cell
from yomikomi.sim.disc.maker import make_disc
from yomikomi.sim.disc.spec import LAYOUTS


def test_kills_at_random_moments_lose_nothing(tmp_path: Path) -> None:
    assert sum(torture.run(3, 5, tmp_path, nights=False).values()) == 3


def test_damaged_bytes_are_a_result_or_one_clear_line() -> None:
    outcome = fuzzing.run(0, 126)
    assert outcome.wrong == []
    assert outcome.ends["result"] + outcome.ends["refused"] == 126
    assert outcome.ends["result"] > 12, "some are still read"
    assert outcome.largest_mb < 1500


def test_a_table_made_to_keep_its_reader_busy_is_refused_soon(tmp_path: Path) -> None:
    """999 chains of 255 cells took 5 s a title set."""
    make_disc(LAYOUTS["lessons"](seconds=0.5, seed=1, standard="525i"), tmp_path / "disc", lambda _part: None)
    raw = bytearray((tmp_path / "disc" / "VIDEO_TS" / "VTS_01_0.IFO").read_bytes())
    start = struct.unpack_from(">I", raw, 0xCC)[0] * 2048
    first = struct.unpack_from(">I", raw, start + 12)[0]
    table = bytearray(8 + 8 * 999)
    struct.pack_into(">H", table, 0, 999)
    for place in range(999):
        struct.pack_into(">I", table, 8 + 8 * place + 4, len(table))
    chain = bytearray(raw[start + first : start + first + 0xEC]) + bytes(24 * 255 + 255)
    chain[2:4] = bytes([1, 255])
    struct.pack_into(">HH", chain, 0xE6, 0xEC, 0xEC + 1)
    began = time.monotonic()
    with pytest.raises(UnreadableError, match="more than 4000 cells"):
        read_title_set(Bytes("VTS_01_0.IFO", bytes(raw[:start] + table + chain)), 1)
    assert time.monotonic() - began < 2


def _sleeps(seconds: float, _reporter: Reporter) -> None:
    time.sleep(seconds)


@pytest.mark.alone
def test_work_on_foreign_data_has_a_time_limit() -> None:
    job = Job(_sleeps, 30.0, name="looking into a disc", limit=1.0).start().wait(15)
    with pytest.raises(UnfinishedError, match="looking into a disc took longer than 1 s"):
        job.answer()


FORMULAS = ("=1+1", "+1", "-1", "@x", "\tx", "\r=1", "'=1", "''=1", "'quoted", "plain", "", "a=b")


@pytest.mark.parametrize("words", FORMULAS)
def test_no_cell_leaves_as_a_formula_and_all_come_back(tmp_path: Path, words: str) -> None:
    assert from_spreadsheet_cell(spreadsheet_cell(words)) == words
    assert spreadsheet_cell(words)[:1] not in {"=", "+", "-", "@", "\t", "\r"}
    path = tmp_path / "table.csv"
    path.write_text(write_table([Intake(label="K-1", title=words, kind="vhs", note=words)]), encoding="utf-8")
    table = read_table(path)
    assert all(cell[:1] not in {"=", "+", "-", "@", "\t"} for row in table.rows for cell in row)
    if words == words.strip():
        (made,) = take_in(table, match_columns(table.headings)).intakes
        assert (made.title, made.note) == (words, words)
    document = marks_document("a", KNOWN_RATES[0], 10, "00:00:00:00", [Mark(frame=1, label=words)], clips_of([], 10))
    assert spreadsheet_cell(words) in as_csv(document).replace('""', '"')


REACHING = (
    "{label.__class__}", "{number.real}", "{label!r}", "{number:>99999999}", "{title:99999999}", "{0}", "{label", "{number:{number}}",
)  # fmt: skip


@pytest.mark.parametrize("pattern", REACHING)
def test_patterns_reach_nothing_but_their_facts(pattern: str) -> None:
    from datetime import UTC, datetime

    clip = Clip(first=0, end=5, name="x", label="kiln")
    how = {"label": "K-1", "title": "Opening", "rate": KNOWN_RATES[0], "day": datetime(2026, 1, 2, tzinfo=UTC)}
    with pytest.raises(WrongUseError, match="cannot be filled in"):
        name_clips([clip], pattern, **how)  # type: ignore[arg-type]
    (named,) = name_clips([clip], "{label} {title} {number:03} {mark} {day} {{x}}", **how)  # type: ignore[arg-type]
    assert named.name == "K-1 Opening 001 kiln 2026-01-02 {x}"


def test_what_a_terminal_would_obey_is_not_shown() -> None:
    assert printable("tape\x1b[2J\x07\u202egpj\udcff.mkv") == "tape\ufffd[2J\ufffd\ufffdgpj\ufffd.mkv"
    assert printable("浜の祭り – 3\u202f000 × “x”\n\ttab") == "浜の祭り – 3\u202f000 × “x”\n\ttab"


def test_a_defect_says_where_its_description_lies(tmp_path: Path) -> None:
    with pytest.raises(KeyError) as caught:
        {}["lost"]
    told = defect(caught.value, "reading")
    log = Path(str(told).rsplit("lies in ", 1)[1].rstrip("."))
    assert "KeyError: 'lost'" in log.read_text()
    assert "Traceback" in log.read_text()
