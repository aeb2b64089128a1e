"""Detail and noise kept: known losses put in, and found again."""

from __future__ import annotations

import itertools
from fractions import Fraction

import av
import cv2
import numpy as np
import pytest
import skimage.data
from numpy.typing import NDArray
from scipy.stats import spearmanr

from yomikomi.core.balance.detail import IDENTICAL_DB, Blocks, detail_db, seen_error, weights_at
from yomikomi.core.balance.judging import DetailJudge, Judged, to_plane
from yomikomi.core.balance.sentences import LEAST_NOISE_TOLD
from yomikomi.core.balance.viewing import STEPS, VIEWINGS, samples_as_seen, step_of
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.work.priority import tame_encoders

Plane = NDArray[np.float32]
SHAPE = Geometry(448, 288)


def _moving(count: int, *, sigma: float = 0.0, seed: int = 1) -> list[Plane]:
    """A photograph that slides half a sample a frame before a still margin; with noise that holds along a line, as tape's does."""
    photograph = skimage.data.chelsea().mean(axis=2)[:288].astype(np.float32) * 0.86 + 16
    rng, frames = np.random.default_rng(seed), []
    for number in range(count):
        picture = cv2.warpAffine(
            photograph, np.array([[1, 0, -0.5 * number], [0, 1, 0]], np.float32), (448, 288), borderMode=cv2.BORDER_REFLECT
        )
        picture[:, :160] = photograph[:, :160]
        noise = cv2.GaussianBlur(rng.standard_normal(picture.shape).astype(np.float32), (0, 0), sigmaX=0.8, sigmaY=0.01)
        frames.append(np.clip(np.round(picture + sigma * noise / noise.std()), 0, 255))
    return frames


def _judge(frames: list[Plane], numbers: tuple[int, ...] = (4, 8)) -> DetailJudge:
    return DetailJudge({number: (frames[number], frames[number - 2]) for number in numbers}, SHAPE)


def _judged(judge: DetailJudge, copies: list[Plane], numbers: tuple[int, ...] = (4, 8)) -> Judged:
    found = judge.judge({number: copies[number] for number in numbers})
    assert found is not None
    return found


def _television(found: Judged) -> float:
    return detail_db(found.seen["television"])


@pytest.mark.parametrize("sigma", [0.0, 1.5, 3.0, 5.0])
def test_noise_is_measured_where_nothing_moves(sigma: float) -> None:
    assert _judge(_moving(10, sigma=sigma)).noise == pytest.approx(sigma, rel=0.08, abs=0.3)


def test_the_same_picture_is_the_same_and_blur_only_ever_costs() -> None:
    frames = _moving(10)
    judge = _judge(frames)
    assert _television(_judged(judge, frames)) == IDENTICAL_DB
    blurred = [_television(_judged(judge, [cv2.GaussianBlur(f, (0, 0), width) for f in frames])) for width in (0.4, 0.6, 0.9, 1.4)]
    assert blurred == sorted(blurred, reverse=True)
    assert step_of(blurred[-1]).key != "none"


def test_taking_the_noise_out_is_no_loss_of_detail() -> None:
    """The clean picture against the noisy one: nothing is gone but noise. Sample for sample it stands near 38 dB."""
    clean, noisy = _moving(10), _moving(10, sigma=3)
    found = _judged(_judge(noisy), clean)
    assert found.noise_kept is not None
    assert found.noise_kept < LEAST_NOISE_TOLD
    plain = detail_db(seen_error(Blocks.of(noisy[4]), Blocks.of(clean[4]), weights_at(down=1, across=1)))
    assert _television(found) > max(44, plain + 3)
    # Softened as much as noise reduction should never soften, it is found out.
    assert _television(_judged(_judge(noisy), [cv2.GaussianBlur(f, (0, 0), 1.4) for f in clean])) < _television(found) - 6


@pytest.mark.parametrize("part", [0.0, 0.3, 0.6, 1.0])
def test_noise_kept_is_what_was_kept(part: float) -> None:
    clean, noisy = _moving(10), _moving(10, sigma=3)
    copies = [c + part * (n - c) for c, n in zip(clean, noisy, strict=True)]
    found = _judged(_judge(noisy), copies).noise_kept
    assert found is not None
    assert found < LEAST_NOISE_TOLD if part == 0 else found == pytest.approx(part, abs=0.15)
    assert _judged(_judge(clean), clean).noise_kept is None


def test_from_near_more_is_seen() -> None:
    frames = _moving(10)
    seen = _judged(_judge(frames), [cv2.GaussianBlur(f, (0, 0), 0.7) for f in frames]).seen
    assert seen["desk"] > seen["television"] > seen["phone"]
    # A sample of 1080 lines is seen smaller than one of 480 from the same chair; a narrow one narrower.
    assert samples_as_seen(Geometry(720, 480), "television") == (1.0, 1.0)
    down, across = samples_as_seen(Geometry(720, 480, Fraction(8, 9)), "television")
    assert (down, across) == (1.0, pytest.approx(1.125))
    assert samples_as_seen(Geometry(1920, 1080), "television")[0] == pytest.approx(2.25)


def test_five_steps_in_order() -> None:
    assert [step_of(value).key for value in (60, 44, 43.99, 40, 36, 32, 31.9, -5)] == [
        "none", "none", "barely", "barely", "compared", "visible", "annoying", "annoying"
    ]  # fmt: skip
    assert all(one.least > other.least for one, other in itertools.pairwise(STEPS))


@pytest.mark.parametrize(("lines", "columns"), [(1, 1), (8, 8), (16, 9), (40, 500)])
def test_odd_sizes_and_depths_are_judged(lines: int, columns: int) -> None:
    rng = np.random.default_rng(lines)
    now, before = (to_plane(rng.integers(64, 940, (lines, columns)).astype(np.uint16), 10) for _ in range(2))
    judge = DetailJudge({0: (now, before), 1: (now, None)}, Geometry(columns, lines))
    found = judge.judge({0: now, 1: now})
    assert found is not None
    assert all(np.isfinite(error) and error < 1e-3 for error in found.seen.values())
    assert DetailJudge({}, Geometry(columns, lines)).judge({}) is None


def test_a_repeated_picture_says_nothing_of_noise() -> None:
    """At twice the rate film pictures come again to the sample: their difference is 0, their noise is not."""
    frames = _moving(10, sigma=3)
    held = {4: (frames[4], frames[4]), 8: (frames[8], frames[6])}
    assert DetailJudge(held, SHAPE).noise == pytest.approx(3, rel=0.1)


def _encode(frames: list[Plane], codec: str, quality: int) -> list[Plane]:
    row = CODECS[codec]
    tame_encoders()  # silent, and at no priority of its own
    encoder = av.CodecContext.create(row.encoder, "w")
    encoder.width, encoder.height, encoder.pix_fmt, encoder.framerate, encoder.time_base = (
        448,
        288,
        "yuv420p",
        Fraction(30),
        Fraction(1, 30),
    )
    encoder.options = {"preset": "10" if codec == "av1" else "superfast", "crf": str(quality), "x265-params": "log-level=error"}
    packets = []
    for number, plane in enumerate(frames):
        stacked = np.full((432, 448), 128, np.uint8)
        stacked[:288] = plane
        frame = av.VideoFrame.from_ndarray(stacked, format="yuv420p")
        frame.pts, frame.time_base = number, Fraction(1, 30)
        packets += encoder.encode(frame)
    packets += encoder.encode(None)
    decoder = av.CodecContext.create(row.decoder, "r")
    shown = [frame for packet in [*packets, None] for frame in decoder.decode(packet)]
    return [np.frombuffer(memoryview(f.planes[0]), np.uint8).reshape(288, -1)[:, :448].astype(np.float32) for f in shown]


def test_codecs_are_ranked_by_what_they_keep_of_the_programme() -> None:
    """The judge is the clean original, not the tape: errors that stay when several noises are put on it and averaged out, so that noise
    kept counts neither way. Three codecs, and a spread of one scale over all of them."""
    clean = _moving(14)
    takes = [_moving(14, sigma=4, seed=seed) for seed in (1, 2, 3)]
    judge = _judge(takes[0])
    ours, direct, truth = [], [], []
    flat = weights_at(down=1, across=1)
    for codec, quality in (("h264", 19), ("h264", 25), ("h264", 31), ("hevc", 22), ("hevc", 30), ("av1", 30), ("av1", 48)):
        made = [_encode(take, codec, quality) for take in takes]
        ours.append(_television(_judged(judge, made[0])))
        direct.append(np.mean([detail_db(seen_error(Blocks.of(takes[0][n]), Blocks.of(made[0][n]), flat)) for n in (4, 8)]))
        # Two different noises have nothing in common: what is left of their product is the systematic error.
        errors = [[(Blocks.of(one[n]).waves - Blocks.of(clean[n]).waves) * flat.seen for one in made] for n in (4, 8)]
        shared = np.mean([(one * other).mean() for pair in errors for one, other in itertools.combinations(pair, 2)])
        truth.append(detail_db(max(1e-3, float(shared))))
    assert spearmanr(ours, truth)[0] > 0.85

    def stray(measured: list[float]) -> float:
        """How far the truth lies from what a line through the measured values says of it, rms in dB."""
        return float(np.std(np.polyval(np.polyfit(measured, truth, 1), measured) - truth))

    assert stray(ours) < stray([float(one) for one in direct])
    assert set(VIEWINGS) == set(_judged(judge, takes[0]).seen)
