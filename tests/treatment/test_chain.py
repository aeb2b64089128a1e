"""The treatment: right frames at the right rate, fields in order, gaps filled, shape and colour kept; and the loop."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from tests.making import Luma, interlace, psnr, sliding_frames, write_clip
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.treatment.advice import fields_advice, fields_treatment
from yomikomi.core.treatment.chain import Chain, chain_for
from yomikomi.core.treatment.format import PictureFormat, source_format
from yomikomi.core.treatment.loop import LoopRequest, open_loop, treat_loop
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Crop, Deinterlace
from yomikomi.core.video.colour import BT601_525
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.planes import luma, plane_samples
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter

RATE = Fraction(30000, 1001)


def _frames(lumas: list[Luma], stamps: list[int] | None = None) -> list[av.VideoFrame]:
    made = []
    for number, samples in enumerate(lumas):
        frame = av.VideoFrame(samples.shape[1], samples.shape[0], "yuv422p")
        for index, plane in enumerate(frame.planes):
            plane_samples(plane)[...] = samples if index == 0 else 128
        frame.pts, frame.time_base = (stamps[number] if stamps else number), 1 / RATE
        made.append(frame)
    return made


def _treat(treatment: Treatment, lumas: list[Luma], stamps: list[int] | None = None, **chain: object) -> list[av.VideoFrame]:
    shape = Geometry(lumas[0].shape[1], lumas[0].shape[0], Fraction(8, 9))
    made = Chain(treatment, PictureFormat(shape, RATE, "yuv422p", BT601_525, FieldOrder.TFF), **chain)  # type: ignore[arg-type]
    return list(made.treat(_frames(lumas, stamps)))


@pytest.mark.parametrize("order", list(FieldOrder))
def test_each_field_becomes_its_own_picture(order: FieldOrder) -> None:
    """Against the pictures the fields were cut from; the wrong order is far worse, so it would be noticed."""
    pictures = sliding_frames(40, width=352, height=288)
    fields = interlace(pictures, order)
    good, bad = (_treat(Treatment.of_fields(Deinterlace.DOUBLE, o), fields) for o in (order, order.other))
    assert len(good) == 40
    inside = slice(4, 36)
    right = np.mean([psnr(luma(f), p) for f, p in list(zip(good, pictures, strict=True))[inside]])
    wrong = np.mean([psnr(luma(f), p) for f, p in list(zip(bad, pictures, strict=True))[inside]])
    assert right > 35
    assert right > wrong + 6


def test_single_keeps_the_rate_and_the_first_instants() -> None:
    pictures = sliding_frames(40, width=352, height=288)
    out = _treat(Treatment.of_fields(Deinterlace.SINGLE, FieldOrder.TFF), interlace(pictures, FieldOrder.TFF))
    assert [frame.pts for frame in out] == list(range(20))
    assert np.mean([psnr(luma(f), p) for f, p in list(zip(out, pictures[::2], strict=True))[2:18]]) > 35


def test_leaving_touches_no_luma_sample() -> None:
    lumas = interlace(sliding_frames(20), FieldOrder.BFF)
    for treatment in (Treatment(), Treatment.of_fields(Deinterlace.LEAVE, FieldOrder.BFF)):
        out = _treat(treatment, lumas)
        assert all(np.array_equal(luma(frame), samples) for frame, samples in zip(out, lumas, strict=True))
        assert all(frame.format.name == "yuv420p" for frame in out)


@pytest.mark.parametrize(
    "treatment",
    [Treatment(), Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF), Treatment.of_fields(Deinterlace.SINGLE, FieldOrder.BFF)],
)
def test_the_rate_comes_out_constant_whatever_goes_in(treatment: Treatment) -> None:
    """Frames 3, 4 and 11 are missing and the first is not at zero; every place is filled and numbered."""
    lumas = sliding_frames(20, width=64, height=64)
    kept = [n for n in range(20) if n not in {3, 4, 11}]
    out = _treat(treatment, [lumas[n] for n in kept], [100 + n for n in kept])
    factor = 2 if treatment.deinterlace is Deinterlace.DOUBLE else 1
    assert [frame.pts for frame in out] == list(range(20 * factor))
    assert {frame.time_base for frame in out} == {1 / (RATE * factor)}
    if treatment == Treatment():
        assert np.array_equal(luma(out[4]), lumas[2])  # the last one stands in
        assert np.array_equal(luma(out[12]), lumas[12])


def test_odd_sizes_lose_a_line_and_turned_pictures_are_turned() -> None:
    lumas = [frame[:119, :157] for frame in sliding_frames(4, width=160, height=120)]
    out = _treat(Treatment(), lumas)
    assert (out[0].width, out[0].height) == (156, 118)
    fields = _treat(Treatment.of_fields(Deinterlace.LEAVE, FieldOrder.TFF), lumas)
    assert (fields[0].width, fields[0].height) == (156, 116)  # encoders of interlaced frames refuse fields of odd lines
    flat = np.full((64, 96), 60, np.uint8)
    flat[:32] = 180
    turned = _treat(Treatment(), [flat] * 3, rotation=90)[0]
    assert (turned.width, turned.height) == (64, 96)
    assert abs(float(luma(turned)[:, :28].mean()) - float(luma(turned)[:, 36:].mean())) > 100
    picture = np.random.default_rng(1).integers(16, 235, (64, 96)).astype(np.uint8)
    assert np.array_equal(luma(_treat(Treatment(), [picture], rotation=180)[0]), np.rot90(picture, 2))
    chain = Chain(Treatment(), PictureFormat(Geometry(96, 64, Fraction(8, 9)), RATE, "yuv422p", BT601_525), rotation=270)
    assert chain.format.geometry == Geometry(64, 96, Fraction(9, 8))


def test_colour_tags_travel() -> None:
    out = _treat(Treatment(), sliding_frames(2, width=64, height=64))
    assert {(int(f.colorspace), int(f.color_range)) for f in out} == {(6, 1)}


def test_deinterlacing_needs_an_order() -> None:
    with pytest.raises(ValueError, match="field order"):
        Treatment.of_fields(Deinterlace.DOUBLE, None)


def test_what_is_recommended_follows_from_the_reading(tape_reading: Reading, progressive_clip: Path) -> None:
    treatment, why = fields_treatment(tape_reading), fields_advice(tape_reading).reason
    assert treatment == Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.BFF)
    assert "59.94" in why
    assert treatment.words(source_format(tape_reading)) == "deinterlaced to 59.94"
    progressive = read(ReadRequest(progressive_clip, complexity=False), SilentReporter())
    assert fields_treatment(progressive) == Treatment()
    unknown = progressive.model_copy(update={"scan": progressive.scan.model_copy(update={"kind": "undetermined"})})
    assert fields_treatment(unknown) == Treatment()
    assert chain_for(tape_reading, treatment).format.rate == 2 * RATE
    assert chain_for(tape_reading, Treatment.of_fields(Deinterlace.LEAVE, FieldOrder.BFF)).format.field_order is FieldOrder.BFF


def test_the_loop_shows_the_same_place_before_and_after(tape: Path, tape_reading: Reading) -> None:
    """From frames that are decoded once; each treatment as if it were the only one."""
    kinds = (Deinterlace.DOUBLE, Deinterlace.SINGLE, Deinterlace.LEAVE)
    source = open_loop(LoopRequest(tape, tape_reading, width=320, height=240), SilentReporter())
    sides = [treat_loop(source, Treatment.of_fields(kind, FieldOrder.BFF), SilentReporter()) for kind in kinds]
    assert len(source.before.pictures) == 30
    assert [len(side.pictures) for side in sides] == [60, 30, 30]
    assert [side.rate for side in sides] == [2 * RATE, RATE, RATE]
    assert {picture.shape for side in (source.before, *sides) for picture in side.pictures} == {(240, 320, 3)}
    assert source.frames.start <= tape_reading.most_combed_frame < source.frames.start + 30
    teeth = [_teeth(source.before.pictures), _teeth(sides[0].pictures)]
    assert teeth[0] > 1.3 * teeth[1]  # the combs are there before and gone after
    untouched = np.mean([psnr(a, b) for a, b in zip(source.before.pictures, sides[2].pictures, strict=True)])
    assert untouched > 30  # only chroma is resampled
    again = treat_loop(source, Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.BFF), SilentReporter())
    assert all(np.array_equal(one, two) for one, two in zip(again.pictures, sides[0].pictures, strict=True))
    cropped = treat_loop(source, Treatment.of_fields(order=FieldOrder.BFF).having(Crop(top=8, left=4)), SilentReporter())
    inner = slice(16, -16)  # what was cropped off is dark; the scene stays in its place
    assert np.mean([psnr(a[inner, inner], b[inner, inner]) for a, b in zip(cropped.pictures, sides[2].pictures, strict=True)]) > 40


def _teeth(pictures: list[np.ndarray]) -> float:
    return float(np.mean([np.abs(p[1:-1:2].astype(float) - (p[0:-2:2].astype(float) + p[2::2]) / 2).mean() for p in pictures]))


def test_the_loop_of_a_tiny_clip(tmp_path: Path) -> None:
    path = write_clip(tmp_path / "tiny.mkv", sliding_frames(3, width=64, height=48))
    reading = read(ReadRequest(path, complexity=False), SilentReporter())
    source = open_loop(LoopRequest(path, reading), SilentReporter())
    assert len(source.before.pictures) == len(treat_loop(source, Treatment(), SilentReporter()).pictures) == 3
