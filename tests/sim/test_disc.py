"""The simulated disc itself: film cadence, closed groups, tables against data, subpictures, parts."""

from __future__ import annotations

import itertools
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.making import decode_luma, psnr
from yomikomi.sim.disc.maker import Reel, make_disc
from yomikomi.sim.disc.spec import LAYOUTS, DiscSpec, DiscTitle, lessons
from yomikomi.sim.disc.subpicture import encode_subpicture, text_picture
from yomikomi.sim.disc.tables import SECTOR

SPEC = DiscSpec((DiscTitle("programme", 1.7, chapters=2, sounds=("en",), subtitles=(), scenes="lively"),), seed=9, part_bytes=300_000)


@pytest.fixture(scope="module")
def disc(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("sim") / "disc"
    make_disc(SPEC, folder)
    return folder / "VIDEO_TS"


def whole(disc: Path) -> bytes:
    return b"".join(path.read_bytes() for path in sorted(disc.glob("VTS_01_[1-9].VOB")))


def test_film_is_spread_two_and_three_fields_in_turn() -> None:
    """Of every ten fields, film frames last 2, 3, 2, 3; frames three and four of five are woven from two (SMPTE 2:3 pull-down)."""
    reel = Reel(SPEC, SPEC.titles[0], 0, 0, 1.7, Path("unused"))
    frames = [np.frombuffer(bytes(frame.planes[0]), np.uint8).reshape(480, -1)[:, :720] for frame in reel.pictures()]
    fields = [frame[parity::2] for frame in frames for parity in (0, 1)]
    # A field repeats the one two before it exactly where a film frame lasts three fields.
    repeats = [n for n in range(2, len(fields)) if np.array_equal(fields[n], fields[n - 2])]
    assert repeats[:4] == [4, 9, 14, 19]
    assert all(after - before == 5 for before, after in itertools.pairwise(repeats))


def test_pictures_are_flagged_squeezed_and_top_field_first(disc: Path, tmp_path: Path) -> None:
    path = tmp_path / "x.vob"
    path.write_bytes(whole(disc))
    with av.open(str(path), format="mpeg") as container:
        video, sound = container.streams.video[0], container.streams.audio[0]
        assert (video.codec_context.name, video.codec_context.width, video.codec_context.height) == ("mpeg2video", 720, 480)
        assert video.sample_aspect_ratio == pytest.approx(32 / 27)
        assert (sound.codec_context.name, sound.codec_context.channels, sound.codec_context.sample_rate) == ("ac3", 2, 48_000)
        assert sound.id == 0x80
        first = next(container.decode(video))
        assert first.interlaced_frame
    found = decode_luma(path)
    drawn = [
        np.frombuffer(bytes(f.planes[0]), np.uint8).reshape(480, -1)[:, :720]
        for f in Reel(SPEC, SPEC.titles[0], 0, 0, 1.7, path).pictures()
    ]
    assert len(found) == len(drawn)
    assert min(psnr(one, two) for one, two in zip(found, drawn, strict=True)) > 27


def test_parts_hold_whole_sectors_that_begin_as_packs(disc: Path) -> None:
    parts = sorted(disc.glob("VTS_01_[1-9].VOB"))
    assert len(parts) > 1
    for part in parts[:-1]:
        assert part.stat().st_size == 300_000 // SECTOR * SECTOR
    raw = whole(disc)
    assert len(raw) % SECTOR == 0
    assert all(raw[at : at + 4] == b"\x00\x00\x01\xba" for at in range(0, len(raw), SECTOR))


def test_the_same_seed_makes_the_same_disc(disc: Path, tmp_path: Path) -> None:
    make_disc(SPEC, tmp_path / "again")
    for file in disc.iterdir():
        assert (tmp_path / "again" / "VIDEO_TS" / file.name).read_bytes() == file.read_bytes()


def test_layouts_say_what_is_true_of_them() -> None:
    for layout in LAYOUTS.values():
        spec = layout(seconds=3.0)
        assert {title.kind for title in spec.titles} <= {"programme", "episode", "extra", "menu"}
        assert all(title.seconds or title.joins for title in spec.titles)
    assert len(lessons().titles) == 5


def test_stopping_the_maker_stops_it(tmp_path: Path) -> None:
    class Enough(Exception):  # noqa: N818
        pass

    def stop(part: float) -> None:
        if part > 0.3:
            raise Enough

    with pytest.raises(Enough):
        make_disc(SPEC, tmp_path / "x", stop)


@settings(max_examples=40, deadline=None)
@given(seed=st.integers(0, 10_000), width=st.integers(2, 700), height=st.integers(1, 60).map(lambda h: 2 * h))
def test_subpictures_decode_to_what_was_drawn(seed: int, width: int, height: int) -> None:
    """Any picture of four colours, through the library's own decoder; colours 0 and 3 are clear and cut away at the edges."""
    rng = np.random.default_rng(seed)
    picture = np.repeat(rng.integers(0, 3, (height, -(-width // 7)), np.uint8), 7, axis=1)[:, :width]
    picture[0, :] = picture[-1, :] = picture[:, 0] = picture[:, -1] = 1  # an opaque edge, so that nothing is cut away
    decoder = av.CodecContext.create("dvdsub", "r")
    packet = av.Packet(encode_subpicture(np.ascontiguousarray(picture), x=8, y=16, seconds=1.5))
    packet.pts = 0
    shown = decoder.decode(packet)[0]
    assert (shown.x, shown.y, shown.width, shown.height) == (8, 16, width, height)
    back = np.frombuffer(bytes(shown[0]), np.uint8).reshape(height, -1)[:, :width]
    assert np.array_equal(back, picture)


def test_letters_have_an_edge_and_fit() -> None:
    picture = text_picture("Mind the step.", 400)
    assert set(np.unique(picture)) == {0, 1, 2}
    assert picture.shape[0] % 2 == 0
    assert text_picture("far too long for the picture " * 5, 300).shape[1] == 300
