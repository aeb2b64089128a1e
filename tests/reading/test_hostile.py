"""Files that are damaged, odd or hostile: no crash, no hang, and a clear word."""

from __future__ import annotations

import random
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.making import sliding_frames, write_clip
from yomikomi.core.errors import UnreadableError
from yomikomi.core.reading.cards.finding import Mark
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.reading.sentences import findings, headline
from yomikomi.core.work import SilentReporter


def _read(path: Path, mode: str = "full") -> Reading:
    return read(ReadRequest(path, mode=mode), SilentReporter())  # type: ignore[arg-type]


@pytest.fixture(scope="module")
def good(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    """Small whole files of several kinds."""
    folder = tmp_path_factory.mktemp("good")
    frames = sliding_frames(40, width=160, height=120)
    made = {}
    for name, codec in (("a.mkv", "ffv1"), ("b.mp4", "libx264"), ("c.mkv", "mpeg2video"), ("d.avi", "mjpeg")):
        options = {"strict": "unofficial"} if codec == "mjpeg" else None
        path = write_clip(folder / name, frames, rate=25, codec=codec, options=options, sound_seconds=1.6)
        made[name] = path.read_bytes()
    return made


@pytest.mark.parametrize("mode", ["full", "quick"])
@pytest.mark.parametrize("name", ["a.mkv", "b.mp4", "c.mkv", "d.avi"])
def test_every_kind_is_read_in_both_modes(tmp_path: Path, good: dict[str, bytes], name: str, mode: str) -> None:
    path = tmp_path / name
    path.write_bytes(good[name])
    reading = _read(path, mode)
    assert (reading.frames, reading.mode) == (40, mode)
    assert reading.rate.nominal == "25/1"
    assert headline(reading)
    assert Reading.model_validate_json(reading.model_dump_json()) == reading


@given(st.data())
@settings(max_examples=20, deadline=None)
def test_bytes_that_were_changed_or_cut(good: dict[str, bytes], tmp_path_factory: pytest.TempPathFactory, data: st.DataObject) -> None:
    """Whatever happens to a file: it is read as far as it goes, or refused with a remedy."""
    name = data.draw(st.sampled_from(sorted(good)))
    rng = random.Random(data.draw(st.integers(0, 2**32)))
    content = bytearray(good[name])
    for _ in range(data.draw(st.integers(0, 60))):
        content[rng.randrange(len(content))] = rng.randrange(256)
    if data.draw(st.booleans()):
        content = content[: rng.randrange(len(content))]
    path = tmp_path_factory.mktemp("hurt") / name
    path.write_bytes(bytes(content))
    mode = data.draw(st.sampled_from(["full", "quick"]))
    told: UnreadableError | None = None
    try:
        reading = _read(path, mode)
    except UnreadableError as error:
        told = error
    if told is None:
        assert reading.frames >= 1
        assert findings(reading)
    else:
        assert told.remedy


@given(st.binary(max_size=4000))
@settings(max_examples=40, deadline=None)
def test_random_bytes(tmp_path_factory: pytest.TempPathFactory, content: bytes) -> None:
    path = tmp_path_factory.mktemp("noise") / "x.mkv"
    path.write_bytes(content)
    with pytest.raises(UnreadableError) as told:
        _read(path)
    assert told.value.remedy


@pytest.mark.parametrize("mode", ["full", "quick"])
def test_one_frame(tmp_path: Path, mode: str) -> None:
    reading = _read(write_clip(tmp_path / "one.mkv", sliding_frames(1), rate=25), mode)
    assert (reading.frames, reading.scan.kind) == (1, "undetermined")
    assert findings(reading)


def test_sound_only_and_no_pictures(tmp_path: Path) -> None:
    path = tmp_path / "sound.mka"
    with av.open(str(path), "w", format="matroska") as sink:
        stream = sink.add_stream("pcm_s16le", rate=48_000, layout="mono")
        block = av.AudioFrame.from_ndarray(np.zeros((1, 4800), np.int16), format="s16", layout="mono")
        block.sample_rate, block.pts, block.time_base = 48_000, 0, Fraction(1, 48_000)
        sink.mux(stream.encode(block))
        sink.mux(stream.encode(None))
    with pytest.raises(UnreadableError, match="sound only"):
        _read(path)
    header = tmp_path / "header.avi"
    whole = write_clip(tmp_path / "whole.avi", sliding_frames(5, width=64, height=48), codec="mjpeg", options={"strict": "unofficial"})
    header.write_bytes(whole.read_bytes()[:4096])
    with pytest.raises(UnreadableError):
        _read(header)


def test_a_picture_that_changes_its_size(tmp_path: Path) -> None:
    """Two elementary streams of different sizes, one after the other, as a badly joined recording has."""
    parts = []
    for number, (width, height) in enumerate(((160, 120), (192, 144))):
        path = tmp_path / f"{number}.h264"
        with av.open(str(path), "w", format="h264") as sink:
            stream = sink.add_stream("libx264", rate=25, options={"preset": "ultrafast"})
            stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
            for at, samples in enumerate(sliding_frames(30, width=width, height=height)):
                frame = av.VideoFrame.from_ndarray(samples, format="gray").reformat(format="yuv420p")
                frame.pts = at
                sink.mux(stream.encode(frame))
            sink.mux(stream.encode(None))
        parts.append(path.read_bytes())
    joined = tmp_path / "joined.h264"
    joined.write_bytes(b"".join(parts))
    reading = _read(joined)
    assert reading.frames >= 50
    assert any("changes its size" in words for words in reading.warnings)
    card = next(card for card in findings(reading) if card.topic == "file")
    assert card.mark is Mark.WRONG


def test_a_length_that_is_a_lie(tmp_path: Path) -> None:
    """A declared length of hours around two seconds of pictures: told, and quick reading ends all the same."""
    path = write_clip(tmp_path / "lie.mkv", sliding_frames(50, width=96, height=64), rate=25)
    data = bytearray(path.read_bytes())
    at = data.find(b"\x44\x89\x88")  # Duration of the segment, a float of eight bytes
    assert at > 0
    data[at + 3 : at + 11] = np.array([36_000_000.0], ">f8").tobytes()
    path.write_bytes(data)
    for mode in ("full", "quick"):
        reading = _read(path, mode)
        assert any("cut off" in words for words in reading.warnings)
        assert reading.scan.frames >= 26


def test_a_claim_of_huge_pictures_is_refused(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from yomikomi.core.reading import scanner

    path = write_clip(tmp_path / "huge.mkv", sliding_frames(3, width=160, height=120))
    monkeypatch.setattr(scanner, "MOST_SAMPLES", 100 * 100)
    with pytest.raises(UnreadableError, match="160 × 120"):
        _read(path)


def test_a_file_that_vanishes_while_it_is_read(tmp_path: Path) -> None:
    """Only its name goes: what was opened is read to the end, and the reading is not lost."""
    path = write_clip(tmp_path / "going.mkv", sliding_frames(60, width=160, height=120), rate=25)

    class Remover(SilentReporter):
        def check(self) -> None:
            path.unlink(missing_ok=True)

    reading = read(ReadRequest(path), Remover())
    assert reading.frames == 60
    assert any("gone" in words for words in reading.warnings)
