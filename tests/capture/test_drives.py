"""Takes on drives that are pulled, renamed, full or shared: nothing recorded is lost, nothing is claimed that is not there."""

from __future__ import annotations

import errno
import shutil
import threading
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from tests.capture.making import SMALL, all_of, captured, lumas, record
from tests.drives import drive
from tests.making import sliding_frames, write_clip
from yomikomi.core.capture.cutting import JoinPiecesRequest, Piece, _sample_bytes, join_pieces
from yomikomi.core.capture.health import CaptureStatus, health_path, read_health
from yomikomi.core.capture.mend import MendRequest, mend
from yomikomi.core.capture.recorder import Recorder
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.errors import DriveFullError, NameTakenError, UnfinishedError, WrongUseError
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.video.source import Picture, SoundBlock
from yomikomi.core.work import SilentReporter

_LONG = replace(SMALL, seconds=4)
_RULES = EndRules(blank_seconds=None, floor_bytes=0)


class _At(SilentReporter):
    """Does something once so many frames are written."""

    def __init__(self, frames: int, does: Callable[[], object]) -> None:
        super().__init__()
        self._frames, self._does = frames, does

    def report(self, progress: object) -> None:
        if self._does is not None and isinstance(progress, CaptureStatus) and progress.frames >= self._frames:
            does, self._does = self._does, None  # type: ignore[assignment]
            does()


@pytest.fixture(autouse=True)
def _quick(monkeypatch: pytest.MonkeyPatch) -> None:
    """Sources without a clock are over in a moment: what is looked after twice a second is looked after all the time."""
    monkeypatch.setattr("yomikomi.core.capture.session._FREE_PERIOD_S", 0.0)
    monkeypatch.setattr("yomikomi.core.capture.session._STATUS_PERIOD_S", 0.0)


@pytest.mark.parametrize("how", ["pulled", "renamed"])
def test_a_take_whose_drive_goes_away_goes_on_at_the_overflow_drive(tmp_path: Path, how: str) -> None:
    second = tmp_path / "second"
    second.mkdir()
    with drive(tmp_path / "takes", "64m") as takes:
        gone = takes.pull if how == "pulled" else lambda: (takes.path / "in").rename(takes.path / "elsewhere")
        (takes.path / "in").mkdir()
        result = captured(_LONG, takes.path / "in" / "take.mkv", reporter=_At(40, gone), spill=(second,), rules=_RULES)
        assert (result.trouble, result.dropped) == ("", 0)
        assert [path.name for path in result.parts] == ["take.mkv", "take-part2.mkv"]
        there = lumas(second / "take-part2.mkv")
        assert 60 < len(there) < 100
        wanted = [picture.y for picture in all_of(_LONG)[0]]
        assert all(np.array_equal(one, two) for one, two in zip(there, wanted[-len(there) :], strict=True))
        if how == "renamed":
            assert len(lumas(takes.path / "elsewhere" / "take.mkv")) + len(there) == len(wanted)


def test_without_another_drive_the_take_ends_and_its_row_stays_until_it_is_back(tmp_path: Path) -> None:
    workspace = Workspace(tmp_path / "archive")
    try:
        record_ = Record(workspace)
        with drive(tmp_path / "archive" / "takes", "64m") as takes:
            carrier = record_.shelf.add(label="K-001", title="Parade", kind="vhs", standard="525i")
            take, path = record_.takes.begin(carrier)
            saved = tmp_path / "saved"

            def pull() -> None:
                shutil.copytree(takes.path, saved)
                takes.pull()

            result = captured(_LONG, path, reporter=_At(60, pull), rules=_RULES)
            assert "is gone" in result.trouble
            assert "Connect it again" in result.remedy
            record_.takes.end(take, result)
            view = record_.carrier(carrier)
            assert view.take is not None
            assert (view.take.state, view.takes) == ("away", 1)
            assert [(one.id, one.away) for one in record_.takes.cut_off()] == [(take, True)]
            takes.put_back(saved, "64m")
            mended = mend(MendRequest(path, inside=workspace.folder), SilentReporter())
            assert 50 <= mended.frames <= 62
            assert "is safe" in record_.takes.save_mended(take, mended)
            assert record_.carrier(carrier).take.state == "mended"  # type: ignore[union-attr]
    finally:
        workspace.close()


@pytest.mark.parametrize("error", [errno.ENOENT, errno.EIO, errno.ENODEV, errno.ESTALE])
def test_a_drive_that_does_not_say_its_room_ends_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, error: int) -> None:
    real = shutil.disk_usage
    asked = iter(range(10**6))

    def usage(path: object) -> object:
        if next(asked) > 3:
            raise OSError(error, "gone")
        return real(path)  # type: ignore[arg-type]

    monkeypatch.setattr(shutil, "disk_usage", usage)
    result = captured(SMALL, tmp_path / "take.mkv", rules=_RULES)
    assert (result.frames, result.trouble) == (60, "")


@pytest.mark.parametrize("error", [errno.EIO, errno.ENODEV])
def test_a_write_that_fails_goes_on_at_the_overflow_drive(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, error: int) -> None:
    second = tmp_path / "second"
    second.mkdir()
    real = Recorder._mux

    def mux(self: Recorder, packets: list[av.Packet]) -> None:
        if self.path.parent == tmp_path and self.frames > 20:
            raise UnfinishedError("x") if self._failed else _remembered(self, error)
        real(self, packets)

    monkeypatch.setattr(Recorder, "_mux", mux)
    result = captured(SMALL, tmp_path / "take.mkv", spill=(second,), rules=_RULES)
    assert len(result.parts) == 2
    assert len(lumas(second / "take-part2.mkv")) == 40
    assert (result.frames, result.dropped) == (60, 0)


def _remembered(recorder: Recorder, number: int) -> Exception:
    from yomikomi.core.work.drive import drive_error

    recorder._failed = drive_error(OSError(number, "gone"), recorder.path)
    return recorder._failed


def test_frames_that_a_full_drive_did_not_take_are_not_counted(tmp_path: Path) -> None:
    with drive(tmp_path / "small", "1500k") as small:
        source = SMALL.open()
        recorder = Recorder(small.path / "take.mkv", source.format, RecordAs())
        with pytest.raises(DriveFullError):
            for picture, sound in zip(*all_of(replace(SMALL, seconds=20)), strict=True):
                recorder.write_picture(picture)
                recorder.write_sound(sound)
        recorder.close()
        found = len(lumas(small.path / "take.mkv"))
        assert 20 < found < 600
        assert recorder.frames == found


def test_two_recordings_to_one_file_are_one_recording(tmp_path: Path) -> None:
    """Both ended with "0 lost", and the file held a mixture."""
    path = tmp_path / "take.mkv"
    ends: list[object] = []

    def go(seed: int) -> None:
        try:
            ends.append(captured(replace(SMALL, seed=seed), path, rules=_RULES))
        except NameTakenError as error:
            ends.append(error)

    threads = [threading.Thread(target=go, args=(seed,)) for seed in (3, 8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    (made,) = [end for end in ends if not isinstance(end, NameTakenError)]
    assert made.frames == len(lumas(path)) == 60  # type: ignore[attr-defined]
    wanted = [[p.y for p in all_of(replace(SMALL, seed=seed))[0]] for seed in (3, 8)]
    assert any(all(np.array_equal(a, b) for a, b in zip(lumas(path), frames, strict=True)) for frames in wanted)
    with pytest.raises(NameTakenError):
        captured(SMALL, path)


def test_nothing_beside_a_take_is_written_over(tmp_path: Path) -> None:
    path = tmp_path / "take.mkv"
    health_path(path).write_text("a person's own notes")
    result = captured(SMALL, path)
    assert (result.frames, result.logged) == (60, False)
    assert health_path(path).read_text() == "a person's own notes"
    linked = tmp_path / "linked.mkv"
    linked.symlink_to(tmp_path / "victim")
    with pytest.raises(NameTakenError):
        captured(SMALL, linked)
    assert not (tmp_path / "victim").exists()


def test_a_source_that_gives_nothing_leaves_nothing_and_says_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Before the first picture the eight seconds of a stall did not count from where they should, and "the take is kept" was said."""
    monkeypatch.setattr("yomikomi.core.capture.session.START_S", 0.4)
    quit_now = threading.Event()

    class Silent:
        format = SMALL.format

        def read(self) -> tuple[Picture, SoundBlock]:
            quit_now.wait(20)
            raise OSError("late")

        def close(self) -> None:
            return

    class Spec:
        def open(self) -> Silent:
            return Silent()

    try:
        result = captured(Spec(), tmp_path / "take.mkv")  # type: ignore[arg-type]
    finally:
        quit_now.set()
    assert "nothing was recorded" in result.trouble
    assert "kept" not in result.trouble
    assert (result.frames, sorted(path.name for path in tmp_path.iterdir())) == (0, [])


def test_mending_keeps_the_only_original_where_anything_was_left_behind(tmp_path: Path) -> None:
    path = record(SMALL, tmp_path / "take.mkv")
    raw = path.read_bytes()
    path.write_bytes(raw[: len(raw) * 3 // 4])  # cut off
    mended = mend(MendRequest(path), SilentReporter())
    assert mended.originals == ()
    assert sorted(one.name for one in tmp_path.iterdir()) == ["take.mkv"]
    hurt = bytearray(raw)
    third = len(raw) // 3
    hurt[third : third + len(raw) // 6] = np.random.default_rng(1).bytes(len(raw) // 6)  # a hole in the middle
    path.write_bytes(hurt)
    mended = mend(MendRequest(path), SilentReporter())
    assert mended.frames >= 25, "what lies behind the hole is carried over too"
    assert mended.originals[0].read_bytes() == bytes(hurt)
    outside = tmp_path / "outside"
    outside.mkdir()
    link = outside / "take.mkv"
    link.write_bytes(raw)
    before = link.read_bytes()
    mended = mend(MendRequest(link, inside=tmp_path / "workspace"), SilentReporter())
    assert link.read_bytes() == before, "what lies outside the workspace is only read"
    assert mended.frames == 60
    recorder = Recorder(tmp_path / "growing.mkv", SMALL.format, RecordAs())
    with pytest.raises(UnfinishedError, match="still being recorded"):
        mend(MendRequest(tmp_path / "growing.mkv"), SilentReporter())
    recorder.close()


@pytest.mark.parametrize("suffix", [".mkv", ".mp4"])
def test_pictures_that_are_shown_later_than_decoded_are_cut_and_joined_in_order(tmp_path: Path, suffix: str) -> None:
    """Matroska keeps no decode stamps; the showing stamp in their place runs backwards with B-frames."""
    frames = sliding_frames(75, width=96, height=64)
    options = {"preset": "medium", "bf": "3", "g": "25", "x264-params": "scenecut=0:b-adapt=0"}
    source = write_clip(tmp_path / "take.mkv", frames, options=options, sound_seconds=3)
    with av.open(str(source)) as container:
        assert container.streams.video[0].codec_context.has_b_frames
    wanted = lumas(source)
    pieces = (Piece(source, 25, 50), Piece(source, 0, 25), Piece(source, 50))
    done = join_pieces(JoinPiecesRequest(pieces, tmp_path / f"joined{suffix}"), SilentReporter())
    found = lumas(tmp_path / f"joined{suffix}")
    assert done.frames == len(found) == 75
    assert all(np.array_equal(a, b) for a, b in zip(found, [*wanted[25:50], *wanted[:25], *wanted[50:]], strict=True))
    with av.open(str(tmp_path / f"joined{suffix}")) as container:
        stamps = [frame.pts for frame in container.decode(video=0)]
    assert stamps == sorted(stamps)


def test_av1_and_eight_bit_sound_are_cut_too(tmp_path: Path) -> None:
    source = write_clip(tmp_path / "take.mkv", sliding_frames(30, width=96, height=64), codec="libsvtav1", options={"preset": "12"})
    join_pieces(JoinPiecesRequest((Piece(source),), tmp_path / "whole.mkv"), SilentReporter())
    assert len(lumas(tmp_path / "whole.mkv")) == 30

    class Named:
        def __init__(self, name: str, channels: int) -> None:
            self.codec_context = type("c", (), {"name": name, "channels": channels})()

    known = {("pcm_u8", 1): 1, ("pcm_s16le", 2): 4, ("pcm_s24be", 2): 6, ("pcm_f32le", 1): 4, ("pcm_alaw", 1): 1, ("pcm_s32le", 8): 32}
    assert {key: _sample_bytes(Named(*key)) for key in known} == known


def test_what_does_not_fit_into_a_kind_of_file_is_told(tmp_path: Path) -> None:
    source = record(SMALL, tmp_path / "take.mkv")
    with pytest.raises(UnfinishedError, match=r"x\.mp4 could not be written.*\.mkv"):
        join_pieces(JoinPiecesRequest((Piece(source),), tmp_path / "x.mp4"), SilentReporter())
    with pytest.raises(WrongUseError, match="no kind of file"):
        join_pieces(JoinPiecesRequest((Piece(source),), tmp_path / "x.txt"), SilentReporter())
    assert sorted(path.name for path in tmp_path.iterdir()) == ["take.mkv"]


def test_what_was_left_out_is_in_the_log(tmp_path: Path) -> None:
    path = tmp_path / "take.mkv"
    result = captured(SMALL, path)
    end = read_health(path)[1]
    assert end is not None
    assert (end.doubled, result.doubled, result.stopped, Fraction(result.frames)) == (0, 0, False, 60)
