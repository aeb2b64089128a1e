"""Copies that are not encoded: every packet as it was, whatever container, and what tries to break that promise."""

from __future__ import annotations

import tempfile
from fractions import Fraction
from functools import cache
from pathlib import Path

import av
import numpy as np
import pytest

from tests.making import sliding_frames
from yomikomi.core.balance.leaving import as_it_is, why_not_untouched
from yomikomi.core.copying import copied_streams
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.rates import Untouched
from yomikomi.core.recipes.recipe import Recipe, recipe_with
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Crop, Deinterlace, Trim
from yomikomi.core.video.planes import frame_from_planes
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter

_RATE = 25


def _recipe(container: str) -> Recipe:
    return recipe_with(CODECS["source"], Untouched(), container=container)


def _file(path: Path, *, video: str = "libx264", audio: str = "aac", fmt: str | None = None, turned: int = 0) -> Path:
    """Four seconds with pictures that are shown in another order than they are coded, a key picture every second, and a tone."""
    path.write_bytes(_coded(path.suffix, video, audio, fmt, turned))
    return path


@cache
def _coded(suffix: str, video: str, audio: str, fmt: str | None, turned: int) -> bytes:
    """What such a file holds; several tests ask for the same."""
    with tempfile.TemporaryDirectory() as folder:
        return _encoded(Path(folder) / f"t{suffix}", video, audio, fmt, turned).read_bytes()


def _encoded(path: Path, video: str, audio: str, fmt: str | None, turned: int) -> Path:
    with av.open(str(path), "w", format=fmt) as sink:
        stream = sink.add_stream(video, rate=_RATE, options={"preset": "veryfast", "crf": "26"} if video.startswith("libx26") else {})
        stream.width, stream.height, stream.pix_fmt, stream.gop_size = 160, 112, "yuv420p", _RATE
        if turned:
            stream.set_display_rotation(turned)
        sound = sink.add_stream(audio, rate=48_000, layout="stereo", options={"aac_coder": "fast"} if audio == "aac" else {})
        grey = np.full((56, 80), 128, np.uint8)
        for number, luma in enumerate(sliding_frames(100, width=160, height=112)):
            frame = frame_from_planes(luma, grey, grey, pixel_format="yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, _RATE)
            sink.mux(stream.encode(frame))
            tone = np.sin(np.arange(1920) * 0.05 + 96 * number).astype(np.float32) * 0.3
            block = av.AudioFrame.from_ndarray(np.stack([tone, tone]), format="fltp", layout="stereo")
            block.sample_rate, block.pts, block.time_base = 48_000, 1920 * number, Fraction(1, 48_000)
            sink.mux(sound.encode(block))
        sink.mux(stream.encode(None))
        sink.mux(sound.encode(None))
    return path


def _packets(path: Path) -> list[list[bytes]]:
    with av.open(str(path)) as container:
        streams = [s for s in container.streams if s.type in {"video", "audio"}]
        found: dict[int, list[bytes]] = {stream.index: [] for stream in streams}
        for packet in container.demux(streams):
            if packet.size:
                found[packet.stream.index].append(bytes(packet))
        return list(found.values())


@pytest.mark.parametrize(
    ("ending", "video", "audio"), [(".mp4", "libx264", "aac"), (".mkv", "libx265", "aac"), (".mkv", "mpeg2video", "ac3")]
)
@pytest.mark.parametrize("container", ["mp4", "mkv"])
def test_every_packet_comes_over(tmp_path: Path, ending: str, video: str, audio: str, container: str) -> None:
    source = _file(tmp_path / f"source{ending}", video=video, audio=audio)
    reading = read(ReadRequest(source, complexity=False), SilentReporter())
    target = tmp_path / f"copy.{container}"
    made = make_copy(CopyRequest(source, target, reading, Treatment(), _recipe(container)), SilentReporter())
    assert made.verified, [check for check in made.checks if not check.passed]
    assert _packets(target) == _packets(source)
    again = read(ReadRequest(target, complexity=False), SilentReporter())
    assert again.frames == reading.frames == made.frames
    assert again.duration_seconds == pytest.approx(reading.duration_seconds, abs=0.05)


@pytest.mark.parametrize(("container", "turned"), [("mp4", 90), ("mp4", 180), ("mov", 270)])
def test_an_upright_telephone_stays_upright(tmp_path: Path, container: str, turned: int) -> None:
    source = _file(tmp_path / "source.mp4", turned=turned)
    reading = read(ReadRequest(source, complexity=False), SilentReporter())
    assert reading.rotation
    target = tmp_path / f"copy.{container}"
    made = make_copy(CopyRequest(source, target, reading, Treatment(), _recipe(container)), SilentReporter())
    assert made.verified, [check for check in made.checks if not check.passed]
    assert read(ReadRequest(target, complexity=False), SilentReporter()).rotation == reading.rotation


def test_a_transport_stream_is_wrapped_otherwise_and_decodes_alike(tmp_path: Path) -> None:
    source = _file(tmp_path / "source.ts", fmt="mpegts")
    reading = read(ReadRequest(source, complexity=False), SilentReporter())
    made = make_copy(CopyRequest(source, tmp_path / "copy.mp4", reading, Treatment(), _recipe("mp4")), SilentReporter())
    assert made.verified, [check for check in made.checks if not check.passed]
    assert any("wrapped otherwise" in check.found for check in made.checks)


def test_a_part_begins_and_ends_at_key_pictures(tmp_path: Path) -> None:
    source = _file(tmp_path / "source.mp4")
    reading = read(ReadRequest(source, complexity=False), SilentReporter())
    treatment = Treatment(steps=(Trim(start=1.5, end=2.4),))
    made = make_copy(CopyRequest(source, tmp_path / "part.mp4", reading, treatment, _recipe("mp4")), SilentReporter())
    assert made.verified, [check for check in made.checks if not check.passed]
    pictures, whole = _packets(tmp_path / "part.mp4")[0], _packets(source)[0]
    assert pictures[0] == whole[25]
    assert made.duration_seconds == pytest.approx(2.0, abs=0.1)
    assert set(pictures) <= set(whole)
    shown = read(ReadRequest(tmp_path / "part.mp4", complexity=False), SilentReporter())
    assert not (shown.damage and shown.damage.any)


def test_what_needs_an_encode_is_refused_with_the_reason(tmp_path: Path) -> None:
    source = _file(tmp_path / "source.mp4")
    reading = read(ReadRequest(source, complexity=False), SilentReporter())
    with pytest.raises(WrongUseError, match="changes the pictures"):
        make_copy(
            CopyRequest(source, tmp_path / "x.mp4", reading, Treatment(steps=(Crop(left=16),)), _recipe("mp4")), SilentReporter()
        )  # fmt: skip
    raw = _file(tmp_path / "raw.mkv", audio="pcm_s16le", video="ffv1")
    reading = read(ReadRequest(raw, complexity=False), SilentReporter())
    with pytest.raises(UnfinishedError, match=r"could not be written"):
        make_copy(CopyRequest(raw, tmp_path / "y.mp4", reading, Treatment(), _recipe("mp4")), SilentReporter())
    assert sorted(path.name for path in tmp_path.iterdir()) == ["raw.mkv", "source.mp4"]


def test_pictures_that_a_file_hides_are_not_shown(tmp_path: Path) -> None:
    """A telephone cuts a clip by an edit list: what was cut off is still in the file."""
    whole, cut = _file(tmp_path / "whole.mp4"), tmp_path / "cut.mp4"
    with av.open(str(whole)) as source, av.open(str(cut), "w", options={"use_editlist": "1", "avoid_negative_ts": "disabled"}) as sink:
        made = {stream.index: sink.add_stream_from_template(stream) for stream in source.streams}
        for packet in source.demux():
            if packet.size and packet.pts is not None and packet.dts is not None:
                packet.pts, packet.dts = (stamp - round(Fraction(1, 2) / packet.time_base) for stamp in (packet.pts, packet.dts))
                packet.stream = made[packet.stream.index]
                sink.mux(packet)
    reading = read(ReadRequest(cut, complexity=False), SilentReporter())
    assert reading.frames < 140
    with pytest.raises(WrongUseError, match="hides pictures"):
        make_copy(CopyRequest(cut, tmp_path / "copy.mp4", reading, Treatment(), _recipe("mp4")), SilentReporter())
    assert not (tmp_path / "copy.mp4").exists()


def test_a_packet_that_changes_on_the_way_is_found(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """One byte of one packet, and a stamp: the copy is kept under a name that says it failed."""
    source = _file(tmp_path / "source.mp4")
    reading: Reading = read(ReadRequest(source, complexity=False), SilentReporter())
    mux = copied_streams.CopiedStreams._mux

    def spoiled(self: copied_streams.CopiedStreams, packet: av.Packet, track: copied_streams.Track, base: Fraction) -> None:
        if track.packets == 40:
            data = bytearray(bytes(packet))
            data[-3] ^= 1
            other = av.Packet(bytes(data))
            other.pts, other.dts, other.time_base, other.stream = packet.pts, packet.dts, packet.time_base, packet.stream
            packet = other
        mux(self, packet, track, base)

    monkeypatch.setattr(copied_streams.CopiedStreams, "_mux", spoiled)
    made = make_copy(CopyRequest(source, tmp_path / "copy.mp4", reading, Treatment(), _recipe("mp4")), SilentReporter())
    assert not made.verified
    assert made.file == "copy.unverified.mp4"


def test_it_is_advised_where_the_take_is_watched_as_it_is(tmp_path: Path) -> None:
    source = _file(tmp_path / "source.mp4")
    reading = read(ReadRequest(source, complexity=False), SilentReporter())
    found = as_it_is(source, reading, Treatment())
    assert found is not None
    told = found.prediction
    made = make_copy(CopyRequest(source, tmp_path / "copy.mp4", reading, Treatment(), told.recipe), SilentReporter())
    assert told.size_bytes.low <= made.size_bytes <= told.size_bytes.high
    unknown = reading.model_copy(update={"scan": reading.scan.model_copy(update={"kind": "interlaced"})})
    assert as_it_is(source, unknown, Treatment()) is None
    raw = reading.model_copy(update={"codec": "ffv1"})
    assert as_it_is(source, raw, Treatment()) is None
    left = Treatment.of_fields(Deinterlace.LEAVE, FieldOrder.TFF)  # a disc's pictures, kept as the disc has them
    assert as_it_is(source, unknown, left) is not None
    assert why_not_untouched(Treatment.of_fields(Deinterlace.SINGLE, FieldOrder.TFF), reading) is not None
