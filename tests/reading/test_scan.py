"""How a take was scanned: verdicts on known material, noise, edits, mixtures, and how sure they claim to be."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.making import Luma, blended, decode_luma, interlace, noisy, programme_frames, pulled_down, repeated, sliding_frames, write_clip
from tests.reading.seeing import textured
from yomikomi.core.reading.scan.blends import BlendMeter, BlendVerdict
from yomikomi.core.reading.scan.evidence import Evidence, EvidenceMeter
from yomikomi.core.reading.scan.likelihood import cuts
from yomikomi.core.reading.scan.patterns import LENGTHS, PATTERNS
from yomikomi.core.reading.scan.verdict import ScanVerdict, Segment, Vote, judge_scan, share_confidence, weigh
from yomikomi.core.reading.sight import Sight
from yomikomi.core.video.standards import FieldOrder


def evidence_of(frames: list[Luma], *, lossy: bool = False, bit_depth: int = 8) -> Evidence:
    meter = EvidenceMeter(lossy=lossy)
    for number, frame in enumerate(frames):
        meter.see(Sight(number, number, frame, bit_depth))
    return meter.evidence


def judge(frames: list[Luma], *, lossy: bool = False, bit_depth: int = 8) -> ScanVerdict:
    return judge_scan(evidence_of(frames, lossy=lossy, bit_depth=bit_depth), lossy=lossy)


@pytest.mark.parametrize("order", list(FieldOrder))
@pytest.mark.parametrize("speed", [0.4, 1.0, 3.0, 6.0])
@pytest.mark.parametrize("sigma", [0.0, 8.0])
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
@pytest.mark.parametrize(("rounds", "kind"), [((2, 3), "film_2_3"), ((2, 3, 3, 2), "film_2_3_3_2"), ((2,), "film_2_2")])
@pytest.mark.parametrize(("sigma", "phase"), [(0.0, 1), (8.0, 3)])
def test_film_in_video(order: FieldOrder, rounds: tuple[int, ...], kind: str, sigma: float, phase: int) -> None:
    pictures = programme_frames(60, width=360, height=288, seed=2)
    found = judge(noisy(pulled_down(pictures, rounds, order, phase=phase), sigma))
    assert (found.kind, found.field_order) == (kind, order)
    assert found.confidence > 0.9
    # The frame that is shown to people is one of two pictures, so that teeth can be seen in it.
    assert found.telling is not None
    numbered = [np.full((2, 2), number, np.uint8) for number in range(len(pictures))]
    assert np.ptp(pulled_down(numbered, rounds, order, phase=phase)[found.telling]) > 0
    assert found.pictures == (Fraction(4, 5) if "3" in kind else 1)


@pytest.mark.parametrize(
    ("rounds", "pictures"), [((2,), Fraction(1, 2)), ((3,), Fraction(1, 3)), ((2, 3), Fraction(2, 5)), ((1, 1, 1, 2), Fraction(4, 5))]
)
@pytest.mark.parametrize("sigma", [0.0, 8.0])
def test_repeats_give_the_true_rate(rounds: tuple[int, ...], pictures: Fraction, sigma: float) -> None:
    """25 in 50, 8 in 24, 23.976 in 59.94, 24 in 30."""
    found = judge(noisy(repeated(programme_frames(40, width=360, height=288, seed=2), rounds), sigma))
    if sigma and found.kind == "undetermined":
        return  # slow water in strong noise may stay untold
    assert (found.kind, found.pictures) == ("repeats", pictures)


def test_edits_that_break_the_cadence_are_named_and_change_nothing() -> None:
    pictures = programme_frames(120, width=360, height=288, seed=7)
    film = pulled_down(pictures, (2, 3), FieldOrder.TFF)
    # Cut out frames so that the round goes on in another phase, within a shot: no cut is to be seen there.
    edited = film[:43] + film[46:101] + film[102:]
    found = judge(edited)
    assert (found.kind, found.field_order) == ("film_2_3", FieldOrder.TFF)
    assert len(found.segments) == 1
    assert any(abs(at - 43) <= 2 for at in found.broken)
    assert any(abs(at - 98) <= 2 for at in found.broken)
    assert len(found.broken) <= 4


def test_mixed_material_by_segments() -> None:
    """Boundaries are right to a fifth of a second, and each part has its kind and order."""
    pictures = programme_frames(320, width=360, height=288, seed=11)
    parts = [
        (interlace(pictures[:140], FieldOrder.BFF), "interlaced", FieldOrder.BFF),
        (pulled_down(pictures[140:210], (2, 3), FieldOrder.BFF), "film_2_3", FieldOrder.BFF),
        (pictures[210:280], "progressive", None),
    ]
    found = judge([frame for frames, _, _ in parts for frame in frames])
    assert found.kind == "mixed"
    assert found.field_order is FieldOrder.BFF
    assert [(one.kind, one.field_order) for one in found.segments] == [(kind, order) for _, kind, order in parts]
    at = 0
    for one, (frames, _, _) in zip(found.segments, parts, strict=True):
        assert abs(one.first - at) <= 5
        at += len(frames)
        assert one.confidence > 0.9


@pytest.mark.parametrize("order", list(FieldOrder))
@pytest.mark.parametrize("seed", [2, 11])
def test_a_cut_deafens_nothing_in_a_compressed_take(tmp_path: Path, seed: int, order: FieldOrder) -> None:
    """A cut changes the whole picture at once, many times as much as what moves before and after it."""
    before, after = programme_frames(120, width=360, height=288, seed=seed), programme_frames(60, width=360, height=288, seed=7)
    frames = interlace(before, order) + pulled_down([255 - picture for picture in after], (2, 3), order)
    options = {"x264-params": f"{order.value}=1", "preset": "veryfast", "crf": "20"}
    found = judge(decode_luma(write_clip(tmp_path / "cut.mp4", frames, options=options)), lossy=True)
    assert 60 in found.cuts
    assert found.kind == "mixed"
    assert [(one.kind, one.field_order) for one in found.segments] == [("interlaced", order), ("film_2_3", order)]
    assert abs(found.segments[1].first - 60) <= 2


@given(st.integers(0, 70), st.integers(0, 1500), st.sampled_from([8, 10]), st.integers(0, 99))
def test_thin_fields_hold_the_pictures_own_samples(lines: int, columns: int, depth: int, seed: int) -> None:
    """Of pictures of any size: every line of whole blocks, one column in so many, and how luma rises there, at the lines in two."""
    kind = np.uint8 if depth == 8 else np.uint16
    samples = np.random.default_rng(seed).integers(0, 2**depth, (lines, columns)).astype(kind)
    sight = Sight(0, 0, samples, depth)
    step, codes = sight.column_step, samples / 2.0 ** (depth - 8)
    height, width = lines // 16 * 8, -(-columns // step) // 2 * 2
    assert sight.thin.shape == (2, height, width)
    assert sight.slopes.shape == (2, height // 2, width)
    for parity in (0, 1):
        field = codes[parity : 2 * height : 2]
        np.testing.assert_array_equal(sight.thin[parity], field[:, ::step][:, :width])
        np.testing.assert_array_equal(sight.thin_codes[parity], np.floor(field[:, ::step][:, :width]))
        for column in range(1, width):
            at = column * step
            rise = (field[::2, at + 1] - field[::2, at - 1]) / 2 if at + 1 < min(columns, width * step) else 0
            np.testing.assert_array_equal(sight.slopes[parity][:, column], rise)


def _under_a_camera(pose: Callable[[int], tuple[float, float, float]], count: int = 48) -> list[Luma]:
    """A still scene under a camera that stands at (x, y) in samples and is turned by degrees at each field instant."""
    wide, made = textured(width=1100, height=800, seed=3), []
    for instant in range(count):
        x, y, degrees = pose(instant)
        turn = cv2.getRotationMatrix2D((550 + x, 400 + y), degrees, 1.0)
        turn[:, 2] += (360 - 550 - x, 240 - 400 - y)
        made.append(np.asarray(cv2.warpAffine(wide, turn, (720, 480), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT), np.uint8))
    return made


def _filtered(frames: list[Luma]) -> list[Luma]:
    """Both fields mixed by a vertical filter of three lines."""
    lines = [np.pad(frame.astype(np.float32), ((1, 1), (0, 0)), mode="edge") for frame in frames]
    return [np.round(0.25 * one[:-2] + 0.5 * one[1:-1] + 0.25 * one[2:]).astype(np.uint8) for one in lines]


def _blends(frames: list[Luma]) -> BlendVerdict:
    meter = BlendMeter()
    sights = [Sight(number, number, frame) for number, frame in enumerate(frames)]
    for number in range(2, len(sights) - 1, 4):
        meter.look(sights[number], sights[number + 1])
    return meter.verdict()


_CAMERAS: dict[str, Callable[[int], tuple[float, float, float]]] = {
    "a pan": lambda t: (4.0 * t - 100, 0, 0), "across": lambda t: (2.0 * t, 1.2 * t, 0), "upwards": lambda t: (0, 2.3 * t, 0),
    "a turn": lambda t: (0, 0, 0.4 * t),
    "by hand": lambda t: (14 * np.sin(0.15 * t) + 5 * np.sin(0.4 * t), 9 * np.sin(0.11 * t + 1), 0.5 * np.sin(0.07 * t)),
}  # fmt: skip


@pytest.mark.parametrize("camera", list(_CAMERAS))
def test_blended_fields_show_two_moments_whichever_way_they_were_mixed(camera: str) -> None:
    """Filtered ones were told as progressive, 99 %. In noise they may stay untold; whole pictures are never taken for them."""
    pictures = _under_a_camera(_CAMERAS[camera])
    mixed = {"mean": blended(pictures), "filter": _filtered(interlace(pictures, FieldOrder.TFF))}
    assert _blends(pictures[::2]).blended is False
    assert _blends(noisy(pictures[::2], 6.0)).blended in {False, None}
    for way, frames in mixed.items():
        assert _blends(frames).blended is True, way
        assert _blends(noisy(frames, 6.0)).blended in {True, None}, way


def test_without_motion_nobody_can_tell_two_moments_from_one() -> None:
    assert BlendMeter().verdict().blended is None
    assert _blends(_under_a_camera(lambda t: (0.5 * t, 0, 0))).blended is None


def _long_repeats(each: int, count: int, seed: int) -> list[Luma]:
    pictures = programme_frames(count, width=360, height=288, seed=seed)
    return [picture for number, picture in enumerate(pictures) for _ in range(2 if number % each == each - 1 else 1)][:count]


@pytest.mark.parametrize("each", [6, 24, 49])
def test_one_repeat_in_any_number_of_frames_is_another_rate(each: int) -> None:
    """Twenty-four pictures in twenty-five frames were told as losses."""
    count = max(60, 5 * (each + 1))
    for frames in (_long_repeats(each, count, 7), noisy(_long_repeats(each, count, 11), 4.0)):
        found = judge(frames)
        assert (found.kind, found.pictures) == ("repeats", Fraction(each, each + 1))
        assert f"{each} pictures in {each + 1} frames" in found.pattern


def test_repeats_at_random_are_losses_and_no_rate() -> None:
    pictures = programme_frames(150, width=360, height=288, seed=7)
    for seed in range(5):
        again = set(np.random.default_rng(seed).choice(np.arange(4, 146), 6, replace=False).tolist())
        frames = [pictures[number - 1] if number in again else pictures[number] for number in range(150)]
        assert judge(frames).kind == "progressive"


@pytest.mark.parametrize("sigma", [3.0, 7.0])
def test_stills_in_noise_say_nothing_however_much_of_them_is_clipped(sigma: float) -> None:
    """Noise was taken where clipping hides it, and the rest passed for motion: progressive, 99 %."""
    scene = textured(seed=8)
    boxed, night, card = scene.copy(), np.clip(2.2 * (scene.astype(float) - 130), 0, 255).astype(np.uint8), np.full_like(scene, 2)
    boxed[:70] = boxed[-70:] = 0
    cv2.putText(card, "KAMOME BAY", (70, 250), cv2.FONT_HERSHEY_SIMPLEX, 3, 230, 5, cv2.LINE_AA)
    for still in (scene, boxed, night, card):
        assert judge(noisy([still] * 40, sigma)).kind == "undetermined"
    assert judge(noisy([card] * 14 + [scene] * 14 + [night] * 14, sigma)).kind == "undetermined"


@pytest.mark.parametrize("order", list(FieldOrder))
def test_faster_than_the_detail_is_wide(order: FieldOrder) -> None:
    """Eleven samples a field over blobs of six: nothing matches anything, and nothing wrong may be claimed."""
    wide = sliding_frames(60, width=1056, height=288, speed=3.0)
    pictures = [np.ascontiguousarray(np.roll(frame, -8 * number, axis=1)[:, :352]) for number, frame in enumerate(wide)]
    assert judge(interlace(pictures, order)).field_order in {order, None}
    assert judge(pictures[:30]).kind in {"progressive", "undetermined"}


def test_nothing_moves() -> None:
    still = [np.random.default_rng(1).integers(16, 235, (240, 320)).astype(np.uint8)] * 40
    for frames in (still, noisy(still, 4.0), [np.full((240, 320), 16, np.uint8)] * 40):
        found = judge(frames)
        assert found.kind == "undetermined"
        assert found.field_order is None
        assert found.confidence > 0.5  # sure that it cannot be told


def test_too_short_and_too_small() -> None:
    for frames in ([], sliding_frames(1), sliding_frames(5), sliding_frames(40, width=16, height=8)):
        assert judge(frames).kind == "undetermined"


def test_size_may_change_and_depth_does_not_matter() -> None:
    pictures = interlace(sliding_frames(60), FieldOrder.BFF)
    deep = [frame.astype(np.uint16) << 2 for frame in pictures]
    assert judge(deep, bit_depth=10).field_order is FieldOrder.BFF
    assert judge([*pictures[:15], *sliding_frames(10, width=128, height=96), *pictures[15:]]).field_order in {FieldOrder.BFF, None}
    odd = [frame[:239, :317] for frame in pictures]
    assert judge(odd).field_order is FieldOrder.BFF


def test_combing_tells_teeth_from_detail() -> None:
    """Fine horizontal stripes are no comb teeth; two instants in one frame are."""
    stripes = [np.tile(np.array([[60], [60], [180], [180]], np.uint8), (60, 320))] * 4
    pictures = sliding_frames(8, speed=6)
    combed, whole = (evidence_of(frames).combing for frames in (interlace(pictures, FieldOrder.TFF), pictures))
    assert combed[1:].min() > 5 * max(whole.max(), 0.5)
    assert evidence_of(stripes).combing.max() < 1.0


def test_cuts_stand_out_against_all_around() -> None:
    def found(*motion: float) -> list[int]:
        return [int(at) for at in np.flatnonzero(cuts(np.array(motion, float)))]

    assert found(1, 1, 30, 1, 1) == [2]
    assert found(1, 20, 20, 20, 1) == []
    assert found(0, 1, 1, 3, 1) == []
    assert found(0, 20, 0, 0, 22, 0, 0, 21, 0) == []  # every picture three times
    assert found() == []


@pytest.mark.parametrize("quality", ["23", "30"])
def test_fields_coded_as_whole_pictures_keep_their_order(tmp_path: Path, tape: Path, quality: str) -> None:
    """A tape that somebody encoded without saying that it has fields: compression took most of the comb teeth, not all."""
    how = {"preset": "veryfast", "crf": quality}
    path = write_clip(tmp_path / "wrong.mp4", decode_luma(tape)[:40], rate=Fraction(30000, 1001), options=how)
    found = judge(decode_luma(path), lossy=True)
    assert found.field_order in {FieldOrder.BFF, None}
    assert found.kind != "progressive" or found.confidence < 0.9
    assert found.confidence <= 0.95


@given(st.integers(0, 2**32 - 1), st.integers(2, 60))
@settings(max_examples=25, deadline=None)
def test_any_evidence_gives_a_sound_verdict(seed: int, frames: int) -> None:
    """Whatever was measured: segments cover the take once, confidences are probabilities, no frame number is out of range."""
    rng = np.random.default_rng(seed)
    columns = rng.gamma(0.5, 10.0 ** rng.uniform(-2, 4), (14, frames))
    columns[0] = rng.integers(0, 300, frames)
    found = judge_scan(Evidence(*columns), lossy=bool(seed % 2))
    assert 0 <= found.confidence <= 1
    assert found.segments[0].first == 0
    assert found.segments[-1].end == frames
    assert all(one.end == two.first for one, two in zip(found.segments, found.segments[1:], strict=False))
    assert all(0 <= one.confidence <= 1 for one in found.segments)
    assert found.telling is None or 0 <= found.telling < frames
    assert len(found.votes) == frames
    assert set(found.votes.tolist()) <= {int(vote) for vote in Vote}


def _part(kind: str, frames: int, confidence: float = 0.99, order: FieldOrder | None = None) -> Segment:
    return Segment(0, frames, kind, order, confidence, frames, kind)


def test_weighing_parts() -> None:
    top = FieldOrder.TFF
    assert weigh([_part("interlaced", 95, order=top), _part("progressive", 5)], frames=100).kind == "interlaced"
    assert weigh([_part("interlaced", 60, order=top), _part("progressive", 40)], frames=100).kind == "mixed"
    assert weigh([_part("interlaced", 60, order=top), _part("interlaced", 40, order=FieldOrder.BFF)], frames=100).field_order is None
    assert weigh([_part("progressive", 100, 0.5)], frames=100).kind == "undetermined"
    assert weigh([_part("progressive", 7)], frames=100).kind == "undetermined"
    assert weigh([], frames=0).kind == "undetermined"


def test_a_sample_claims_less_than_the_whole() -> None:
    """Ten windows that agree say less of what was not seen than forty do."""
    few, many = ([_part("progressive", 20)] * count for count in (10, 40))
    small, large = (share_confidence(parts, weigh(parts, frames=800)) for parts in (few, many))
    assert small < large < 1
    assert small == pytest.approx(1 - 0.9**11)
    # What was seen needs no guess: half of the take seen, the other half must be so in four fifths; nearly all seen, nothing is open.
    ten = weigh(few, frames=800)
    assert share_confidence(few, ten, seen=0.5) == pytest.approx(1 - 0.8**11)
    assert share_confidence(few, ten, seen=0.95) == 1.0
    split = [*few, _part("interlaced", 20, order=FieldOrder.TFF)]
    assert share_confidence(split, weigh(split, frames=800), seen=0.95) < 1


def test_every_pattern_goes_round() -> None:
    for pattern, length in zip(PATTERNS, LENGTHS, strict=True):
        assert len(pattern.classes) == length
        assert 0 < pattern.pictures <= 1
    assert len({pattern.key for pattern in PATTERNS}) == len(PATTERNS)
    assert len(PATTERNS) * max(LENGTHS) < 256  # a state fits in a byte
