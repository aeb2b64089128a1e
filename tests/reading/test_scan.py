"""Interlaced or progressive: verdicts on known material, noise, edges, and how sure they claim to be."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.making import Luma, decode_luma, interlace, noisy, programme_frames, sliding_frames, write_clip
from yomikomi.core.reading.scan import FrameEvidence, ScanMeter, ScanVerdict, Vote, cuts, majority_probability, verdict
from yomikomi.core.video.standards import FieldOrder


def judge(frames: list[Luma], *, lossy: bool = False, bit_depth: int = 8) -> ScanVerdict:
    meter = ScanMeter(lossy=lossy)
    return verdict([meter.feed(frame, bit_depth=bit_depth) for frame in frames], lossy=lossy)


@pytest.mark.parametrize("order", list(FieldOrder))
@pytest.mark.parametrize("speed", [0.4, 1.0, 3.0, 6.0])
@pytest.mark.parametrize("sigma", [0.0, 3.0, 8.0])
def test_sliding_texture(order: FieldOrder, speed: float, sigma: float) -> None:
    """From half a sample a field to a fast pan, clean and noisy. The slowest in strong noise may stay untold, never wrong."""
    pictures = sliding_frames(60, width=352, height=288, speed=speed)
    fields = judge(noisy(interlace(pictures, order), sigma))
    whole = judge(noisy(pictures[:30], sigma))
    if speed < 1 and sigma > 5:
        assert fields.kind in {"interlaced", "undetermined"}
        assert whole.kind in {"progressive", "undetermined"}
        return
    assert (fields.kind, fields.field_order) == ("interlaced", order)
    assert (whole.kind, whole.field_order) == ("progressive", None)
    assert fields.confidence > 0.9
    assert whole.confidence > 0.9


@pytest.mark.parametrize("order", list(FieldOrder))
def test_faster_than_the_detail_is_wide(order: FieldOrder) -> None:
    """Eleven samples a field over blobs of six: nothing matches anything, and nothing wrong may be claimed."""
    wide = sliding_frames(60, width=1056, height=288, speed=3.0)
    pictures = [np.ascontiguousarray(np.roll(frame, -8 * number, axis=1)[:, :352]) for number, frame in enumerate(wide)]
    assert judge(interlace(pictures, order)).field_order in {order, None}
    assert judge(pictures[:30]).kind in {"progressive", "undetermined"}


@pytest.mark.parametrize("order", list(FieldOrder))
def test_programme_with_cuts(order: FieldOrder) -> None:
    pictures = programme_frames(200, width=360, height=288, seed=2)
    assert judge(interlace(pictures, order)).field_order is order
    assert judge(pictures[:100]).kind == "progressive"


def test_nothing_moves() -> None:
    still = [np.random.default_rng(1).integers(16, 235, (240, 320)).astype(np.uint8)] * 40
    for frames in (still, noisy(still, 4.0), [np.full((240, 320), 16, np.uint8)] * 40):
        found = judge(frames)
        assert found.kind == "undetermined"
        assert found.field_order is None
        assert found.confidence > 0.5  # sure that it cannot be told


def test_too_short_and_too_small() -> None:
    assert judge([]).kind == "undetermined"
    assert judge(sliding_frames(1)).kind == "undetermined"
    assert judge(sliding_frames(5)).kind == "undetermined"
    assert judge(sliding_frames(40, width=16, height=8)).kind == "undetermined"


def test_size_may_change_and_depth_does_not_matter() -> None:
    pictures = interlace(sliding_frames(60), FieldOrder.BFF)
    deep = [frame.astype(np.uint16) << 2 for frame in pictures]
    assert judge(deep, bit_depth=10).field_order is FieldOrder.BFF
    meter = ScanMeter()
    evidence = [meter.feed(frame) for frame in [*pictures[:10], *sliding_frames(10, width=128, height=96), *pictures[10:]]]
    assert verdict(evidence).field_order is FieldOrder.BFF


def test_odd_sizes() -> None:
    pictures = [frame[:239, :317] for frame in interlace(sliding_frames(60), FieldOrder.TFF)]
    assert judge(pictures).field_order is FieldOrder.TFF


def test_a_mixture_is_not_claimed() -> None:
    """Half and half: whichever is named, it is not named for sure."""
    pictures = sliding_frames(120)
    mixed = interlace(pictures, FieldOrder.TFF)[:30] + pictures[60:90]
    found = judge(mixed)
    assert found.kind == "undetermined" or found.confidence < 0.85


def test_combing_tells_teeth_from_detail() -> None:
    """Fine horizontal stripes are no comb teeth; two instants in one frame are."""
    stripes = [np.tile(np.array([[60], [60], [180], [180]], np.uint8), (60, 320))] * 4
    meter = ScanMeter()
    striped = [meter.feed(frame).combing for frame in stripes]
    pictures = sliding_frames(8, speed=6)
    meter = ScanMeter()
    combed = [meter.feed(frame).combing for frame in interlace(pictures, FieldOrder.TFF)]
    meter = ScanMeter()
    whole = [meter.feed(frame).combing for frame in pictures]
    assert min(combed[1:]) > 5 * max(*whole, 0.5)
    assert max(striped) < 1.0


def test_cuts_stand_out_against_both_neighbours() -> None:
    assert cuts([1, 1, 30, 1, 1]) == [2]
    assert cuts([1, 20, 20, 20, 1]) == []
    assert cuts([0, 1, 1, 3, 1]) == []
    assert cuts([]) == []


@given(st.floats(0, 200), st.floats(0, 200))
def test_confidence_is_a_probability_and_symmetric(agreeing: float, against: float) -> None:
    p = majority_probability(agreeing, against)
    assert 0 <= p <= 1
    assert p + majority_probability(against, agreeing) == pytest.approx(1, abs=1e-9)
    assert majority_probability(agreeing + 1, against) >= p


def _votes(strength: float = 2.0, **counts: int) -> list[FrameEvidence]:
    return [FrameEvidence(1, 1, Vote[name.upper()], strength) for name, count in counts.items() for _ in range(count)]


def test_one_order_alone_outweighs_faint_progressive_frames() -> None:
    """Slow or compressed fields look faintly progressive; a few frames of one order and none of the other settle it."""
    faint = _votes(0.8, progressive=180)
    found = verdict([*faint, *_votes(top_first=58)], lossy=True)
    assert (found.kind, found.field_order) == ("interlaced", FieldOrder.TFF)
    assert verdict([*faint, *_votes(top_first=10, bottom_first=9)]).kind == "progressive"
    assert verdict([*faint, *_votes(top_first=7)]).kind == "progressive"
    assert verdict([*_votes(progressive=180), *_votes(top_first=58)]).kind == "progressive"
    assert verdict([*_votes(0.8, progressive=2000), *_votes(top_first=40)]).kind == "progressive"


@pytest.mark.parametrize("quality", ["23", "30"])
def test_fields_coded_as_whole_pictures_keep_their_order(tmp_path: Path, tape: Path, quality: str) -> None:
    """A tape that somebody encoded without saying that it has fields: compression took most of the comb teeth, not all."""
    lumas = decode_luma(tape)
    path = write_clip(tmp_path / "wrong.mp4", lumas, rate=Fraction(30000, 1001), options={"preset": "veryfast", "crf": quality})
    found = judge(decode_luma(path), lossy=True)
    assert found.field_order in {FieldOrder.TFF, None}
    assert found.kind != "progressive" or found.confidence < 0.9


def test_more_evidence_makes_surer_and_contradiction_less() -> None:
    few, many = verdict(_votes(top_first=15)), verdict(_votes(top_first=150))
    torn = verdict(_votes(top_first=100, progressive=50))
    assert few.confidence < many.confidence
    assert torn.confidence < many.confidence
    assert many.confidence <= 0.99
    assert verdict(_votes(progressive=40), lossy=True).confidence < verdict(_votes(progressive=40)).confidence
    assert verdict(_votes(nothing=500, top_first=7)).kind == "undetermined"
    assert verdict(_votes(nothing=500, top_first=60)).kind == "interlaced"
