"""Marks, clips, names and their exports; cutting, joining and merging without encoding anew; looking back."""

from __future__ import annotations

import csv
import io
import itertools
import json
from dataclasses import replace
from datetime import UTC, datetime
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import opentimelineio as otio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.capture.making import SMALL, WHOLE, all_of, captured, heard, lumas, record
from yomikomi.core.capture import ring as ring_module
from yomikomi.core.capture.alternates import MergeRequest, merge_alternates
from yomikomi.core.capture.cutting import JoinPiecesRequest, Piece, join_pieces, safe_first
from yomikomi.core.capture.marks import Mark, as_csv, as_json, as_timeline, clips_of, marks_document, name_clips
from yomikomi.core.capture.recorder import Recorder
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.ring import Keep, RingRules, pieces_of
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.errors import CancelledError, UnfinishedError, UnreadableError, WrongUseError
from yomikomi.core.video.media import probe
from yomikomi.core.work import SilentReporter

_RATE = Fraction(30000, 1001)
_marks = st.builds(Mark, frame=st.integers(0, 120), kind=st.sampled_from(["mark", "in", "out", "split"]), label=st.text(max_size=4))


@given(st.lists(_marks, max_size=12))
def test_clips_lie_in_the_take_in_order_and_never_overlap(marks: list[Mark]) -> None:
    clips = clips_of(marks, 100)
    assert all(0 <= clip.first < clip.end <= 100 for clip in clips)
    ordered = sorted(clips, key=lambda clip: clip.first)
    outs = sum(mark.kind == "out" for mark in marks)
    if outs <= 1:
        assert all(one.end <= two.first for one, two in itertools.pairwise(ordered))
    assert clips_of(reversed(marks), 100) == clips or len({mark.frame for mark in marks}) < len(marks)


def test_ins_outs_and_splits_make_the_clips_a_person_means() -> None:
    def spans(*marks: tuple[int, str]) -> list[tuple[int, int]]:
        return [(clip.first, clip.end) for clip in clips_of([Mark(frame=f, kind=k) for f, k in marks], 100)]  # type: ignore[arg-type]

    assert spans() == []
    assert spans((10, "mark")) == []
    assert spans((10, "in"), (20, "out")) == [(10, 20)]
    assert spans((10, "in")) == [(10, 100)]
    assert spans((30, "out")) == [(0, 30)]
    assert spans((10, "in"), (40, "in"), (50, "out")) == [(10, 40), (40, 50)]
    assert spans((60, "split")) == [(0, 60), (60, 100)]
    assert spans((10, "in"), (15, "split"), (20, "out"), (50, "split")) == [(10, 15), (15, 20)]
    assert spans((10, "in"), (10, "out")) == []


def test_names_at_once_by_a_pattern() -> None:
    clips = clips_of([Mark(frame=0, kind="in", label="kiln"), Mark(frame=30, kind="split", label="fire")], 90)
    day = datetime(2026, 11, 25, tzinfo=UTC)
    known = {"label": "K-002", "title": "Kiln opening", "rate": _RATE, "day": day}
    assert [clip.name for clip in name_clips(clips, "{label} {number:03} {mark}", **known)] == ["K-002 001 kiln", "K-002 002 fire"]
    assert name_clips(clips, "{title} {day} {start}", **known)[1].name == "Kiln opening 2026-11-25 00001"
    assert name_clips(clips, "  ", **known)[0].name == "clip 1"
    for wrong in ("{nothing}", "{number:q}", "{", "{label.__class__}", "{0}"):
        with pytest.raises(WrongUseError, match="pattern"):
            name_clips(clips, wrong if wrong != "{label.__class__}" else "{label.none}", **known)


def test_exports_are_read_back_by_others() -> None:
    marks = [Mark(frame=10, kind="in", label="=1+1"), Mark(frame=40, label="good"), Mark(frame=70, kind="out")]
    document = marks_document("take.mkv", _RATE, 100, "01:00:00;00", marks, clips_of(marks, 100))
    table = list(csv.reader(io.StringIO(as_csv(document))))
    assert table[0][0] == "kind"
    assert table[-1] == ["clip", "'=1+1", "10", "70", "01:00:00;10", "01:00:02;10", "2.002"]
    assert table[2][:4] == ["mark", "good", "40", "40"]
    assert json.loads(as_json(document))["clips"][0]["end"] == 70
    timeline = otio.adapters.read_from_string(as_timeline(document), "otio_json")
    clip = timeline.tracks[0][0]
    assert isinstance(clip, otio.schema.Clip)
    assert clip.source_range.duration == otio.opentime.RationalTime(60, 30000 / 1001)
    begin = otio.opentime.from_timecode("01:00:00;10", 30000 / 1001)
    assert clip.source_range.start_time.to_frames() == begin.to_frames()
    assert [marker.name for marker in clip.markers] == ["good"]
    assert timeline.duration().to_frames() == 60
    whole = marks_document("take.mkv", Fraction(25), 50, "00:00:00:00", [], [])
    assert len(otio.adapters.read_from_string(as_timeline(whole), "otio_json").tracks[0]) == 1


@pytest.mark.parametrize(("codec", "cut"), [("ffv1", (13, 41)), ("rdd36_hq", (7, None)), ("utvideo", (1, 2)), ("uncompressed", (0, 5))])
def test_a_take_is_cut_at_any_picture_to_the_sample(codec: str, cut: tuple[int, int | None], tmp_path: Path) -> None:
    how = RecordAs(codec=codec)
    take = record(SMALL, tmp_path / f"take{how.suffix(8)}", how)
    before = lumas(take)
    target = tmp_path / f"clip{how.suffix(8)}"
    done = join_pieces(JoinPiecesRequest((Piece(take, *cut),), target), SilentReporter())
    wanted = before[cut[0] : cut[1]]
    found = lumas(target)
    assert done.frames == len(found) == len(wanted)
    assert all(np.array_equal(one, other) for one, other in zip(found, wanted, strict=True))
    assert done.moved == (0,)
    form = SMALL.open().format
    samples = heard(take)[form.first_sample(cut[0]) : form.first_sample(cut[1]) if cut[1] else None]
    clip = heard(target)
    assert abs(len(clip) - len(samples)) <= 48
    assert np.array_equal(clip[:1000], samples[:1000])
    one, two = probe(take), probe(target)
    assert (one.geometry, one.colour, one.flagged_field_order) == (two.geometry, two.colour, two.flagged_field_order)


def test_where_pictures_lean_on_each_other_it_is_cut_before_and_said_so(tmp_path: Path) -> None:
    take = record(replace(SMALL, seconds=5), tmp_path / "take.mkv", RecordAs(codec="h264_high"))
    with av.open(str(take)) as container:
        keys = [round(p.pts * p.time_base * _RATE) for p in container.demux(video=0) if p.is_keyframe and p.pts is not None]
    place = keys[1] + 7  # between two places
    assert len(keys) >= 3
    assert safe_first(take, place) == keys[1]
    done = join_pieces(JoinPiecesRequest((Piece(take, place, place + 20),), tmp_path / "clip.mkv"), SilentReporter())
    assert (done.moved, done.frames) == ((7,), 27)
    assert np.array_equal(lumas(tmp_path / "clip.mkv")[0], lumas(take)[keys[1]])
    with pytest.raises(WrongUseError, match=f"cannot be cut at frame {place}"):
        join_pieces(JoinPiecesRequest((Piece(take, place, place + 20),), tmp_path / "exact.mkv", snap=False), SilentReporter())
    assert not (tmp_path / "exact.mkv").exists()


def test_parts_are_joined_to_what_one_file_would_have_been(tmp_path: Path) -> None:
    whole = captured(SMALL, tmp_path / "whole.mkv")
    parts = captured(SMALL, tmp_path / "take.mkv", record_as=RecordAs(part_minutes=0.6 / 60))
    assert len(parts.parts) == 4
    done = join_pieces(JoinPiecesRequest(tuple(Piece(one) for one in parts.parts), tmp_path / "joined.mkv"), SilentReporter())
    assert done.frames == whole.frames
    assert all(np.array_equal(a, b) for a, b in zip(lumas(tmp_path / "joined.mkv"), lumas(tmp_path / "whole.mkv"), strict=True))
    assert np.array_equal(heard(tmp_path / "joined.mkv"), heard(tmp_path / "whole.mkv"))
    with av.open(str(tmp_path / "joined.mkv")) as container:
        stamps = [packet.pts for packet in container.demux(video=0) if packet.pts is not None]
    assert stamps == sorted(stamps)
    assert max(b - a for a, b in itertools.pairwise(stamps)) <= 34  # milliseconds


def test_joining_refuses_what_does_not_belong_together(tmp_path: Path) -> None:
    one = record(SMALL, tmp_path / "one.mkv")
    other = record(replace(SMALL, width=176), tmp_path / "other.mkv")
    with pytest.raises(UnreadableError, match="another kind"):
        join_pieces(JoinPiecesRequest((Piece(one), Piece(other)), tmp_path / "both.mkv"), SilentReporter())
    with pytest.raises(WrongUseError, match="exists already"):
        join_pieces(JoinPiecesRequest((Piece(one),), other), SilentReporter())
    with pytest.raises(WrongUseError, match="nothing to join"):
        join_pieces(JoinPiecesRequest((), tmp_path / "none.mkv"), SilentReporter())
    with pytest.raises(WrongUseError, match="No picture"):
        join_pieces(JoinPiecesRequest((Piece(one, 500, 600),), tmp_path / "late.mkv"), SilentReporter())
    stopped = SilentReporter()
    stopped.stop.set()
    with pytest.raises(CancelledError):
        join_pieces(JoinPiecesRequest((Piece(one),), tmp_path / "stopped.mkv"), stopped)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["one.mkv", "other.mkv"]


@pytest.mark.parametrize("suffix", [".mkv", ".mov"])
def test_alternate_frames_of_two_drives_become_one_take(suffix: str, tmp_path: Path) -> None:
    """A feed of 59.94 on two links: each drive has every other frame at half the rate."""
    spec = replace(WHOLE, rate=Fraction(60000, 1001), seconds=1)
    how = RecordAs(codec="ffv1" if suffix == ".mkv" else "rdd36_hq")
    pictures, sounds = all_of(spec)
    form = replace(spec.open().format, standard=replace(spec.open().format.standard, rate=Fraction(30000, 1001)))
    halves = []
    for half in (0, 1):
        path = tmp_path / f"drive{half}{suffix}"
        recorder = Recorder(path, form, how)
        for number, picture in enumerate(pictures[half::2]):
            recorder.write_picture(replace(picture, number=number))
        for sound in sounds:
            recorder.write_sound(sound)
        recorder.close()
        halves.append(path)
    target = tmp_path / f"take{suffix}"
    done = merge_alternates(MergeRequest(halves[0], halves[1], target), SilentReporter())
    assert (done.frames, done.seconds) == (60, pytest.approx(1.001))
    one, two = (lumas(half) for half in halves)
    woven = [picture for pair in zip(one, two, strict=True) for picture in pair]
    assert all(np.array_equal(a, b) for a, b in zip(lumas(target), woven, strict=True))
    assert probe(target).average_rate == pytest.approx(60000 / 1001, rel=2e-3)
    assert np.array_equal(heard(target), heard(halves[0]))
    short = tmp_path / f"short{suffix}"
    join_pieces(JoinPiecesRequest((Piece(halves[1], 0, 20),), short), SilentReporter())
    with pytest.raises(UnreadableError, match="not halves"):
        merge_alternates(MergeRequest(halves[0], short, tmp_path / f"no{suffix}"), SilentReporter())
    odd = record(replace(SMALL, width=176), tmp_path / f"odd{suffix}", how)
    with pytest.raises(UnreadableError, match="different kinds"):
        merge_alternates(MergeRequest(halves[0], odd, tmp_path / f"no{suffix}"), SilentReporter())
    assert not (tmp_path / f"no{suffix}").exists()


def test_merging_needs_pictures_that_stand_for_themselves(tmp_path: Path) -> None:
    halves = [record(WHOLE, tmp_path / f"{n}.mkv", RecordAs(codec="h264_high")) for n in (1, 2)]
    with pytest.raises(UnreadableError, match="lean on each other"):
        merge_alternates(MergeRequest(halves[0], halves[1], tmp_path / "take.mkv"), SilentReporter())


def test_a_clip_is_kept_after_the_event(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The ring holds two seconds; an event after five seconds is kept from a second before to half a second after."""
    monkeypatch.setattr(ring_module, "_PIECE_S", 0.5)
    spec = replace(SMALL, seconds=8)
    asking = _Asking(5.0, Keep(1.0, 0.5), tmp_path / ".ring-1")
    result = captured(
        spec,
        None,
        reporter=asking,
        ring=tmp_path / ".ring-1",
        ring_rules=RingRules(minutes=2 / 60, floor_bytes=0),
        rules=EndRules(blank_seconds=None),
    )
    assert result.trouble == ""
    clip = asking.last.kept[0]
    target = tmp_path / "clip.mkv"
    done = join_pieces(JoinPiecesRequest(pieces_of(clip), target), SilentReporter())
    pictures, _ = all_of(spec)
    found = lumas(target)
    first = next(n for n, picture in enumerate(pictures) if np.array_equal(picture.y, found[0]))
    assert 120 <= first < 150
    assert done.frames == clip.frames == len(found) == 30 + 15
    assert all(np.array_equal(one, pictures[first + n].y) for n, one in enumerate(found))
    assert not (tmp_path / ".ring-1").exists(), "the ring goes when it is disarmed"
    assert max(asking.held) < 3.1


def test_the_ring_never_fills_the_drive(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(ring_module, "_PIECE_S", 0.3)
    watching = _Asking(1e9, Keep(1.0), tmp_path / "ring")
    small = RingRules(minutes=10, most_bytes=1_500_000, floor_bytes=0)
    captured(replace(SMALL, seconds=4), None, reporter=watching, ring=tmp_path / "ring", ring_rules=small)
    assert max(watching.sizes) < 2_200_000
    full = captured(SMALL, None, ring=tmp_path / "ring2", ring_rules=RingRules(floor_bytes=10**15))
    assert "no room for looking back" in full.trouble
    assert list(tmp_path.iterdir()) == []
    with pytest.raises(UnfinishedError, match="cannot be cut at any picture"):
        captured(SMALL, None, ring=tmp_path / "ring3", record_as=RecordAs(codec="h264_high"))


class _Asking(SilentReporter):
    """Asks once for a clip, after so many seconds; watches how much the ring holds and takes."""

    def __init__(self, after_s: float, keep: Keep, folder: Path) -> None:
        super().__init__()
        self._after, self._keep, self._folder = after_s, keep, folder
        self._asked = False
        self.held: list[float] = []
        self.sizes: list[int] = []

    def report(self, progress: object) -> None:
        super().report(progress)
        self.held.append(progress.ring_seconds)  # type: ignore[attr-defined]
        if self._folder.exists():
            self.sizes.append(sum(path.stat().st_size for path in self._folder.iterdir() if path.exists()))

    def heard(self) -> list[object]:
        if self._asked or self.last is None or self.last.seconds < self._after:
            return []
        self._asked = True
        return [self._keep]
