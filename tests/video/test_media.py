"""Opening footage: what a file says of itself, and a clear word where it cannot be opened."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from tests.making import sliding_frames, tone_blocks, write_clip
from yomikomi.core.errors import UnreadableError
from yomikomi.core.video.colour import BT601_525, BT601_625, BT709, ColourTags
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.matroska import index_in_front, set_display_shape
from yomikomi.core.video.media import check_tail, open_media, probe
from yomikomi.core.video.picture_at import frame_at, frames_from
from yomikomi.core.video.planes import bits, frame_from_planes, luma, rgb
from yomikomi.core.video.standards import STANDARDS


@pytest.fixture
def clip(tmp_path: Path) -> Path:
    return write_clip(tmp_path / "clip.mp4", sliding_frames(40, width=160, height=120), rate=25, sound_seconds=1.6)


def _refusal(path: Path) -> str:
    with pytest.raises(UnreadableError) as caught:
        probe(path)
    assert caught.value.remedy, "every refusal says what to do"
    assert caught.value.exit_code == 3
    return caught.value.message


def test_bad_files_are_told_apart(tmp_path: Path, clip: Path) -> None:
    empty = tmp_path / "empty.mkv"
    empty.touch()
    letters = tmp_path / "letters.mkv"
    letters.write_text("This is no footage.\n" * 50)
    noise = tmp_path / "noise.mp4"
    noise.write_bytes(np.random.default_rng(1).bytes(50_000))
    headless = tmp_path / "headless.mp4"
    headless.write_bytes(clip.read_bytes()[:3000])
    assert "0 bytes" in _refusal(empty)
    assert "no file" in _refusal(tmp_path / "gone.mkv")
    assert "folder" in _refusal(tmp_path)
    assert "not footage" in _refusal(letters)
    assert "not footage" in _refusal(noise)
    assert "cut off before its index" in _refusal(headless)


def test_sound_only_still_pictures_and_lists_are_refused(tmp_path: Path) -> None:
    sound = tmp_path / "sound.m4a"
    with av.open(str(sound), "w", format="mp4") as sink:
        stream = sink.add_stream("aac", rate=48_000, layout="mono")
        for block in tone_blocks(0.5, 0.3, None, 1):
            sink.mux(stream.encode(block))
        sink.mux(stream.encode(None))
    still = tmp_path / "still.png"
    with av.open(str(still), "w", format="image2") as sink:
        picture = sink.add_stream("png", rate=1)
        picture.width, picture.height, picture.pix_fmt = 32, 32, "rgb24"
        sink.mux(picture.encode(av.VideoFrame.from_ndarray(np.zeros((32, 32, 3), np.uint8), format="rgb24")))
    playlist = tmp_path / "list.m3u8"
    playlist.write_text("#EXTM3U\n#EXTINF:5,\nfile:clip.mp4\n#EXT-X-ENDLIST\n")
    assert "sound only" in _refusal(sound)
    assert "still picture" in _refusal(still)
    _refusal(playlist)


def test_a_name_is_never_taken_for_an_address(tmp_path: Path, clip: Path) -> None:
    for name in ("concat:a.mp4", "http:x.mp4", "-i.mp4", "quote'\"$(x).mp4", "sp ace\ttab.mp4"):
        path = tmp_path / name
        path.write_bytes(clip.read_bytes())
        assert probe(path).codec == "h264"


def test_hostile_metadata_is_carried_or_dropped_never_followed(tmp_path: Path) -> None:
    frames = sliding_frames(10, width=64, height=64)
    words = {"title": "\x1b[31mred" * 500, "comment": "../../etc/passwd; rm -rf /"}
    info = probe(write_clip(tmp_path / "odd.mkv", frames, metadata=words))
    assert (info.geometry.width, info.geometry.height) == (64, 64)


def test_probe_tells_what_the_file_says(clip: Path, tape: Path) -> None:
    info = probe(clip)
    assert (info.codec, info.container, info.average_rate) == ("h264", "mov", 25)
    assert (info.geometry, info.bit_depth, len(info.sound)) == (Geometry(160, 120), 8, 1)
    assert float(info.seconds or 0) == pytest.approx(1.6, abs=0.05)
    recorded = probe(tape)
    assert (recorded.codec, recorded.flagged_field_order) == ("rawvideo", "bff")
    assert recorded.geometry == Geometry(720, 480, Fraction(10, 11))
    assert recorded.colour == BT601_525


def test_a_cut_off_file_is_noticed(tmp_path: Path, clip: Path) -> None:
    whole = write_clip(tmp_path / "whole.mkv", sliding_frames(250, width=160, height=120), sound_seconds=10)
    assert check_tail(whole) is None
    assert check_tail(clip) is None
    cut = tmp_path / "cut.mkv"
    data = whole.read_bytes()
    cut.write_bytes(data[: len(data) // 2])
    warning = check_tail(cut)
    assert warning is not None
    assert "cut off" in warning


def test_frames_are_found_by_number(tmp_path: Path) -> None:
    """Each picture carries its number in its brightness, so a wrong one is seen."""
    frames = [np.full((64, 64), 40 + number, np.uint8) for number in range(120)]
    for name, codec in (("n.mkv", "ffv1"), ("n.mp4", "libx264")):
        options = {"preset": "ultrafast", "crf": "1", "g": "50"} if codec == "libx264" else {}
        path = write_clip(tmp_path / name, frames, rate=Fraction(30000, 1001), codec=codec, options=options)
        for wanted in (0, 1, 31, 59, 60, 119):
            found = frame_at(path, frame=wanted, rate=Fraction(30000, 1001))
            assert luma(found).mean() == pytest.approx(40 + wanted, abs=0.6), (name, wanted)
        with pytest.raises(UnreadableError, match="no frame 500"):
            frame_at(path, frame=500, rate=Fraction(30000, 1001))
        assert len(list(frames_from(path, start_seconds=Fraction(2)))) == 60


def test_luma_is_read_as_it_stands() -> None:
    """Limited range stays limited: the library's own conversion to grey would stretch it (findings)."""
    y = np.arange(16, 236, dtype=np.uint8)[None, :].repeat(20, 0)
    grey = np.full((20, 110), 128, np.uint8)
    frame = frame_from_planes(y, grey, grey)
    assert np.array_equal(luma(frame), y)
    assert bits(frame) == 8
    deep = frame.reformat(format="yuv420p10le")
    assert bits(deep) == 10
    assert luma(deep).max() == 235 * 4
    shown = rgb(frame)
    assert shown.shape == (20, 220, 3)
    assert shown.min() == 0
    assert shown.max() == 255
    packed = frame.reformat(format="rgb24")
    assert luma(packed).dtype == np.uint8


def test_display_shape_is_written_in_place(tmp_path: Path) -> None:
    """The muxer leaves FFV1 in Matroska without its shape (findings); ours is read back by the library."""
    path = write_clip(tmp_path / "shape.mkv", sliding_frames(12, width=720, height=480), codec="ffv1")
    size = path.stat().st_size
    for aspect in (Fraction(8, 9), Fraction(32, 27), Fraction(10, 11), Fraction(40, 33)):
        assert set_display_shape(path, Geometry(720, 480, aspect))
        assert path.stat().st_size == size
        with open_media(path) as container:
            stream = container.streams.video[0]
            assert stream.sample_aspect_ratio == aspect
            assert len(list(container.decode(stream))) == 12
    other = write_clip(tmp_path / "other.mp4", sliding_frames(5, width=64, height=64))
    before = other.read_bytes()
    assert not set_display_shape(other, Geometry(64, 64))
    assert other.read_bytes() == before
    assert not index_in_front(path)
    assert not index_in_front(other)


@pytest.mark.parametrize("key", STANDARDS)
def test_a_circle_that_was_sampled_from_a_line_is_shown_round(tmp_path: Path, key: str) -> None:
    """ITU-R BT.601 samples 525 and 625 lines at one rate; square pixels of their 486 and 576 lines would take 12 3/11 and 14.75 MHz
    (the rates of square sampling; from memory). A circle of 400 lines is that much wider in samples."""
    standard = STANDARDS[key]
    square_hz = {"525i": 12 + 3 / 11, "625i": 14.75}[key]
    y, x = np.mgrid[: standard.height, : standard.width]
    wide = 200 * 13.5 / square_hz
    chart = np.where(((x - 360) / wide) ** 2 + ((y - standard.height / 2) / 200) ** 2 < 1, 235, 16).astype(np.uint8)
    path = write_clip(tmp_path / "chart.mkv", [chart] * 8, codec="ffv1")
    set_display_shape(path, Geometry(standard.width, standard.height, standard.sample_aspect_4_3))
    shown = probe(path).geometry
    pixels = np.argwhere(chart > 128)
    lines, columns = np.ptp(pixels, axis=0) + 1
    assert float(columns * shown.sample_aspect / lines) == pytest.approx(1, abs=0.006)
    assert float(columns * standard.file_aspect_4_3 / lines) < 0.99  # what counts all 720 samples shows it narrow


def test_colour_tags_are_filled_in_by_size() -> None:
    """BT.601 for standard definition, BT.709 for more (common practice, no source); what is tagged stays."""
    assert ColourTags().or_usual_for(width=720, height=480) == BT601_525
    assert ColourTags().or_usual_for(width=720, height=576) == BT601_625
    assert ColourTags().or_usual_for(width=1920, height=1080) == BT709
    wide = ColourTags(9, 16, 9, 1)
    assert wide.or_usual_for(width=1920, height=1080) == wide
    assert ColourTags(matrix=1).or_usual_for(width=720, height=480).matrix == 1
    assert "not tagged" in ColourTags().words
    assert not ColourTags().known
