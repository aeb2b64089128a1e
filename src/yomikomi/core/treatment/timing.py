"""Which frames of the output show which moments of the take: by time stamps, never by a factor."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.cadence import Places, gaps_known, gaps_of
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Trim


@dataclass(frozen=True)
class Timing:
    """Times are seconds of the output, from its first frame; a take whose stamps are wrong runs at another pace than they say.

    Parameters
    ----------
    rate : of the output, frames a second, exact.
    kept : the frames of the whole, untrimmed output that are kept; those of the output are numbered from 0 all the same.
    """

    reading: Reading
    rate: Fraction
    kept: range

    @classmethod
    def of(cls, reading: Reading, treatment: Treatment) -> Timing:
        rate = treatment.output_rate(Fraction(reading.rate.nominal))
        seconds = Fraction(reading.duration_seconds).limit_denominator(10**6)
        whole = max(1, round(seconds * rate)) if reading.frames else 0
        trim = treatment.get(Trim)
        return cls(reading, rate, trim.ticks(rate, whole) if trim is not None and whole else range(whole))

    @property
    def frames(self) -> int:
        """Of the output."""
        return len(self.kept)

    @property
    def begins(self) -> Fraction:
        """The moment of the take that the output begins with, seconds."""
        return self.kept.start / self.rate

    @property
    def seconds(self) -> Fraction:
        """Length of the output."""
        return self.frames / self.rate

    def shown_at(self, frame: int) -> Fraction:
        """When a decoded frame of the take is first seen in the output."""
        return Places(gaps_of(self.reading)).of(frame) / self._pace

    def stamped_at(self, frame: int) -> Fraction:
        """Where a decoded frame is found in the file, seconds after its first."""
        return frame / self.reading.rate.by_stamps if self.reading.rate.retimed else self.shown_at(frame)

    def outputs(self, first: int, end: int) -> range:
        """Frames of the output that show decoded frames ``first`` up to ``end`` (one past the last)."""
        begin, stop = (self._output_at(self.shown_at(frame)) - self.kept.start for frame in (first, end))
        begin = max(0, min(begin, self.frames))
        return range(begin, max(begin, min(stop, self.frames)))

    def source(self, outputs: range, *, reach: int) -> range:
        """Decoded frames that have a say in some frames of the output, with ``reach`` more before and behind. All of them, where all of
        the output is asked for, and where frames do not stand at a constant rate with every gap known."""
        steady = self.reading.rate.retimed or self.reading.rate.constant or not self.reading.rate.off_places
        if not (steady and gaps_known(self.reading)) or outputs == range(self.kept.stop):
            return range(self.reading.frames)
        outputs = range(outputs.start + self.kept.start, outputs.stop + self.kept.start)
        pace, places = self._pace, Places(gaps_of(self.reading))
        first = places.frame_at(max(0, math.floor(outputs.start / self.rate * pace) - 1))
        last = places.frame_at(math.ceil(outputs.stop / self.rate * pace) + 1)
        return range(max(0, first - reach), min(self.reading.frames, last + 1 + reach))

    @property
    def _pace(self) -> Fraction:
        """Frames a second that the take runs at."""
        return Fraction(self.reading.rate.nominal) if self.reading.rate.retimed else self.reading.rate.by_stamps

    def _output_at(self, seconds: Fraction) -> int:
        return math.floor(seconds * self.rate + Fraction(1, 2))


def length_of(reading: Reading, treatment: Treatment) -> float:
    """Seconds that a copy lasts: of a whole take what the reading tells, else what is kept of it."""
    return float(Timing.of(reading, treatment).seconds) if treatment.get(Trim) is not None else reading.duration_seconds
