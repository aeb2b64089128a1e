"""Each measurement finds the fault that was put in, in its amount, and none where there is none."""

from __future__ import annotations

import itertools
from fractions import Fraction

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from tests.making import Luma, noisy, programme_frames, sliding_frames
from tests.reading.seeing import caption_line, displaced, grainy, sight, sights, textured, timecode_line
from yomikomi.core.reading.measures.borders import BorderMeter
from yomikomi.core.reading.measures.composite import CompositeMeter, chroma_delay
from yomikomi.core.reading.measures.digital import banding, blocking
from yomikomi.core.reading.measures.dropouts import DropoutMeter
from yomikomi.core.reading.measures.echoes import EchoMeter, HumBarMeter
from yomikomi.core.reading.measures.hidden_lines import HiddenLinesMeter
from yomikomi.core.reading.measures.levels import LevelMeter
from yomikomi.core.reading.measures.light import LightMeter
from yomikomi.core.reading.measures.line_timing import jitter_of, wobble_of
from yomikomi.core.reading.measures.losses import losses_of
from yomikomi.core.reading.measures.noise import NoiseMeter
from yomikomi.core.reading.measures.samples import median_of, rate_of
from yomikomi.core.reading.measures.structure import black_stretches, make_structure
from yomikomi.core.reading.models import Borders, Colour, Complexity, Levels, Shape, Structure
from yomikomi.core.reading.scan.evidence import EvidenceMeter
from yomikomi.core.reading.sight import Sight

SHAPE = Shape(width=720, height=480, sample_aspect="8/9", display_aspect="4/3", shape="4:3")
LIMITED = Colour(primaries=6, transfer=6, matrix=6, range=1, words="")


def _borders(pictures: list[Luma], shape: Shape = SHAPE, *, tape: bool = False) -> Borders | None:
    meter = BorderMeter()
    seen = sights(pictures)
    for before, now in itertools.pairwise(seen):
        meter.look(before, now)
    return meter.result(shape, tape=tape)


@pytest.mark.parametrize("sides", [(0, 0, 0, 0), (60, 60, 0, 0), (8, 0, 12, 5), (0, 0, 88, 88), (2, 3, 7, 1)])
@pytest.mark.parametrize("sigma", [0.0, 4.0])
def test_borders_to_the_sample(sides: tuple[int, int, int, int], sigma: float) -> None:
    top, bottom, left, right = sides
    pictures = []
    for number in range(8):
        picture = textured(seed=number, low=60)
        canvas = np.full_like(picture, 16)
        canvas[top : 480 - bottom, left : 720 - right] = picture[top : 480 - bottom, left : 720 - right]
        # Some scenes are dark: they must not widen the border.
        pictures.append(grainy(canvas if number % 3 else (16 + (canvas - 16) * 0.15).astype(np.uint8), sigma, number))
    found = _borders(pictures)
    assert found is not None
    got = (found.top, found.bottom, found.left, found.right)
    assert max(abs(a - b) for a, b in zip(got, sides, strict=True)) <= 1
    assert not found.moving


def test_what_borders_cannot_tell() -> None:
    dark = [grainy(np.full((480, 720), 17, np.uint8), 2.0, number) for number in range(5)]
    assert _borders(dark) is None
    title = np.full((480, 720), 16, np.uint8)
    title[200:240, 300:420] = 220  # white words on black
    assert _borders([title] * 5) is None


def test_borders_that_come_and_go() -> None:
    boxed = np.full((480, 720), 16, np.uint8)
    pictures = []
    for number in range(52):
        picture = textured(seed=number, low=60)
        if number >= 26:
            picture = np.concatenate([boxed[:60], picture[60:420], boxed[:60]])
        pictures.append(picture)
    found = _borders(pictures)
    assert found is not None
    assert (found.top, found.moving) == (0, True)
    assert found.changes[0][1][:2] == [60, 60]
    assert abs(found.changes[0][0] - 26) <= 12


@pytest.mark.parametrize(
    ("bars", "shape", "likely"),
    [
        ((60, 60, 0, 0), "4:3", "4:3"), ((0, 0, 0, 0), "4:3", None), ((60, 60, 0, 0), "2:1", None),
        ((0, 0, 88, 88), "4:3", "16:9"),
    ],
)  # fmt: skip
def test_a_stretched_picture_is_told_by_its_letterbox(bars: tuple[int, int, int, int], shape: str, likely: str | None) -> None:
    """A 16:9 picture letterboxed in 4:3 is right at 4:3. Bars of an eighth above and below fit 4:3 and 16:9 alike: not told. A
    4:3 picture between sides belongs into 16:9."""
    wide, _, high = shape.partition(":")
    aspect = Fraction(wide) / Fraction(high)
    flagged = SHAPE.model_copy(update={"sample_aspect": str(aspect * 480 / 720), "display_aspect": str(aspect), "shape": shape})
    pictures = []
    for number in range(4):
        picture = textured(seed=number, low=60)
        picture[: bars[0]] = picture[480 - bars[1] :] = 16
        picture[:, : bars[2]] = picture[:, 720 - bars[3] :] = 16
        pictures.append(picture)
    found = _borders(pictures, flagged)
    assert found is not None
    assert found.likely_shape == likely
    assert found.shape_reason


def test_head_switching_band() -> None:
    rng = np.random.default_rng(5)
    pictures = []
    for number in range(10):
        picture = grainy(textured(seed=2), 3.0, number)
        shift = np.zeros(480)
        shift[472:] = 14 + 4 * rng.standard_normal()
        torn = displaced(picture, shift)
        torn[472:] = grainy(torn[472:], 25.0, 100 + number)
        pictures.append(torn)
    found = _borders(pictures, tape=True)
    assert found is not None
    assert 7 <= found.head_switching_lines <= 10
    plain = _borders([grainy(textured(seed=2), 3.0, number) for number in range(10)], tape=True)
    assert plain is not None
    assert plain.head_switching_lines == 0


@pytest.mark.parametrize("sigma", [0.0, 1.5, 4.0, 8.0])
def test_noise_in_its_strength(sigma: float) -> None:
    """On a picture of which a third moves."""
    meter = NoiseMeter()
    base = [textured(seed=3)] * 6
    pictures = []
    for number, picture in enumerate(base):
        moving = picture.copy()
        moving[:, :240] = np.roll(picture, 5 * number, axis=1)[:, :240]
        pictures.append(grainy(moving, sigma, number))
    seen = sights(pictures)
    for before, now in itertools.pairwise(seen):
        meter.look(before, now)
    luma, chroma = meter.result()
    assert luma is not None
    assert luma.value == pytest.approx(sigma, abs=0.1 + 0.12 * sigma)
    assert chroma is not None
    assert chroma.value == pytest.approx(0, abs=0.1)


@pytest.mark.parametrize("size", [0.0, 0.2, 0.5])
@pytest.mark.parametrize("sigma", [0.0, 3.0])
def test_jitter_of_lines(size: float, sigma: float) -> None:
    rng = np.random.default_rng(4)
    field = cv2.GaussianBlur(textured(height=240, fine=12.0), (9, 1), 2).astype(np.uint8)
    shaken = grainy(displaced(field, size * rng.standard_normal(240)), sigma, 1)
    found = jitter_of(shaken.astype(np.float32), noise=sigma)
    assert found is not None
    # What differs from line to line in the picture itself counts as a little jitter.
    assert found == pytest.approx(size, abs=0.13)


@pytest.mark.parametrize("size", [0.0, 0.4, 1.0])
def test_wobble_between_frames(size: float) -> None:
    """A slow bend that moves; a pan of the whole is no wobble."""
    field = cv2.GaussianBlur(textured(height=240, width=760, fine=12.0), (9, 1), 2).astype(np.uint8)
    place = np.arange(240) / 240
    one, two = (displaced(field, size * np.sqrt(2) * np.sin(2 * np.pi * 1.5 * place + phase)) for phase in (0.0, 1.9))
    found = wobble_of(one[:, :720].astype(np.float32), two[:, 1:721].astype(np.float32), noise=0.0)
    assert found is not None
    # Two sines 1.9 rad apart differ by 2 sin(0.95) of their size; two frames that wobble by themselves, by √2.
    assert found == pytest.approx(size * 2 * np.sin(0.95) / np.sqrt(2), rel=0.3, abs=0.06)


def test_dropouts_are_found_where_they_are() -> None:
    rng = np.random.default_rng(6)
    meter, truth = DropoutMeter(), []
    base = textured(seed=8, low=80, high=170)
    pictures = []
    for number in range(40):
        picture = grainy(base, 3.0, number)
        if number % 4 == 1:
            line, first, length = int(rng.integers(10, 440)), int(rng.integers(0, 600)), int(rng.integers(24, 110))
            picture[line, first : first + length] = 235 if number % 8 == 1 else 16
            truth.append((number, line, first, length))
        pictures.append(picture)
    seen = sights(pictures)
    for before, now in itertools.pairwise(seen):
        meter.look(before, now, noise=3.0)
    found = list(meter.places)
    hits = [t for t in truth if any(f[0] == t[0] and f[1] == t[1] and abs(f[2] - t[2]) <= 12 for f in found)]
    assert len(hits) >= 0.9 * len(truth)
    false = [f for f in found if not any(f[:2] == t[:2] for t in truth)]
    assert len(false) <= 1
    rate = meter.result(1 / 25)
    assert rate is not None
    assert rate.low < len(truth) / (39 / 25 / 60) < rate.high


@pytest.mark.parametrize("delay", [-2.0, 0.0, 1.5, 4.0])
def test_chroma_that_comes_late(delay: float) -> None:
    """Colour and luma of the same things, of a tape's bandwidths."""
    base = cv2.GaussianBlur(textured(seed=9, low=16, high=235, fine=0.0), (15, 1), 3)
    late = displaced(base, np.full(480, delay))
    cb = cv2.GaussianBlur(late, (31, 1), 6)[:, ::2]
    cr = 255 - cb
    found = chroma_delay(base, (cb.astype(np.float32), cr.astype(np.float32)))
    assert found is not None
    assert found == pytest.approx(delay, abs=0.5)


def test_dot_crawl_and_cross_colour() -> None:
    """A subcarrier of 3.58 MHz left in the luma, turning from frame to frame; and colour that flickers on fine stripes."""
    meters = [CompositeMeter(), CompositeMeter()]
    base = textured(seed=10)
    base[:, 100:400] = np.where(np.arange(300) % 4 < 2, 90, 170)
    x, y = np.meshgrid(np.arange(720), np.arange(480))
    carrier = 5 * np.cos(2 * np.pi * 3.579545 / 13.5 * x + np.pi * y)
    grey = np.full((480, 360), 128, np.uint8)
    for number in range(6):
        for meter, dirty in zip(meters, (True, False), strict=True):
            pair = []
            for turn in (0, 1):
                sign = 1 - 2 * turn
                luma = grainy(np.clip(base + (sign * carrier if dirty else 0), 0, 255).astype(np.uint8), 1.0, 10 * number + turn)
                cb = grey.copy()
                if dirty:
                    cb[:, 50:200] = 128 + sign * 8
                pair.append(sight(luma, 2 * number + turn, cb=cb, cr=grey))
            meter.look(*pair)
    (_, crawl, cross), (_, no_crawl, no_cross) = meters[0].result(), meters[1].result()
    assert crawl is not None
    assert crawl > 15
    assert cross is not None
    assert cross > 8
    assert no_crawl is None or no_crawl < 6
    assert no_cross is None or no_cross < 1


@pytest.mark.parametrize("strength", [0.15, -0.1])
def test_a_ghost_by_its_distance_and_strength(strength: float) -> None:
    meter, clean = EchoMeter(), EchoMeter()
    for seed in range(12):
        base = textured(seed=seed, fine=10.0)
        echo = np.clip(base + strength * (np.roll(base, 34, axis=1).astype(float) - 125), 0, 255).astype(np.uint8)
        meter.look(sight(echo), sight(echo))
        clean.look(sight(base), sight(base))
    found = meter.result()
    assert found is not None
    assert found[0] == pytest.approx(34, abs=1)
    assert found[1] == pytest.approx(strength, abs=0.06)
    assert clean.result() is None


def test_a_hum_bar_that_rolls() -> None:
    rolling, clean = HumBarMeter(), HumBarMeter()
    lines = np.arange(480) / 480
    for seed in range(10):
        base = textured(seed=seed)
        bars = [np.round(6 * np.sin(2 * np.pi * (lines + 0.37 * seed + turn * 0.1)))[:, None] for turn in (0, 1)]
        one, two = (np.clip(base + bar, 0, 255).astype(np.uint8) for bar in bars)
        rolling.look(sight(one), sight(two))
        clean.look(sight(base), sight(grainy(base, 2.0, seed)))
    found = rolling.result()
    assert found is not None
    # Turning by a tenth changes an amplitude of 6 by 2 · 6 · sin(π/10).
    assert found == pytest.approx(12 * np.sin(np.pi * 0.1), rel=0.15)
    assert clean.result() is None


def test_blocks_and_bands() -> None:
    base = cv2.GaussianBlur(textured(seed=11, fine=10.0), (3, 3), 1)
    mean = cv2.resize(cv2.resize(base, (90, 60), interpolation=cv2.INTER_AREA), (720, 480), interpolation=cv2.INTER_NEAREST)
    blocked = cv2.addWeighted(base, 0.6, mean, 0.4, 0)
    assert blocking(base) < 1.15
    assert blocking(blocked) > 1.35
    assert blocking(np.roll(blocked, 3, axis=1)) == pytest.approx(blocking(blocked), rel=0.05)  # cropped: the grid lies elsewhere
    ramp = np.linspace(60, 120, 720)[None, :] + np.linspace(0, 8, 480)[:, None]
    dithered = np.clip(np.round(ramp + np.random.default_rng(1).normal(0, 0.7, ramp.shape)), 0, 255).astype(np.uint8)
    flat = (ramp // 4 * 4).astype(np.uint8)
    assert banding(flat)[0] > 0.6
    assert banding(dithered)[0] < 0.2


def _levels(pictures: list[Luma], colour: Colour = LIMITED, noise: float = 0.0, scenes: int = 6) -> Levels:
    meter = LevelMeter()
    for one in sights(pictures):
        meter.look(one, one)
    found = meter.result(colour, noise=noise, depth=8, scenes=scenes)
    assert found is not None
    return found


def test_levels_tell_tone_and_range() -> None:
    scenes = [textured(seed=seed, low=0, high=255).astype(float) for seed in range(6)]
    deep = [(scene - scene.min()) / (scene.max() - scene.min()) for scene in scenes]

    def coded(low: float, high: float) -> list[Luma]:
        return [np.round(low + (high - low) * np.clip(scene, 0, 1)).astype(np.uint8) for scene in deep]

    ends = [np.clip((scene - 0.5) * 1.8 + 0.5, 0, 1) for scene in deep]  # black and white are in use, as in most scenes
    limited, full = (_levels([np.round(low + (high - low) * one).astype(np.uint8) for one in ends]) for low, high in ((16, 235), (0, 255)))
    assert (limited.range_found, full.range_found) == ("limited", "full")
    assert limited.black == pytest.approx(16, abs=2)
    assert _levels(coded(45, 190)).tone == "washed out"
    assert _levels(coded(42, 235)).tone == "raised black"
    assert _levels(coded(42, 235)[:1] * 6, scenes=1).tone == "undetermined"  # one scene may be meant so
    crushed = [np.clip(picture.astype(int) - 80, 16, 235).astype(np.uint8) for picture in coded(16, 235)]
    assert _levels(crushed).tone == "crushed black"
    blown = [np.clip(picture.astype(int) + 80, 16, 235).astype(np.uint8) for picture in coded(16, 235)]
    assert _levels(blown).tone == "clipped white"
    one_sided = _levels([np.clip(np.round(200 * one), 2, 180).astype(np.uint8) for one in ends])
    assert one_sided.range_found == "undetermined"


def test_a_cast_and_its_drift() -> None:
    meter = LevelMeter()
    base = textured(seed=1, low=60, high=200)
    for number in range(48):
        cb = np.full((480, 360), 128 + 4, np.uint8)
        cr = np.full((480, 360), 128 - 6 + number // 8, np.uint8)
        one = sight(base, number, cb=cb, cr=cr)
        meter.look(one, one)
    found = meter.result(LIMITED, noise=0.0, depth=8, scenes=6)
    assert found is not None
    assert found.cast[0] == pytest.approx(4, abs=0.3)
    assert found.cast_drift == pytest.approx(5, abs=1)


def _losses(pictures: list[Luma]) -> tuple[list[int], list[tuple[int, int]]]:
    evidence = EvidenceMeter()
    for number, picture in enumerate(pictures):
        evidence.see(Sight(number, number, picture))
    found = losses_of([(0, evidence.evidence)], [])
    return found.repeated, found.frozen


@pytest.mark.parametrize("sigma", [0.0, 5.0])
def test_repeated_frames_in_noise(sigma: float) -> None:
    """Ten repeats in a programme that lost six frames; new noise lies on each frame, as behind a tape player's memory."""
    rng = np.random.default_rng(3)
    whole = programme_frames(260, width=480, height=360, seed=2)
    numbers = list(range(250))
    lost = sorted(rng.choice(np.arange(20, 230), 6, replace=False).tolist())
    again = sorted(set(rng.choice(np.arange(20, 230), 10, replace=False).tolist()) - {at + d for at in lost for d in range(-5, 6)})
    kept = [number for number in numbers if number not in lost]
    order = [number for number in kept for _ in range(2 if number in again else 1)]
    truth = [at for at in range(1, len(order)) if order[at] == order[at - 1]]
    repeated, frozen = _losses(noisy([whole[number] for number in order], sigma))
    assert frozen == []
    right = set(repeated) & set(truth)
    assert len(right) >= 0.8 * len(truth)
    assert len(right) >= 0.8 * max(1, len(repeated))


@pytest.mark.parametrize("sigma", [0.0, 4.0])
def test_what_begins_or_ends_to_move_repeats_nothing(sigma: float) -> None:
    """A still title, a pan, a still end; and in the middle of the pan one frame twice."""
    pan = sliding_frames(40, width=480, height=360, speed=3.0)
    frames = [pan[0]] * 12 + pan[1:20] + [pan[19]] + pan[20:] + [pan[-1]] * 12
    repeated, frozen = _losses(noisy(frames, sigma))
    assert repeated == [31]
    assert (frozen if sigma else []) == []


def test_a_frozen_recorder_keeps_its_grain() -> None:
    frames = noisy(programme_frames(60, width=360, height=288, seed=7), 4.0)
    frames[30:40] = [frames[29]] * 10
    _, frozen = _losses(frames)
    assert frozen == [(30, 10)]
    still = noisy([programme_frames(1, width=360, height=288, seed=7)[0]] * 60, 4.0)
    assert _losses(still)[1] == []


def test_black_fades_and_stray_fragments() -> None:
    rate = Fraction(25)
    bright = textured(width=320, height=240, seed=4)

    def dimmed(part: float) -> Luma:
        return (16 + (bright - 16.0) * part).astype(np.uint8)

    black = [dimmed(0.0)] * 50
    fade = [dimmed(part) for part in np.linspace(1, 0, 25)]
    body = [np.roll(bright, 3 * number, axis=1) for number in range(900)]
    pictures = [*black, *fade[::-1], *body, *fade, *[dimmed(0.0)] * 150, *body[:20], *black]
    meter = LightMeter()
    for number, picture in enumerate(pictures):
        meter.see(Sight(number, number, grainy(picture, 1.0, number) if number % 2 else picture))
    light = meter.table
    stretches = black_stretches(light, rate=rate, noise=1.0)
    assert len(stretches) == 3
    complexity = Complexity(frames_per_cell=12, cell_bytes=[10 + (n * 7) % 50 for n in range(len(pictures) // 12)])
    found = make_structure(light, [], complexity, frames=len(light), rate=rate, noise=1.0, spatial=None, temporal=None)
    assert found.head_black_seconds == pytest.approx(2.0, abs=0.3)
    assert found.tail_black_seconds == pytest.approx(2.0, abs=0.3)
    assert [kind for _, _, kind in found.fades] == ["in", "out"]
    first, last = found.fragments[0]
    assert first == pytest.approx(50 + 25 + 900 + 25 + 150, abs=3)
    assert last - first + 1 == pytest.approx(20, abs=3)
    assert complexity.cell_bytes[found.hardest_frame // 12] == max(complexity.cell_bytes)


def test_short_black_at_the_end_and_a_stray_after_two_seconds_are_told() -> None:
    """0.8 s of black at the very end counted as none; a stray after 4.8 s of black was not told. With sound, the black must be silent."""
    body = [np.roll(textured(width=320, height=240, seed=4), 3 * number, axis=1) for number in range(300)]
    black = [np.full((240, 320), 16, np.uint8)]

    def structure(pictures: list[Luma], silences: list[tuple[float, float]] | None = None) -> Structure:
        meter = LightMeter()
        for number, picture in enumerate(pictures):
            meter.see(Sight(number, number, picture))
        cells = Complexity(frames_per_cell=12, cell_bytes=[1] * (len(pictures) // 12))
        return make_structure(
            meter.table, [], cells, frames=len(pictures), rate=Fraction(25), noise=0.5, spatial=None, temporal=None, silences=silences
        )  # fmt: skip

    assert structure(body + black * 20).tail_black_seconds == pytest.approx(0.8, abs=0.05)
    assert structure(body + black * 10).tail_black_seconds == 0
    stray = body + black * 60 + body[:20]
    assert structure(stray).fragments == [(360, 379)]
    assert structure(stray, [(11.9, 14.4)]).fragments == [(360, 379)]
    assert structure(stray, []).fragments == []
    assert structure(body + black * 30 + body[:20]).fragments == []


@pytest.mark.parametrize("still", [1.0, 0.5, 0.2])
@pytest.mark.parametrize(("sigma", "along"), [(2.0, 0.0), (5.0, 0.7), (9.0, 0.0)])
def test_noise_lies_within_the_interval_told_however_much_moves(sigma: float, along: float, still: float) -> None:
    """σ 2, 5 and 9 read 4 to 7 % too high, with intervals a tenth of that."""
    meter, rng = NoiseMeter(), np.random.default_rng(7)

    def grain() -> NDArray[np.float32]:
        noise = rng.standard_normal((480, 720)).astype(np.float32)
        if along:
            noise = cv2.GaussianBlur(noise, (0, 0), sigmaX=along, sigmaY=0.01)
        return np.float32(sigma) * noise / noise.std()

    for seed in range(5):
        one = textured(seed=seed, low=40, high=200)
        two, moved = one.copy(), round((1 - still) * 720)
        two[:, :moved] = np.roll(one, 5, axis=1)[:, :moved]
        meter.look(*(sight(np.clip(np.round(each + grain()), 0, 255).astype(np.uint8)) for each in (one, two)))
    found = meter.result()[0]
    assert found is not None
    assert found.low <= np.hypot(sigma, np.sqrt(1 / 12)) <= found.high
    assert found.high - found.low < 0.45 * sigma


def test_strong_noise_reaches_beyond_the_range_by_itself() -> None:
    """The margin for noise passed below the lowest code, and all of a tape was told to lie below 16."""
    for sigma in (4.0, 6.0, 9.0, 30.0):
        meter = LevelMeter()
        for seed in range(4):
            picture = sight(grainy(textured(seed=seed), sigma, seed), seed)
            meter.look(picture, picture)
        found = meter.result(Colour(range=0, primaries=2, transfer=2, matrix=2, words=""), noise=sigma, depth=8, scenes=4)
        assert found is not None
        assert found.below_16 < 0.01
        assert found.above_235 < 0.01


def test_captions_and_timecode_in_the_first_lines() -> None:
    """Waveforms made to the standards are read by the library's decoders; a picture without them has none."""
    carrying, plain = HiddenLinesMeter(), HiddenLinesMeter()
    words = "LANTERN PARADE 93"
    for number in range(8):
        base = textured(seed=number)
        pair = (ord(words[2 * number]) << 8) | ord(words[2 * number + 1])
        base[0] = base[1] = caption_line(pair)
        base[4] = base[6] = timecode_line(1, 2, 3, number)
        before = sight(textured(seed=100 + number), number)
        carrying.look(before, sight(base, number))
        plain.look(before, before)
    found = carrying.result()
    assert found.captions >= 6
    assert "NTERN" in found.caption_bytes
    assert found.timecode is not None
    assert found.timecode.startswith("01:02:03")
    assert plain.result().captions == 0
    assert plain.result().timecode is None


def test_values_come_with_their_intervals() -> None:
    rng = np.random.default_rng(8)
    inside = 0
    for _ in range(200):
        found = median_of(list(rng.normal(5, 1, 30)), "codes")
        assert found is not None
        inside += found.low <= 5 <= found.high
    assert 0.82 <= inside / 200 <= 0.97
    few, many = (rate_of(count, minutes, "a minute") for count, minutes in ((3, 1.0), (300, 100.0)))
    assert few is not None
    assert many is not None
    assert many.high - many.low < few.high - few.low
    assert median_of([1.0], "codes") is None
    assert rate_of(0, 0.0, "a minute") is None
