"""Level and silence of sound, block by block."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

# Below this a block counts as silent: tape hiss lies well above, a digital nothing below (common practice, no source).
SILENT_BELOW_DB = -60.0
_SHORTEST_SILENCE_S = 1.0
FLOOR_DB = -120.0


@dataclass
class SoundMeter:
    """One sound stream. ``levels`` holds (seconds, length, peak, mean square) of each block, full scale 1."""

    sample_rate: int
    levels: list[tuple[float, float, float, float]] = field(default_factory=list)
    samples: int = 0

    def feed(self, frame: av.AudioFrame) -> None:
        wave = to_float(frame)
        if not wave.size:
            return
        rate = frame.sample_rate or self.sample_rate or 48_000
        at = float(frame.pts * frame.time_base) if frame.pts is not None and frame.time_base else self.samples / rate
        self.samples += wave.shape[1]
        self.levels.append((at, wave.shape[1] / rate, float(np.abs(wave).max()), float(np.mean(wave * wave))))

    @property
    def peak_db(self) -> float:
        return decibels(max((level[2] for level in self.levels), default=0.0))

    @property
    def rms_db(self) -> float:
        total = sum(level[1] for level in self.levels)
        energy = sum(level[3] * level[1] for level in self.levels)
        return decibels(float(np.sqrt(energy / total))) if total else FLOOR_DB

    @property
    def seconds(self) -> float:
        return self.samples / self.sample_rate if self.sample_rate else 0.0

    @property
    def span(self) -> tuple[float, float]:
        """Time stamps, in seconds, at which the sound begins and ends; (0, 0) for none."""
        if not self.levels:
            return 0.0, 0.0
        return self.levels[0][0], max(at + length for at, length, _, _ in self.levels)

    def silences(self) -> list[tuple[float, float]]:
        """Stretches (from, to) in seconds of at least one second in which every block's peak stays under −60 dB."""
        found: list[tuple[float, float]] = []
        for at, length, peak, _ in self.levels:
            if decibels(peak) >= SILENT_BELOW_DB:
                continue
            if found and at - found[-1][1] < 0.05:
                found[-1] = (found[-1][0], at + length)
            else:
                found.append((at, at + length))
        return [(start, end) for start, end in found if end - start >= _SHORTEST_SILENCE_S]


def decibels(amplitude: float) -> float:
    """20·log10, not under −120."""
    return max(FLOOR_DB, 20 * float(np.log10(amplitude))) if amplitude > 0 else FLOOR_DB


def to_float(frame: av.AudioFrame) -> NDArray[np.float32]:
    """Samples as shape (channels, samples), full scale 1, whatever the format."""
    raw: NDArray[Any] = frame.to_ndarray()
    channels = frame.layout.nb_channels
    if not frame.format.is_planar:
        raw = raw.reshape(-1, channels).T
    if raw.dtype == np.uint8:
        return (raw.astype(np.float32) - np.float32(128)) / np.float32(128)
    if np.issubdtype(raw.dtype, np.integer):
        return raw.astype(np.float32) / np.float32(2.0 ** (8 * raw.dtype.itemsize - 1))
    return raw.astype(np.float32)
