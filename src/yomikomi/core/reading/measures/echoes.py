"""Ghosts (an echo of the picture beside itself) and hum bars (a bright band that rolls through it)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.sight import Sight

_NEAREST, _FURTHEST = 10, 90
# An echo must stand so many times the scatter of the other distances above them, in most looks' mean.
_SIGMA = 6.0
_LEAST_STRENGTH = 0.03
_FEWEST = 8
_BAR_SIGMA = 4.0


class EchoMeter:
    """Ghosts: the echo of many unlike pictures stays at one distance, while what pictures themselves repeat does not."""

    def __init__(self) -> None:
        self._profiles: list[NDArray[np.float64]] = []

    def look(self, before: Sight, now: Sight) -> None:
        del before
        if now.codes.shape[0] < 200 or now.codes.shape[1] < 4 * _FURTHEST:
            return
        lines = now.codes[::8].astype(np.float32)
        profile = echo_profile(lines)
        if profile is not None:
            self._profiles.append(profile)

    def result(self) -> tuple[float, float] | None:
        """Distance in samples and strength against the picture (negative: inverted)."""
        if len(self._profiles) < _FEWEST:
            return None
        middle = np.median(np.stack(self._profiles), axis=0)
        trend = np.convolve(np.pad(middle, 6, mode="edge"), np.ones(13) / 13, mode="valid")
        rest = middle - trend
        scatter = 1.4826 * float(np.median(np.abs(rest)))
        at = int(np.abs(rest).argmax())
        if abs(rest[at]) < max(_SIGMA * scatter, _LEAST_STRENGTH):
            return None
        return float(_NEAREST + at), round(float(rest[at]), 3)


def echo_profile(lines: NDArray[np.float32]) -> NDArray[np.float64] | None:
    """Autocorrelation of the whitened lines at distances 10…90, 1 at 0. ``lines``: shape=(lines, columns), luma in codes; the result
    has shape=(_FURTHEST - _NEAREST,). None where the lines hold no detail."""
    gradient = np.diff(lines, axis=1)
    if float(gradient.std()) < 1.5:
        return None
    size = 2 * gradient.shape[1]
    window = np.hanning(gradient.shape[1]).astype(np.float32)
    power = (np.abs(np.fft.rfft(gradient * window, size, axis=1)) ** 2).mean(axis=0, dtype=np.float64)
    # Whitened within the band that carries the picture, so that its own shape leaves no slow trend.
    smooth = np.convolve(np.pad(power, 40, mode="edge"), np.ones(81) / 81, mode="valid")
    # The band fades out, since a sharp edge of it would ring at small distances.
    place = np.minimum(np.arange(len(power)) / (0.7 * len(power)), 1)
    white = np.cos(np.pi / 2 * place) ** 2 * power / np.maximum(smooth, 1e-6 * power.max())
    wave = np.fft.irfft(white, size)
    return np.asarray(wave[_NEAREST:_FURTHEST] / wave[0])


class HumBarMeter:
    """The mean of each line, brought to one turn over the height: a complex amplitude a look that turns evenly for a hum bar."""

    def __init__(self) -> None:
        self._turns: list[complex] = []
        self._sizes: list[float] = []

    def look(self, before: Sight, now: Sight) -> None:
        if before.codes.shape != now.codes.shape or now.codes.shape[0] < 200:
            return
        one, two = (_turn(sight) for sight in (before, now))
        # Against the frame before, so that what stands still in the picture drops out; a bar that rolls stays.
        self._turns.append(two - one)
        self._sizes.append(abs(two - one))

    def result(self) -> float | None:
        """Amplitude in codes; None where no steady rolling was seen (or too little looked at)."""
        if len(self._turns) < _FEWEST:
            return None
        turns = np.asarray(self._turns)
        # Scene changes and motion give turns of any size; the steady ones are alike.
        size = float(np.median(np.abs(turns)))
        alike = float(np.median(np.abs(np.abs(turns) - size)))
        if size < 0.15 or alike > size / _BAR_SIGMA:
            return None
        return round(size, 2)


def _turn(sight: Sight) -> complex:
    means = sight.codes[:, ::8].mean(axis=1)
    angle = 2 * np.pi * np.arange(len(means)) / len(means)
    return complex(2 * np.mean((means - means.mean()) * np.exp(-1j * angle)))
