"""What a recording says of itself while it runs."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

# A frame counts as late when it was ready this part of a frame period before it was fetched.
LATE_PERIODS = 1.0
SILENT_DB = -96.0


@dataclass(frozen=True)
class Preview:
    """A picture for the screen: ``rgb`` holds height x width x 3 bytes, already in square pixels."""

    width: int
    height: int
    rgb: bytes


@dataclass(frozen=True)
class CaptureStatus:
    """A snapshot; rates in bits a second, levels in dB below full scale."""

    seconds: float
    frames: int
    late: int
    dropped: int
    bytes_written: int
    bits_per_second: float
    free_bytes: int
    seconds_left: float
    peak_db: float
    rms_db: float
    queue: int
    recording: bool
    preview: Preview | None = None


@dataclass
class Health:
    """Counts late and dropped frames from their numbers and times."""

    rate: Fraction
    frames: int = 0
    late: int = 0
    dropped: int = 0
    _expected: int | None = None

    def saw(self, number: int, *, waited: float) -> None:
        """One frame arrived, ``waited`` seconds after the source had it ready; numbers that were skipped are lost."""
        if self._expected is not None and number > self._expected:
            self.dropped += number - self._expected
        self._expected = number + 1
        self.frames += 1
        if waited > LATE_PERIODS / float(self.rate):
            self.late += 1

    def lost_in_queue(self) -> None:
        """A frame came in time and could not be kept: the recorder is behind."""
        self.dropped += 1


def level_db(samples: NDArray[np.int16]) -> tuple[float, float]:
    """Peak and RMS of 16-bit sound in dB below full scale, not under −96."""
    if not samples.size:
        return SILENT_DB, SILENT_DB
    wide = samples.astype(np.float64) / 32768
    peak, rms = float(np.abs(wide).max()), float(np.sqrt(np.mean(wide * wide)))
    return tuple(max(SILENT_DB, 20 * np.log10(value)) if value > 0 else SILENT_DB for value in (peak, rms))  # type: ignore[return-value]
