"""Steps of shape, rate and colour against arithmetic done apart; fused and apart; stretches against the whole; tables that are damaged."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from tests.making import interlace, sliding_frames, write_clip
from yomikomi.core.errors import UnreadableError, WrongUseError
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.treatment.chain import Chain
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.step import Step
from yomikomi.core.treatment.steps import (
    AnyStep,
    Colour,
    Deinterlace,
    Denoise,
    Fields,
    Frame,
    HighRange,
    KeyPosition,
    Legal,
    Mask,
    Matrix,
    RateCap,
    Reframe,
    Size,
    Table,
    Trim,
    Turn,
)
from yomikomi.core.treatment.tables import CubeTable, grid, read_cube, write_cube
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.colour import BT601_525, BT709, BT2020_PQ, ColourTags
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.planes import plane_samples
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter

RATE = Fraction(30000, 1001)
Planes = tuple[NDArray[np.uint16], ...]


def _format(width: int = 96, height: int = 64, kind: str = "yuv444p", colour: ColourTags = BT601_525) -> PictureFormat:
    return PictureFormat(Geometry(width, height), RATE, kind, colour)


def _planes(frame: av.VideoFrame) -> Planes:
    deep = np.uint16 if frame.format.components[0].bits > 8 else np.uint8
    return tuple(plane_samples(plane, deep).astype(np.uint16) for plane in frame.planes)


def _random(before: PictureFormat, seed: int = 1, low: int = 40, high: int = 216) -> Planes:
    """Samples that stay legal and in gamut when they are turned a little."""
    chance, top = np.random.default_rng(seed), av.VideoFormat(before.pixel_format, 16, 16).components[0].bits - 8
    shape = before.geometry.height, before.geometry.width
    ranges = ((low, high), (100, 156), (100, 156))
    return tuple(chance.integers(a << top, b << top, shape).astype(np.uint16) for a, b in ranges)


def _frames(before: PictureFormat, planes: list[Planes]) -> list[av.VideoFrame]:
    made = []
    for number, samples in enumerate(planes):
        frame = av.VideoFrame(before.geometry.width, before.geometry.height, before.pixel_format)
        deep = np.uint16 if frame.format.components[0].bits > 8 else np.uint8
        for plane, values in zip(frame.planes, samples, strict=True):
            plane_samples(plane, deep)[...] = values
        frame.pts, frame.time_base = number, 1 / RATE
        frame.colorspace, frame.color_range = before.colour.matrix, before.colour.range
        made.append(frame)
    return made


def _through(steps: tuple[AnyStep, ...], before: PictureFormat, planes: list[Planes], **chain: object) -> list[av.VideoFrame]:
    kind = str(chain.pop("pixel_format", before.pixel_format))
    return list(Chain(Treatment(steps=steps), before, pixel_format=kind, **chain).treat(_frames(before, planes)))  # type: ignore[arg-type]


# Luma weights of red and blue: ITU-R BT.601-7 section 2.5.1, BT.709-6 item 3.2.
_WEIGHTS = {6: (0.299, 0.114), 1: (0.2126, 0.0722), 9: (0.2627, 0.0593)}


def _to_rgb(planes: Planes, matrix: int, *, bits: int = 8) -> NDArray[np.float64]:
    red, blue = _WEIGHTS[matrix]
    y, u, v = (plane.astype(float) / 2 ** (bits - 8) for plane in planes)
    luma, cb, cr = (y - 16) / 219, (u - 128) / 224, (v - 128) / 224
    r, b = luma + 2 * (1 - red) * cr, luma + 2 * (1 - blue) * cb
    return np.stack([r, (luma - red * r - blue * b) / (1 - red - blue), b], axis=-1)


def _from_rgb(rgb: NDArray[np.float64], matrix: int) -> list[NDArray[np.float64]]:
    red, blue = _WEIGHTS[matrix]
    r, g, b = rgb[..., 0], rgb[..., 1], rgb[..., 2]
    luma = red * r + (1 - red - blue) * g + blue * b
    return [16 + 219 * luma, 128 + 224 * (b - luma) / (2 * (1 - blue)), 128 + 224 * (r - luma) / (2 * (1 - red))]


@pytest.mark.parametrize(("kind", "bits"), [("yuv444p", 8), ("yuv444p10le", 10)])
def test_the_matrix_is_converted_within_a_code_value(kind: str, bits: int) -> None:
    before = _format(kind=kind)
    planes = _random(before)
    made = _through((Matrix(to="BT.709"),), before, [planes])[0]
    wanted = _from_rgb(_to_rgb(planes, 6, bits=bits), 1)
    for plane, values in zip(_planes(made), wanted, strict=True):
        assert np.abs(plane / 2 ** (bits - 8) - values).max() <= 0.6
    assert int(made.colorspace) == 1
    assert Matrix(to="BT.709").output(before).colour == ColourTags(6, 6, 1, 1)  # primaries stay flagged as what they are
    there_and_back = _through((Matrix(to="BT.601 (525 lines)"),), _format(kind=kind, colour=ColourTags(6, 6, 1, 1)), [_planes(made)])[0]
    for plane, values in zip(_planes(there_and_back), planes, strict=True):
        assert np.abs(plane.astype(int) - values).max() <= 2
    with pytest.raises(WrongUseError, match="Only BT.601 and BT.709"):
        Matrix().output(_format(colour=BT2020_PQ))


def test_odd_sides_are_made_even_where_the_library_wants_it() -> None:
    before = _format(95, 63)
    made = _through((Matrix(),), before, [_random(before)])[0]
    assert (made.width, made.height) == (94, 62)
    assert Matrix().output(before).geometry == Geometry(94, 62)


@pytest.mark.parametrize(("kind", "bits"), [("yuv444p", 8), ("yuv444p10le", 10)])
def test_chroma_is_turned_scaled_and_moved(kind: str, bits: int) -> None:
    before, scale = _format(kind=kind), 2 ** (bits - 8)
    planes = _random(before)
    step = Colour(saturation=0.7, hue=25, blue=3, red=-4)
    y, u, v = _planes(_through((step,), before, [planes])[0])
    cb, cr = ((plane / scale - 128.0) * 0.7 for plane in planes[1:])
    turn = np.deg2rad(25)
    assert np.array_equal(y, planes[0])
    assert np.abs(u / scale - 128 - 3 - (cb * np.cos(turn) - cr * np.sin(turn))).max() <= 1.0
    assert np.abs(v / scale - 128 + 4 - (cb * np.sin(turn) + cr * np.cos(turn))).max() <= 1.0
    grey = _planes(_through((Colour(saturation=0),), before, [planes])[0])
    assert np.array_equal(grey[0], planes[0])
    assert {int(one) for plane in grey[1:] for one in np.unique(plane)} == {128 * scale}
    assert Colour(saturation=0).words(before) == "grey"
    as_it_is = _planes(_through((Colour(),), before, [planes])[0])
    assert all(np.array_equal(one, two) for one, two in zip(as_it_is, planes, strict=True))


def test_what_is_not_legal_is_clipped_and_all_else_kept() -> None:
    before = _format()
    planes = tuple(np.random.default_rng(4).integers(0, 256, (64, 96)).astype(np.uint16) for _ in range(3))
    made = _planes(_through((Legal(),), before, [planes])[0])
    for plane, values, top in zip(made, planes, (235, 240, 240), strict=True):
        assert np.array_equal(plane, values.clip(16, top))


@pytest.mark.parametrize("span", [1, 2])
def test_masked_edges_are_black_of_their_range(span: int) -> None:
    before = _format(kind="yuv420p", colour=ColourTags(6, 6, 6, span))
    chance = np.random.default_rng(1)
    planes = (chance.integers(60, 200, (64, 96)).astype(np.uint16), *(np.full((32, 48), 90, np.uint16),) * 2)
    y, u, _ = _planes(_through((Mask(bottom=9, left=4),), before, [planes])[0])
    assert np.array_equal(y[:54, 4:], planes[0][:54, 4:])
    assert set(np.unique(y[54:])) == set(np.unique(y[:, :4])) == {16 if span == 1 else 0}
    assert set(np.unique(u[27:])) == {128}
    with pytest.raises(WrongUseError, match="leaves no picture"):
        Mask(top=40, bottom=40).output(before)


def test_turned_pictures_come_back() -> None:
    before = _format()
    planes = _random(before)
    for how, truth in (
        ("quarter clockwise", lambda p: np.rot90(p, -1)), ("half", lambda p: np.rot90(p, 2)),
        ("quarter counter-clockwise", np.rot90), ("mirror", np.fliplr), ("upside down", np.flipud),
    ):  # fmt: skip
        step = Turn(how=how)  # type: ignore[arg-type]
        made = _through((step,), before, [planes])[0]
        assert (made.width, made.height) == (step.output(before).geometry.width, step.output(before).geometry.height)
        assert all(np.array_equal(one, truth(two)) for one, two in zip(_planes(made), planes, strict=True))
    fields = PictureFormat(Geometry(96, 64), RATE, "yuv420p", BT601_525, FieldOrder.TFF)
    with pytest.raises(WrongUseError, match="Fields cannot be turned"):
        Turn(how="half").output(fields)


@settings(max_examples=12, deadline=None)
@given(
    st.sampled_from(["1:1", "9:16", "16:9", "2:1"]),
    st.lists(st.tuples(st.integers(0, 19), st.floats(0, 1), st.floats(0, 1)), min_size=1, max_size=4, unique_by=lambda key: key[0]),
    st.sampled_from([1.0, 0.6]),
)
def test_a_window_is_where_its_keys_say_and_never_outside(shape: str, keys: list[tuple[int, float, float]], part: float) -> None:
    """Against positions worked out apart, frame for frame; each sample tells where it came from."""
    before = _format(192, 128)
    rows, columns = np.mgrid[0:128, 0:192].astype(np.uint16)
    planes = (columns + 20, rows + 20, rows * 0 + 128)
    step = Reframe(shape=shape, part=part, keys=tuple(KeyPosition(at=float(Fraction(n) / RATE), x=x, y=y) for n, x, y in keys))
    made = _through((step,), before, [planes] * 20)
    width, height = step.window(before)
    wide, high = (int(one) for one in shape.split(":"))
    assert abs(width / height - wide / high) < 0.08
    assert width <= 192
    assert height <= 128
    assert part < 1 or width >= 190 or height >= 126
    numbers, xs, ys = (np.array(one) for one in zip(*sorted(keys), strict=True))
    for number, frame in enumerate(made):
        x, y, _ = _planes(frame)
        assert x.shape == (height, width)
        left, top = int(x[0, 0]) - 20, int(y[0, 0]) - 20
        assert abs(left - np.clip(np.interp(number, numbers, xs) * 192 - width / 2, 0, 192 - width)) <= 1.02
        assert abs(top - np.clip(np.interp(number, numbers, ys) * 128 - height / 2, 0, 128 - height)) <= 1.02
        assert np.array_equal(x, planes[0][top : top + height, left : left + width])
        assert abs(step.place_at(float(number / RATE), before)[0] - left) <= 2


def test_as_many_keys_as_there_may_be() -> None:
    before = _format(192, 128)
    keys = tuple(KeyPosition(at=0.005 * n, x=(n % 7) / 6, y=(n % 5) / 4) for n in range(200))
    step = Reframe(keys=keys)
    rows, columns = np.mgrid[0:128, 0:192].astype(np.uint16)
    for number, frame in enumerate(_through((step,), before, [(columns, rows, rows)] * 31)):
        x, y, _ = _planes(frame)
        assert (int(x[0, 0]), int(y[0, 0])) == pytest.approx(step.place_at(float(number / RATE), before), abs=2)


def test_shapes_of_a_sensor_of_three_to_two() -> None:
    """1620 x 1080 to 1080 x 1080, 607 x 1080 and 1620 x 911, made even (common practice, no source)."""
    before = _format(1620, 1080)
    assert [Reframe(shape=shape).window(before) for shape in ("1:1", "9:16", "16:9")] == [(1080, 1080), (606, 1080), (1620, 910)]
    with pytest.raises(ValueError, match="one moment"):
        Reframe(keys=(KeyPosition(at=1), KeyPosition(at=1, x=0)))
    fields = PictureFormat(Geometry(96, 64), RATE, "yuv420p", BT601_525, FieldOrder.TFF)
    with pytest.raises(WrongUseError, match="over fields"):
        Reframe().output(fields)


def test_a_fixed_frame_holds_all_of_the_picture() -> None:
    before = PictureFormat(Geometry(720, 480, Fraction(8, 9)), RATE, "yuv444p", BT601_525)
    step = Frame(width=1920, height=1080)
    assert step.inner(before) == (240, 0, 1440, 1080)
    assert step.output(before).geometry == Geometry(1920, 1080)
    small = _format(96, 64)
    y, _, _ = _planes(_through((Frame(width=160, height=64),), small, [_random(small)])[0])
    assert np.array_equal(y[:, 32:128], _random(small)[0])  # it fits as it is: not a sample is touched
    assert set(np.unique(y[:, :32])) == set(np.unique(y[:, 128:])) == {16}


def test_every_second_frame_is_the_first_of_two_also_with_jitter_and_loss() -> None:
    """Stamps in milliseconds jitter by half of one; frames 4, 5 and 9 are lost."""
    before = _format()
    planes = [tuple(np.full((64, 96), 30 + 5 * n, np.uint16) for _ in range(3)) for n in range(20)]
    frames = _frames(before, planes)
    for number, frame in enumerate(frames):
        frame.pts, frame.time_base = round(1000 * number / RATE), Fraction(1, 1000)
    kept = [frame for number, frame in enumerate(frames) if number not in {4, 5, 9}]
    chain = Chain(Treatment(steps=(RateCap(each=2),)), before, pixel_format="yuv444p")
    made = list(chain.treat(kept))
    shown = [(int(_planes(frame)[0][0, 0]) - 30) // 5 for frame in made]
    assert shown == [0, 2, 2, 6, 8, 10, 12, 14, 16, 18]
    assert [frame.pts for frame in made] == list(range(10))
    assert chain.format.rate == RATE / 2
    assert chain.dropped == 0
    assert chain.filled == 1
    assert Treatment(steps=(Fields(mode=Deinterlace.DOUBLE, order=FieldOrder.TFF), RateCap())).output_rate(RATE) == RATE


@pytest.fixture(scope="module")
def fields_file(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Reading]:
    path = tmp_path_factory.mktemp("steps") / "fields.mkv"
    write_clip(path, interlace(sliding_frames(120, width=176, height=144), FieldOrder.TFF), rate=RATE, codec="ffv1", options={})
    return path, read(ReadRequest(path, complexity=False), SilentReporter())


_ALL: tuple[Step, ...] = (
    RateCap(each=2), RateCap(each=3), Denoise(), Denoise(careful=True), Mask(bottom=8), Turn(how="half"),
    Reframe(shape="1:1", keys=(KeyPosition(at=0.2, x=0), KeyPosition(at=1.7, x=1))), Colour(saturation=1.3, hue=-7), Matrix(), Legal(),
    Frame(width=320, height=180), Trim(start=0.31, end=1.62),
)  # fmt: skip


@pytest.mark.parametrize("step", _ALL, ids=lambda step: step.step)
def test_stretches_and_fusing_change_nothing(fields_file: tuple[Path, Reading], step: AnyStep) -> None:
    path, reading = fields_file
    treatment = Treatment(steps=(Fields(mode=Deinterlace.DOUBLE, order=FieldOrder.TFF), step, Size(height=96)))
    whole = [[plane.copy() for plane in _planes(frame)] for frame in TreatedFrames(path, reading, treatment)]
    assert len(whole) == Timing.of(reading, treatment).frames
    for first, end in ((0, 3), (17, 18), (20, 31), (len(whole) - 2, len(whole))):
        some = [_planes(frame) for frame in TreatedFrames(path, reading, treatment, range(first, end))]
        assert len(some) == end - first
        for one, two in zip(some, whole[first:end], strict=True):
            assert all(np.array_equal(a, b) for a, b in zip(one, two, strict=True)), (first, end)


def test_a_table_does_what_its_rows_say(tmp_path: Path) -> None:
    """A table of 17 steps that swaps and darkens, under a name that filters could take for options, against the same arithmetic."""
    path = tmp_path / "it's:a[table], 100% \\ own.cube"
    values = grid(17)[..., [1, 0, 2]] * np.array([1.0, 0.9, 0.8])
    write_cube(path, CubeTable(values, "swap"))
    assert np.abs(read_cube(path).values - values).max() < 1e-6
    before = _format(colour=BT709)
    planes = _random(before, low=90, high=160)
    made = _through((Table.of(path),), before, [planes], pixel_format="yuv444p10le")[0]
    truth = _from_rgb((_to_rgb(planes, 1)[..., [1, 0, 2]] * np.array([1.0, 0.9, 0.8])).clip(0, 1), 1)
    for plane, wanted in zip(_planes(made), truth, strict=True):
        assert np.abs(plane / 4 - wanted).max() < 0.6
    chosen = Table.of(path)
    write_cube(path, CubeTable(grid(17), "another"))
    with pytest.raises(UnreadableError, match="changed since it was chosen"):
        chosen.filters(before)
    path.unlink()
    with pytest.raises(UnreadableError, match="cannot be read"):
        chosen.filters(before)


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "does not say its size"), ("LUT_3D_SIZE 2\n0 0 0\n", "1 of 8 rows"), ("LUT_3D_SIZE 1000000\n", "a size between"),
        ("LUT_3D_SIZE x\n", "a size between"), ("LUT_1D_SIZE 4\n", "one dimension"), ("LUT_3D_SIZE 2\n0 nan 0\n", "three numbers"),
        ("LUT_3D_SIZE 2\nDOMAIN_MAX 2 2 2\n", "from 0 to 1"), ("\0\xff\n", "three numbers"),
    ],
)  # fmt: skip
def test_damaged_tables_are_refused_with_their_line(tmp_path: Path, text: str, why: str) -> None:
    path = tmp_path / "t.cube"
    path.write_text(text, encoding="latin-1")
    with pytest.raises(UnreadableError, match=why):
        Table.of(path)


def test_wide_range_of_eight_bits_or_without_a_flag_is_refused() -> None:
    with pytest.raises(WrongUseError, match="8 bits"):
        HighRange().output(_format(colour=BT2020_PQ))
    with pytest.raises(WrongUseError, match="not flagged"):
        HighRange().output(_format(kind="yuv420p10le"))
    assert HighRange().output(_format(kind="yuv420p10le", colour=BT2020_PQ)).colour == BT709
