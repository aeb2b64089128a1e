"""Listening to a recording while it runs: levels, clipping, silence, a missing channel, hum."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.runs import runs_where

SILENT_DB = -96.0
# A channel below this carries nothing but its own noise: the hiss of a worn tape lies around −55 dB (common practice, no source).
QUIET_DB = -50.0
# Three samples at full scale one after the other are no accident of a peak that just fits.
_CLIP_RUN = 3
_FULL_SCALE = 32767
# Hum is looked for in stretches of a second; a tone counts when it stands this far above what is beside it.
_HUM_ABOVE_DB = 15.0
_HUM_LEAST_DB = -60.0
_MAINS_HZ = (50.0, 60.0)
_HARMONICS = 4

# shape=(samples, channels), 16 bits.
Samples16 = NDArray[np.int16]


@dataclass(frozen=True)
class SoundLevels:
    """``peak_db``, ``rms_db``: for each channel, dB below full scale, not under −96."""

    peak_db: tuple[float, ...]
    rms_db: tuple[float, ...]

    @property
    def loudest_peak(self) -> float:
        return max(self.peak_db, default=SILENT_DB)

    @property
    def loudest_rms(self) -> float:
        return max(self.rms_db, default=SILENT_DB)


def level_db(samples: Samples16) -> tuple[float, float]:
    """Peak and RMS of all samples together in dB below full scale, not under −96."""
    if not samples.size:
        return SILENT_DB, SILENT_DB
    wide = samples.astype(np.float64) / 32768
    return _db(float(np.abs(wide).max())), _db(float(np.sqrt(np.mean(wide * wide))))


def levels_of(samples: Samples16) -> SoundLevels:
    """Levels of each channel; samples of shape (samples, channels)."""
    pairs = [level_db(samples[:, channel]) for channel in range(samples.shape[1] if samples.ndim == 2 else 0)]
    return SoundLevels(tuple(peak for peak, _ in pairs), tuple(rms for _, rms in pairs))


def clipped_runs(samples: Samples16) -> int:
    """How often a channel stays at full scale for three samples or more."""
    count = 0
    for channel in range(samples.shape[1]):
        full = np.abs(samples[:, channel].astype(np.int32)) >= _FULL_SCALE - 1
        count += sum(end - first >= _CLIP_RUN for first, end in runs_where(full))
    return count


def find_hum(samples: Samples16, rate: int) -> tuple[float | None, float]:
    """Mains hum in a second or more of one channel: its frequency (50 or 60 Hz) or None, and its level in dBFS.

    A comb of up to four harmonics is held against what lies between them; programme has no reason to sit on it.
    """
    count = len(samples)
    if count < rate:
        return None, SILENT_DB
    wave = samples.astype(np.float64) / 32768
    power = np.abs(np.fft.rfft(wave * np.hanning(count))) ** 2 / (count * count * 3 / 32)  # Hann's mean square is 3/8
    hz = rate / count
    best, level = None, SILENT_DB
    for mains in _MAINS_HZ:
        teeth, beside = 0.0, []
        strong = 0
        for harmonic in range(1, _HARMONICS + 1):
            centre = round(mains * harmonic / hz)
            width = max(1, round(1.5 / hz))
            tooth = float(power[centre - width : centre + width + 1].sum())
            around = np.concatenate([power[centre - 9 * width : centre - 3 * width], power[centre + 3 * width : centre + 9 * width]])
            floor = float(np.median(around)) * (2 * width + 1)
            beside.append(floor)
            if tooth > floor * 10 ** (_HUM_ABOVE_DB / 10):
                strong += 1
                teeth += tooth
        found = _db(float(np.sqrt(teeth)))
        if strong >= 2 and found > max(level, _HUM_LEAST_DB):
            best, level = mains, found
    return best, level


SoundSign = Literal["clipping", "silent", "one channel", "same on both", "hum"]


class SoundWatch:
    """Takes blocks as they come; :meth:`signs` says what is so of the last seconds.

    Parameters
    ----------
    rate, channels : of the programme.
    """

    def __init__(self, rate: int, channels: int, *, window_s: float = 2.0) -> None:
        self.rate, self.channels = rate, channels
        self.clipped = 0
        self.silent_s = 0.0
        self.hum_hz: float | None = None
        self.hum_db = SILENT_DB
        self._window = round(window_s * rate)
        self._kept: list[Samples16] = []
        self._length = 0
        self._signs: tuple[SoundSign, ...] = ()
        self._clipped_now = False

    def heard(self, samples: Samples16) -> None:
        if not samples.size:
            return
        runs = clipped_runs(samples)
        self.clipped += runs
        self._clipped_now |= runs > 0
        quiet = level_db(samples)[1] < QUIET_DB
        self.silent_s = self.silent_s + len(samples) / self.rate if quiet else 0.0
        self._kept.append(samples)
        self._length += len(samples)
        if self._length >= self._window:
            self._judge(np.concatenate(self._kept))
            self._kept, self._length = [], 0

    def signs(self) -> tuple[SoundSign, ...]:
        """Of the last whole window."""
        return self._signs

    def _judge(self, samples: Samples16) -> None:
        found: list[SoundSign] = ["clipping"] if self._clipped_now else []
        self._clipped_now = False
        levels = levels_of(samples)
        if levels.loudest_rms < QUIET_DB:
            found.append("silent")
        elif self.channels == 2:
            if min(levels.rms_db) < QUIET_DB and levels.loudest_rms - min(levels.rms_db) > 12:
                found.append("one channel")
            elif _alike(samples):
                found.append("same on both")
        self.hum_hz, self.hum_db = find_hum(samples[:, 0], self.rate)
        if self.hum_hz is not None:
            found.append("hum")
        self._signs = tuple(found)


def _alike(samples: Samples16) -> bool:
    """The difference of both channels lies 40 dB below them."""
    left, right = (samples[:, channel].astype(np.float64) for channel in (0, 1))
    both = float(np.mean(left * left + right * right)) / 2
    return bool(both > 0 and float(np.mean((left - right) ** 2)) < both * 1e-4)


def _db(value: float) -> float:
    return max(SILENT_DB, float(20 * np.log10(value))) if value > 0 else SILENT_DB
