"""What went into the encoders, kept small: pictures as thumbnails and cuttings, sound as an envelope. The finished copy is held against it.

Taken while the copy is encoded, since treating a take a second time costs half of an encode. Thumbnails tell whether each moment of the
copy is that of the treated take (not black, not frozen, not a frame off, levels as they were); cuttings how near it is, stretch by
stretch; the envelope whether sound is in step along the whole length, and nowhere silent where it was not.
"""

from __future__ import annotations

import base64
import math
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, field
from fractions import Fraction

import av
import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from yomikomi.core.reading.sound import to_float
from yomikomi.core.video.planes import bits, luma

# Thumbnails: their size, and how many a second. Frames on either side of one that the copy is looked at too.
THUMB_WIDE, THUMB_HIGH, THUMBS_PER_SECOND, AROUND = 16, 12, 2, 2
# Cuttings: a square of so many samples from the middle, every so many thumbnails.
CUTTING, CUTTING_EVERY = 64, 16
# Envelope: steps a second, and what stands for silence (dB below full scale, as a positive number).
STEPS_PER_SECOND, SILENCE_DB = 200, 120

# No witness of ours is larger, bytes.
_LARGEST = 1 << 28

# Luma of a picture, shape=(height, width), code values 0…255; flat, shape=(values,), where it was just taken out of a document.
Bytes = NDArray[np.uint8]


class Witness(BaseModel):
    """As it is kept: arrays deflated, as text. ``every``: frames from thumbnail to thumbnail; ``sounds``: an envelope for each sound
    stream that was encoded, None for one that was copied."""

    model_config = ConfigDict(frozen=True)

    every: int
    thumbs: str
    cuttings: str
    sounds: tuple[str | None, ...] = ()


class PictureWitness:
    """Looks at the pictures that an encoder is given, or that a decoder gives."""

    def __init__(self, every: int, *, around: int = 0) -> None:
        self.every, self._around = max(1, every), around
        self.thumbs: dict[int, Bytes] = {}
        self.cuttings: dict[int, Bytes] = {}

    def see(self, number: int, frame: av.VideoFrame) -> None:
        """``number``: of the frame in the copy, from 0."""
        off = (number + self._around) % self.every
        if off > 2 * self._around and self.every > 2 * self._around:
            return
        picture = eight_bits(frame)
        self.thumbs[number] = np.asarray(cv2.resize(picture, (THUMB_WIDE, THUMB_HIGH), interpolation=cv2.INTER_AREA), np.uint8)
        if number % (self.every * CUTTING_EVERY) == 0:
            self.cuttings[number] = middle_of(picture)

    def kept(self, within: range | None = None) -> tuple[str, str]:
        """Of all frames, or of some."""
        thumbs, cuttings = ([some[one] for one in sorted(some) if within is None or one in within] for some in (self.thumbs, self.cuttings))
        return _packed(thumbs), _packed(cuttings)

    def take_up(self, thumbs: str, cuttings: str, within: range) -> None:
        """What :meth:`kept` gave of some frames."""
        for words, some, shape, step in (
            (thumbs, self.thumbs, (THUMB_HIGH, THUMB_WIDE), self.every),
            (cuttings, self.cuttings, (CUTTING, CUTTING), self.every * CUTTING_EVERY),
        ):
            numbers = range(-(-within.start // step) * step, within.stop, step)
            some.update(zip(numbers, _unpacked(words, shape), strict=True))


# Stamps that differ by less are the same moment, seconds.
_SAME_S = 1e-6


class SoundWitness:
    """The envelope of one stream: mean power in steps of 5 ms. Blocks lie where their stamps say; what is between is silence."""

    def __init__(self) -> None:
        self._power: NDArray[np.float64] = np.zeros(0)
        self._count: NDArray[np.float64] = np.zeros(0)
        # Blocks that follow each other without a gap, until they are a second long: each alone would cost as much.
        self._waiting: list[NDArray[np.float64]] = []
        self._begin = self._end = 0.0
        self._rate = 0

    def hear(self, frame: av.AudioFrame, begin: float) -> None:
        """``begin``: seconds after the first picture."""
        wave = to_float(frame)
        if not wave.size or not frame.sample_rate:
            return
        if self._waiting and (abs(begin - self._end) > _SAME_S or frame.sample_rate != self._rate or self._end - self._begin > 1.0):
            self._take_in()
        if not self._waiting:
            self._begin, self._rate = begin, frame.sample_rate
        self._waiting.append(np.mean(wave.astype(np.float64) ** 2, axis=0))
        self._end = begin + frame.samples / frame.sample_rate

    def _take_in(self) -> None:
        power, self._waiting = np.concatenate([np.zeros(0), *self._waiting]), []
        places = np.floor((self._begin + np.arange(len(power)) / max(1, self._rate)) * STEPS_PER_SECOND + 1e-6).astype(np.int64)
        known = places >= 0
        if not known.any():
            return
        self._grow(int(places[-1]) + 1)
        first, last = int(places[known][0]), int(places[-1]) + 1
        self._power[first:last] += np.bincount(places[known] - first, power[known], last - first)
        self._count[first:last] += np.bincount(places[known] - first, minlength=last - first)

    def _grow(self, length: int) -> None:
        if length > len(self._power):
            more = max(length, 2 * len(self._power)) - len(self._power)
            self._power, self._count = (np.concatenate([one, np.zeros(more)]) for one in (self._power, self._count))

    def levels(self) -> NDArray[np.float64]:
        """shape=(steps,), dB below full scale as negative numbers, −120 for silence."""
        self._take_in()
        used = int(np.flatnonzero(self._count)[-1]) + 1 if self._count.any() else 0
        mean = self._power[:used] / np.maximum(1.0, self._count[:used])
        return np.asarray(np.clip(10 * np.log10(np.maximum(mean, 1e-12)), -SILENCE_DB, 0.0))

    def kept(self) -> str:
        return _packed([np.round(self.levels() + SILENCE_DB).astype(np.uint8)])


@dataclass(frozen=True)
class PictureFindings:
    """``worst``: the largest mean difference of a thumbnail, code values of 255, and where, seconds; ``shift``: mean signed difference
    over all; ``off``: of ``telling`` moments those that fit another frame better; ``frozen``: moments at which the copy stands still and
    the take does not; ``closeness``: PSNR of the cuttings, mean and least, decibels, and where the least is."""

    moments: int
    worst: float
    worst_at: float
    shift: float
    telling: int
    off: int
    frozen: int
    closeness: tuple[float, float, float] | None


@dataclass(frozen=True)
class SoundFindings:
    """``offset_ms``: by how much the copy is late, median over windows; ``widest_ms``: the farthest of nine in ten windows from it in
    step; None where there is too little to tell. ``silent_s``: seconds in which the copy is silent and the take is not."""

    offset_ms: float | None
    widest_ms: float | None
    silent_s: float


def eight_bits(frame: av.VideoFrame) -> Bytes:
    """Luma, shape=(height, width)."""
    picture, depth = luma(frame), bits(frame)
    return picture if depth == 8 else (picture >> (depth - 8)).astype(np.uint8)


def middle_of(picture: Bytes) -> Bytes:
    """A square from the middle, shape=(CUTTING, CUTTING); of smaller pictures what there is, the rest black."""
    high, wide = picture.shape
    top, left = max(0, (high - CUTTING) // 2), max(0, (wide - CUTTING) // 2)
    found = picture[top : top + CUTTING, left : left + CUTTING]
    made = np.zeros((CUTTING, CUTTING), np.uint8)
    made[: found.shape[0], : found.shape[1]] = found
    return made


# Another frame fits better where it is nearer by three tenths: poor encodes of drawn pictures lag behind, too, but less clearly.
_NEARER = 0.7


def compare_pictures(kept: Witness, seen: PictureWitness, rate: Fraction) -> PictureFindings:
    """``seen``: of the finished copy, with frames around each moment."""
    meant = _unpacked(kept.thumbs, (THUMB_HIGH, THUMB_WIDE))
    worst, worst_at, shifts, telling, off, frozen, count = 0.0, 0.0, [], 0, 0, 0, 0
    before: tuple[Bytes, Bytes] | None = None
    for place, thumb in enumerate(meant):
        number = place * kept.every
        found = seen.thumbs.get(number)
        if found is None:
            continue
        count += 1
        difference = found.astype(np.int16) - thumb
        mean = float(np.abs(difference).mean())
        shifts.append(float(difference.mean()))
        if mean > worst:
            worst, worst_at = mean, float(number / rate)
        nearness = {
            step: float(np.abs(near.astype(np.int16) - thumb).mean())
            for step in range(-AROUND, AROUND + 1) if (near := seen.thumbs.get(number + step)) is not None
        }  # fmt: skip
        best = min(nearness, key=lambda step: (nearness[step], abs(step)))
        # Telling: neighbours differ by more than what an encoder does to a thumbnail.
        others = [value for step, value in nearness.items() if step != 0]
        if others and max(others) - min(nearness.values()) > 1.0:
            telling += 1
            off += best != 0 and nearness[0] - nearness[best] > 0.5 and nearness[best] < _NEARER * nearness[0]
        if before is not None:
            moved, copied = (float(np.abs(a.astype(np.int16) - b).mean()) for a, b in ((thumb, before[0]), (found, before[1])))
            frozen += moved > 8.0 and copied < 0.03 * moved
        before = thumb, found
    shift = float(np.mean(shifts)) if shifts else 0.0
    return PictureFindings(count, worst, worst_at, shift, telling, off, frozen, _closeness(kept, seen, rate))


def _closeness(kept: Witness, seen: PictureWitness, rate: Fraction) -> tuple[float, float, float] | None:
    cuttings, step = _unpacked(kept.cuttings, (CUTTING, CUTTING)), kept.every * CUTTING_EVERY
    errors = {
        place * step: float(np.mean((found.astype(np.float64) - cutting) ** 2))
        for place, cutting in enumerate(cuttings) if (found := seen.cuttings.get(place * step)) is not None
    }  # fmt: skip
    if not errors:
        return None
    worst = max(errors, key=lambda number: errors[number])
    return _psnr(float(np.mean(list(errors.values())))), _psnr(errors[worst]), float(worst / rate)


def compare_sound(kept: str, seen: SoundWitness) -> SoundFindings:
    """Of one stream."""
    meant = _unpacked_flat(kept).astype(np.float64) - SILENCE_DB
    found = seen.levels()
    length = min(len(meant), len(found))
    if not length:
        return SoundFindings(None, None, len(meant) / STEPS_PER_SECOND if (meant > -60).any() else 0.0)
    found = np.concatenate([found, np.full(max(0, len(meant) - len(found)), -float(SILENCE_DB))])[: len(meant)]
    loud = _smooth(meant) > -55.0
    silent = float((loud & (_smooth(found) < -90.0)).sum()) / STEPS_PER_SECOND
    window = _WINDOW_S * STEPS_PER_SECOND
    offsets = [told for first in range(0, length, window) if (told := _offset(meant, found, first, first + window)) is not None]
    if not offsets:
        return SoundFindings(None, None, silent)
    ms = np.array(offsets) * 1000 / STEPS_PER_SECOND
    return SoundFindings(float(np.median(ms)), float(np.quantile(np.abs(ms), 0.9)), silent)


_WINDOW_S = 8  # that is compared at once
_REACH = 60  # steps that a window is shifted by at most


def _offset(meant: NDArray[np.float64], found: NDArray[np.float64], first: int, end: int) -> float | None:
    """By how many steps a window of the copy is late, with a parabola between steps; None where it says nothing: too even, or so regular
    that another place fits as well. The amplitude is correlated, not its logarithm: codecs change what is very quiet."""
    one, other = (10 ** (np.maximum(part[first:end], -60.0) / 20) for part in (meant, found))
    if len(one) < 4 * _REACH:
        return None
    inner = one[_REACH:-_REACH]
    if np.std(inner) < 0.1 * np.mean(inner) or np.mean(inner) < 10 ** (-50 / 20):
        return None
    inner, other = inner - one.mean(), other - other.mean()
    scale = np.linalg.norm(inner)
    scores = np.array([
        float(inner @ (part := other[_REACH + lag : len(other) - _REACH + lag])) / max(1e-12, float(scale * np.linalg.norm(part)))
        for lag in range(-_REACH, _REACH + 1)
    ])  # fmt: skip
    best = int(np.argmax(scores))
    if scores[best] < 0.8 or best in {0, len(scores) - 1} or _has_rival(scores, best):
        return None
    low, middle, high = scores[best - 1 : best + 2]
    bend = low - 2 * middle + high
    return best - _REACH + (0.5 * (low - high) / bend if bend < 0 else 0.0)


# Of two peaks that differ by less, with a valley as deep between them, neither is the place.
_RIVAL = 0.05


def _has_rival(scores: NDArray[np.float64], best: int) -> bool:
    """Whether another peak is as good. ``scores``: shape=(lags,), −1…1."""
    for side in (scores[best::-1], scores[best:]):
        valleys = np.minimum.accumulate(side)
        if ((side >= scores[best] - _RIVAL) & (valleys <= side - _RIVAL)).any():
            return True
    return False


def _smooth(levels: NDArray[np.float64]) -> NDArray[np.float64]:
    """Over half a second, in power, so that pauses between words are none."""
    span = STEPS_PER_SECOND // 2
    power = np.convolve(10 ** (levels / 10), np.ones(span) / span, "same")
    return np.asarray(10 * np.log10(np.maximum(power, 1e-13)))


def _psnr(error: float) -> float:
    return 99.0 if error <= 0 else min(99.0, 10 * math.log10(255**2 / error))


def _packed(arrays: Sequence[Bytes]) -> str:
    return base64.b85encode(zlib.compress(b"".join(one.tobytes() for one in arrays), 6)).decode()


def _unpacked_flat(words: str) -> Bytes:
    return np.frombuffer(zlib.decompressobj().decompress(base64.b85decode(words), _LARGEST), np.uint8)


def _unpacked(words: str, shape: tuple[int, int]) -> Bytes:
    """shape=(moments, *shape)."""
    flat = _unpacked_flat(words)
    return flat[: len(flat) // (shape[0] * shape[1]) * shape[0] * shape[1]].reshape(-1, *shape)


@dataclass
class Witnesses:
    """All that is looked at while a copy is encoded."""

    pictures: PictureWitness
    sounds: list[SoundWitness | None] = field(default_factory=list)

    @classmethod
    def at(cls, rate: Fraction) -> Witnesses:
        return cls(PictureWitness(every_of(rate)))

    def kept(self) -> Witness:
        thumbs, cuttings = self.pictures.kept()
        return Witness(
            every=self.pictures.every, thumbs=thumbs, cuttings=cuttings,
            sounds=tuple(one.kept() if one is not None else None for one in self.sounds),
        )  # fmt: skip


def every_of(rate: Fraction) -> int:
    """Frames from thumbnail to thumbnail, enough that the frames looked at around them are others."""
    return max(2 * AROUND + 1, round(rate / THUMBS_PER_SECOND))
