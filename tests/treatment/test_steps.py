"""Steps one by one against truth; fused and apart; stretches against the whole; hostile settings and files."""

from __future__ import annotations

import json
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.making import Luma, interlace, sliding_frames, write_clip
from yomikomi.core.errors import WrongUseError
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.reading.sentences import findings
from yomikomi.core.treatment.advice import advise, suggested
from yomikomi.core.treatment.chain import Chain
from yomikomi.core.treatment.combing import combing
from yomikomi.core.treatment.format import PictureFormat, source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Crop, Deinterlace, Fields, Film, Levels, Shape, Size
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.colour import BT601_525
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.planes import luma, plane_samples
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter

RATE = Fraction(30000, 1001)
TFF = FieldOrder.TFF


def _format(width: int, height: int, order: FieldOrder | None = None, kind: str = "yuv420p") -> PictureFormat:
    return PictureFormat(Geometry(width, height, Fraction(8, 9)), RATE, kind, BT601_525, order)


def _through(
    treatment: Treatment, lumas: list[Luma], *, kind: str = "yuv420p", fused: bool = True, chroma: int = 128
) -> list[av.VideoFrame]:
    frames = []
    for number, samples in enumerate(lumas):
        frame = av.VideoFrame(samples.shape[1], samples.shape[0], kind)
        deep = np.uint16 if "10" in kind else np.uint8
        for index, plane in enumerate(frame.planes):
            plane_samples(plane, deep)[...] = samples if index == 0 else chroma
        frame.pts, frame.time_base = number, 1 / RATE
        frames.append(frame)
    order = treatment.field_order
    chain = Chain(treatment, _format(lumas[0].shape[1], lumas[0].shape[0], order, kind), pixel_format=kind, fused=fused)
    return list(chain.treat(frames))


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 40), st.integers(0, 40), st.integers(0, 40), st.integers(0, 40), st.booleans())
def test_a_crop_keeps_just_the_samples_it_says(top: int, bottom: int, left: int, right: int, fields: bool) -> None:
    """Never less is cut off than asked for, at most a grid of four lines more; the same samples, the same parity of lines."""
    picture = np.random.default_rng(3).integers(16, 235, (144, 176)).astype(np.uint8)
    steps = (*((Fields(mode=Deinterlace.LEAVE, order=TFF),) if fields else ()), Crop(top=top, bottom=bottom, left=left, right=right))
    out = luma(_through(Treatment(steps=steps), [picture])[0])
    grid = 4 if fields else 2
    first = -(-top // grid) * grid
    column = left + left % 2
    assert np.array_equal(out, picture[first : first + out.shape[0], column : column + out.shape[1]])
    assert 144 - top - bottom - 2 * grid < out.shape[0] <= 144 - top - bottom
    assert 176 - left - right - 4 < out.shape[1] <= 176 - left - right
    assert first % 2 == 0
    assert out.shape[0] % grid == 0


def test_what_leaves_nothing_or_cannot_be_is_refused() -> None:
    with pytest.raises(WrongUseError, match="leaves nothing"):
        Crop(top=80, bottom=80).output(_format(176, 144))
    with pytest.raises(WrongUseError, match="width or a height"):
        Size().output(_format(176, 144))
    for wrong in (
        {"steps": [{"step": "crop", "top": -1}]}, {"steps": [{"step": "blur"}]}, {"steps": [{"step": "size", "height": 10**9}]},
        {"schema_version": 2}, {"steps": [{"step": "crop"}, {"step": "crop"}]}, {"steps": "crop"}, {"unknown": 1},
        {"steps": [{"step": "film", "rate": "24/0", "order": "tff"}]}, {"steps": [{"step": "shape", "sample_aspect": "0/1"}]},
        {"steps": [{"step": "levels", "black": "nan", "white": 235}]},
        {"steps": [{"step": "fields", "mode": "double", "order": "tff"}, {"step": "film", "order": "tff"}]},
    ):  # fmt: skip
        with pytest.raises(ValidationError):
            Treatment.model_validate(wrong)


def test_the_digest_is_of_the_corrections_and_not_of_how_they_were_written() -> None:
    one = Treatment(steps=(Size(height=360), Fields(mode=Deinterlace.DOUBLE, order=TFF), Crop(top=8)))
    two = Treatment.model_validate(json.loads(one.model_dump_json()))
    three = Treatment().having(Crop(top=2)).having(Crop(top=8)).having(Fields(mode=Deinterlace.DOUBLE, order=TFF)).having(Size(height=360))
    assert one == two == three
    assert one.digest == two.digest == three.digest
    assert [step.step for step in one.steps] == ["fields", "crop", "size"]
    assert one.lacking(Crop()).digest != one.digest
    assert one.having(Film(rate="24000/1001", order=TFF)).get(Fields) is None


@pytest.mark.parametrize("kind", ["yuv420p", "yuv420p10le"])
def test_full_range_becomes_limited_within_half_a_code(kind: str) -> None:
    """0 to 16 and 255 to 235 (ITU-R BT.601 and BT.709: 219 steps of luma, 224 of chroma; from memory)."""
    top, scale = (255, 1) if kind == "yuv420p" else (1023, 4)
    ramp = np.tile(np.linspace(0, top, 256).round().astype(np.uint16 if scale == 4 else np.uint8), (64, 1))
    step = Levels(black=0, white=255.75 if scale == 4 else 255, chroma=224 / 255)
    made = _through(Treatment(steps=(step,)), [ramp], kind=kind, chroma=60 * scale)[0]
    span = 255.75 if scale == 4 else 255
    wanted = ramp / scale * 219 / span + 16
    assert np.abs(luma(made) / scale - wanted).max() <= 0.51 / scale + 0.01
    chroma = plane_samples(made.planes[1], np.uint16 if scale == 4 else np.uint8)[4, 4] / scale
    assert chroma == pytest.approx(128 + (60 - 128) * 224 / 255, abs=0.6)
    assert int(made.color_range) == 1


def test_shape_is_only_flagged_and_sizes_follow_the_picture() -> None:
    before = _format(720, 480)
    flagged = Shape(sample_aspect="32/27").output(before)
    assert flagged.geometry == Geometry(720, 480, Fraction(32, 27))
    picture = np.random.default_rng(1).integers(16, 235, (48, 72)).astype(np.uint8)
    assert np.array_equal(luma(_through(Treatment(steps=(Shape(sample_aspect="32/27"),)), [picture])[0]), picture)
    assert Size(height=480).output(before).geometry == Geometry(640, 480, Fraction(1))
    assert Size(width=640).output(before).geometry == Geometry(640, 480, Fraction(1))
    assert Size(width=360, height=240, square=False).output(before).geometry == Geometry(360, 240, Fraction(8, 9))
    assert Size(height=1080).words(before).startswith("enlarged")
    # 3:2 over 1080 lines to an upright shape: 607 is made even (607 to 606 or 608).
    assert Crop(left=656, right=657).output(PictureFormat(Geometry(1920, 1080), RATE, "yuv420p", BT601_525)).geometry.width == 606


_STEPS = [
    Fields(mode=Deinterlace.DOUBLE, order=TFF), Fields(mode=Deinterlace.SINGLE, order=TFF), Fields(mode=Deinterlace.COMBED, order=TFF),
    Fields(mode=Deinterlace.BLEND, order=TFF), Fields(mode=Deinterlace.LEAVE, order=TFF), None,
]  # fmt: skip


@pytest.mark.parametrize("fields", _STEPS, ids=lambda step: step.mode.value if step else "none")
def test_fused_equals_apart(fields: Fields | None) -> None:
    lumas = interlace(sliding_frames(20, width=176, height=144), TFF)
    rest = (Crop(top=8, bottom=4, left=2, right=6), Levels(black=10, white=240), Size(height=96))
    treatment = Treatment(steps=(*((fields,) if fields else ()), *rest))
    one, two = (_through(treatment, lumas, fused=fused) for fused in (True, False))
    assert len(one) == len(two) == (20 if fields and fields.mode is Deinterlace.DOUBLE else 10)
    assert all(np.array_equal(luma(a), luma(b)) for a, b in zip(one, two, strict=True))
    assert [frame.pts for frame in one] == list(range(len(one)))


@pytest.fixture(scope="module")
def fields_file(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Reading]:
    path = tmp_path_factory.mktemp("steps") / "fields.mkv"
    write_clip(path, interlace(sliding_frames(120, width=176, height=144), TFF), rate=RATE, codec="ffv1", options={})
    return path, read(ReadRequest(path, complexity=False), SilentReporter())


@pytest.mark.parametrize("fields", _STEPS[:5], ids=lambda step: step.mode.value if step else "none")
def test_a_stretch_is_the_same_part_of_the_whole(fields_file: tuple[Path, Reading], fields: Fields) -> None:
    path, reading = fields_file
    treatment = Treatment(steps=(fields, Crop(top=4), Size(height=96)))
    whole = [luma(frame).copy() for frame in TreatedFrames(path, reading, treatment)]
    assert len(whole) == Timing.of(reading, treatment).frames
    for first, end in ((0, 5), (17, 18), (30, 41), (len(whole) - 4, len(whole)), (9, 9)):
        some = [luma(frame).copy() for frame in TreatedFrames(path, reading, treatment, range(first, end))]
        assert len(some) == end - first
        assert all(np.array_equal(a, b) for a, b in zip(some, whole[first:end], strict=True)), (first, end)


def test_a_size_that_changes_in_mid_stream_is_scaled_to_the_first() -> None:
    lumas = [*sliding_frames(3, width=176, height=144), *sliding_frames(3, width=88, height=72)]
    out = _through(Treatment(steps=(Crop(top=4),)), lumas)
    assert {(frame.width, frame.height) for frame in out} == {(176, 140)}
    assert len(out) == 6


def test_combing_tells_two_moments_from_one() -> None:
    pictures = sliding_frames(8, width=352, height=288, speed=2.0)
    assert max(combing(picture) for picture in pictures) < 2
    assert min(combing(frame) for frame in interlace(pictures, TFF)) > 8
    assert combing(pictures[0], pictures[0]) == pytest.approx(combing(pictures[0]))
    assert combing(pictures[0][:20]) == 0.0
    noise = np.random.default_rng(2).normal(128, 3, (288, 352)).clip(0, 255).astype(np.uint8)
    assert combing(noise) < 3
    lettering = np.full((288, 352), 200, np.uint8)
    lettering[40:200:6, 20:300] = 40  # lines of one line
    assert combing(lettering) > 0  # nobody can tell these from teeth in one frame


def test_what_is_suggested_is_a_treatment_with_reasons(tape_reading: Reading) -> None:
    cards = findings(tape_reading)
    advice = advise(tape_reading, cards)
    assert advice[0].key == "fields"
    assert all(one.reason and one.ways for one in advice)
    treatment = suggested(tape_reading, cards)
    assert treatment.deinterlace is Deinterlace.DOUBLE
    crop = treatment.get(Crop)
    assert crop is not None
    assert 4 <= crop.bottom <= 16  # the head-switching band of the simulated tape
    made = treatment.formats(source_format(tape_reading))[-1]
    assert made.geometry.height == (480 - crop.bottom) // 2 * 2
    assert made.rate == 2 * RATE
    meant = tape_reading.model_copy(update={"overruled": ["borders", "head switching"]})
    assert suggested(meant, findings(meant)).get(Crop) is None
