"""What a tape and its player do to a picture, field by field.

Order of the faults: bandwidth limits and chroma delay (recording), dropouts, line timing and head switching
(playback), noise. Amounts are in samples at 13.5 MHz and 8-bit codes; the defaults of each format are rounded from
the luma and chroma bandwidths commonly given for it (common practice, no source).
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.sim.textures import Field32, Image

_SAMPLING_MHZ = 13.5
_NOISE_LINES, _NOISE_COLUMNS = 1024, 1600

# shape=(lines, columns), 8-bit codes of limited range.
Plane = NDArray[np.uint8]


@dataclass(frozen=True)
class TapeFaults:
    """Everything that is wrong, as truth that tests can ask for.

    Parameters
    ----------
    luma_mhz, chroma_mhz : −6 dB bandwidths.
    chroma_delay : chroma lags luma by so many luma samples.
    luma_noise, chroma_noise : standard deviations in codes.
    wobble : standard deviation of the slow line-timing error in samples; 0 with a time-base corrector.
    jitter : standard deviation of the line-to-line timing error in samples; 0 with a time-base corrector.
    lean : standard deviation of a line-timing error that stays for seconds, in samples: tape stretched, a picture that stands askew.
    border : black at the left and the right of every line, in samples, as far as the recording did not fill it.
    band_lines : height of the head-switching band in frame lines, at the bottom.
    dropouts_per_second : mean number of dropouts.
    """

    luma_mhz: float = 3.0
    chroma_mhz: float = 0.5
    chroma_delay: float = 3.0
    luma_noise: float = 3.2
    chroma_noise: float = 3.0
    wobble: float = 0.7
    jitter: float = 0.18
    band_lines: int = 8
    dropouts_per_second: float = 0.6
    lean: float = 0.0
    border: tuple[int, int] = (0, 0)

    def with_corrector(self) -> TapeFaults:
        """The same tape in a deck with a time-base corrector."""
        return TapeFaults(**{**asdict(self), "wobble": 0.0, "jitter": 0.0, "lean": 0.0})


FORMATS: dict[str, TapeFaults] = {
    "vhs": TapeFaults(),
    "video8": TapeFaults(luma_mhz=3.1, chroma_mhz=0.6, chroma_delay=2.0, luma_noise=2.8, chroma_noise=2.4, band_lines=10),
    "laserdisc": TapeFaults(
        luma_mhz=5.0, chroma_mhz=1.2, chroma_delay=0.5, luma_noise=1.8, chroma_noise=1.6, wobble=0.05, jitter=0.02,
        band_lines=0, dropouts_per_second=0.3,
    ),
    # As found in homes: the same formats with what years and an adjustable deck add.
    "vhs_used": TapeFaults(lean=0.9, border=(9, 7), dropouts_per_second=2.0),
    "video8_used": TapeFaults(
        luma_mhz=3.1, chroma_mhz=0.6, chroma_delay=2.0, luma_noise=3.0, chroma_noise=2.6, band_lines=10, lean=0.6, border=(6, 8),
        dropouts_per_second=1.2,
    ),
    "perfect": TapeFaults(6.5, 3.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0, 0.0),
}  # fmt: skip


@dataclass(frozen=True)
class Dropout:
    """A stretch of one line that the tape lost: ``field`` counts from 0, ``line`` within the field, columns in samples."""

    field: int
    line: int
    first: int
    length: int


class Tape:
    """Plays fields. Deterministic: a field's faults depend on the seed and its number alone."""

    def __init__(self, faults: TapeFaults, *, seed: int, field_rate: float) -> None:
        self.faults, self.seed, self.field_rate = faults, seed, field_rate
        self._luma_kernel = _low_pass(faults.luma_mhz / _SAMPLING_MHZ, taps=15, delay=0.0)
        self._chroma_kernel = _low_pass(faults.chroma_mhz / (_SAMPLING_MHZ / 2), taps=25, delay=faults.chroma_delay / 2)
        self._luma_noise, self._chroma_noise = _noise_stores(seed, faults.luma_mhz, faults.luma_noise, faults.chroma_noise)

    def dropouts_in(self, field: int) -> list[Dropout]:
        """Known truth: the dropouts of one field (for a field of at least 200 lines and 720 samples)."""
        rng = np.random.default_rng([self.seed, 11, field])
        count = int(rng.poisson(self.faults.dropouts_per_second / self.field_rate))
        return [Dropout(field, int(rng.integers(4, 190)), int(rng.integers(0, 600)), int(rng.integers(24, 120))) for _ in range(count)]

    def timing(self, field: int, lines: int) -> Field32:
        """Known truth: how far each line of a field is displaced to the right, in samples."""
        rng = np.random.default_rng([self.seed, 12, field])
        faults = self.faults
        t = field / self.field_rate
        place = np.arange(lines, dtype=np.float32) / lines
        phase = 2 * np.pi * (place * np.float32(1.3) + t * 7.1 + self.seed % 7)
        slow = faults.wobble * (np.sin(phase) + 0.5 * np.sin(2.7 * phase + t))
        if faults.lean:
            slow += faults.lean * self._leaning(place, t)
        return np.asarray(slow + faults.jitter * rng.standard_normal(lines), np.float32)

    def _leaning(self, place: NDArray[np.floating[Any]], t: float) -> NDArray[np.floating[Any]]:
        """Slow in time (periods of 3 to 20 s) and smooth from line to line, with a spread of about 1."""
        rng = np.random.default_rng([self.seed, 14])
        total = np.zeros_like(place)
        for bends, hertz in ((0.4, 0.05), (0.9, 0.11), (1.7, 0.2), (3.1, 0.33)):
            start, turn = rng.uniform(0, 2 * np.pi, 2)
            total += np.float32(0.7) * np.sin(2 * np.pi * bends * place + start) * np.float32(np.sin(2 * np.pi * hertz * t + turn))
        return total

    def play(self, picture: Image, field: int) -> tuple[Plane, Plane, Plane]:
        """One field through the tape.

        Parameters
        ----------
        picture : ndarray [shape=(lines, columns, 3), uint8 YCbCr limited range]
        field : its number from the tape's start.

        Returns
        -------
        (y, cb, cr) : y as wide as the picture, chroma half as wide (4:2:2).
        """
        lines, columns = picture.shape[:2]
        rng = np.random.default_rng([self.seed, 13, field])
        shift = self.timing(field, lines)
        band = self._switch_heads(shift, lines, rng)
        luma = cv2.extractChannel(np.ascontiguousarray(picture), 0)
        if any(self.faults.border):
            _black_out(luma, *self.faults.border, 16)
        y = cv2.sepFilter2D(luma, cv2.CV_32F, self._luma_kernel, _ONE)
        # Every second sample: the low-pass that follows is far below what this folds back.
        half = np.ascontiguousarray(picture[:, ::2, 1:])
        if any(self.faults.border):
            _black_out(half, self.faults.border[0] // 2, self.faults.border[1] // 2, 128)
        chroma = cv2.sepFilter2D(half, cv2.CV_32F, self._chroma_kernel, _ONE)
        for hole in self.dropouts_in(field):
            y[hole.line % lines, hole.first : hole.first + hole.length] = 225.0
            chroma[hole.line % lines, hole.first // 2 : (hole.first + hole.length) // 2] = 128.0
        if shift.any():
            y = _displace(y, shift)
            chroma = _displace(chroma, np.float32(0.5) * shift)
        y += self._piece(self._luma_noise, rng, lines, columns)
        chroma[..., 0] += self._piece(self._chroma_noise, rng, lines, columns // 2)
        chroma[..., 1] += self._piece(self._chroma_noise, rng, lines, columns // 2)
        if band:
            y[-band:] += 9 * self._piece(self._luma_noise, rng, band, columns)
        # Rounding to codes; convertScaleAbs rounds and clips at once, and no sample is negative enough to fold.
        codes = cv2.convertScaleAbs(np.maximum(chroma, 0, out=chroma))
        return cv2.convertScaleAbs(np.maximum(y, 1, out=y)), codes[..., 0], codes[..., 1]

    def _switch_heads(self, shift: Field32, lines: int, rng: np.random.Generator) -> int:
        """Skew the last lines of a field; returns how many."""
        band = (self.faults.band_lines + 1) // 2
        if band:
            bend = 14 + 5 * rng.standard_normal()
            shift[lines - band :] += np.linspace(bend, bend * 0.3, band, dtype=np.float32)
        return band

    @staticmethod
    def _piece(store: Field32, rng: np.random.Generator, lines: int, columns: int) -> Field32:
        top = int(rng.integers(0, store.shape[0] - lines))
        left = int(rng.integers(0, store.shape[1] - columns))
        return store[top : top + lines, left : left + columns]


_ONE = np.array([1.0], np.float32)


def _black_out(plane: Plane, left: int, right: int, value: int) -> None:
    plane[:, :left] = value
    plane[:, plane.shape[1] - right :] = value


def _low_pass(cycles_per_sample: float, *, taps: int, delay: float) -> Field32:
    """A windowed-sinc low-pass (−6 dB at the given frequency) whose centre is moved by ``delay`` samples."""
    cut = min(cycles_per_sample, 0.5)
    # Correlation, not convolution, is what the filter routine computes: a later output reads earlier samples.
    place = np.arange(taps) - taps // 2 + delay
    kernel = 2 * cut * np.sinc(2 * cut * place) * np.cos(np.pi * np.clip(place / (taps + 2), -0.5, 0.5)) ** 2
    return np.asarray(kernel / kernel.sum(), np.float32)


@lru_cache(maxsize=2)
def _noise_stores(seed: int, luma_mhz: float, luma: float, chroma: float) -> tuple[Field32, Field32]:
    """Of luma and of chroma, not to be written on: sources are opened again and again for the same tape."""
    rng = np.random.default_rng([seed, 10])
    stores = (
        _noise_store(rng, _low_pass(luma_mhz / _SAMPLING_MHZ, taps=15, delay=0.0), luma),
        _noise_store(rng, _low_pass(0.12, taps=15, delay=0.0), chroma),
    )
    for store in stores:
        store.flags.writeable = False
    return stores


def _noise_store(rng: np.random.Generator, kernel: Field32, sigma: float) -> Field32:
    """Noise that is correlated along the line as the tape's bandwidth makes it, with the given spread."""
    white = rng.standard_normal((_NOISE_LINES, _NOISE_COLUMNS)).astype(np.float32)
    shaped = cv2.sepFilter2D(white, cv2.CV_32F, kernel, _ONE)
    return np.asarray(shaped * (sigma / shaped.std()), np.float32)


def _displace(plane: Field32, shift: Field32) -> Field32:
    lines, columns = plane.shape[:2]
    map_x = np.arange(columns, dtype=np.float32)[None, :] - shift[:, None]
    map_y = np.broadcast_to(np.arange(lines, dtype=np.float32)[:, None], (lines, columns))
    return np.asarray(cv2.remap(plane, map_x, np.ascontiguousarray(map_y), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)
