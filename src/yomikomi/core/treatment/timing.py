"""Which frames of the output show which moments of the take: by time stamps, never by a factor."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.cadence import Places, gaps_known, gaps_of, pace_of
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.pieces import Kept, Pieces
from yomikomi.core.treatment.steps import CutOut, RateCap, Trim


@dataclass(frozen=True)
class Timing:
    """Times are seconds of the output, from its first frame; a take whose stamps are wrong runs at another pace than they say.

    Parameters
    ----------
    rate : of the output, frames a second, exact.
    kept : the frames of the whole, uncut output that are kept.
    cut : whether anything is cut off or out.
    """

    reading: Reading
    rate: Fraction
    kept: Kept
    cut: bool

    @classmethod
    def of(cls, reading: Reading, treatment: Treatment) -> Timing:
        rate = treatment.output_rate(Fraction(reading.rate.nominal))
        seconds = Fraction(reading.duration_seconds).limit_denominator(10**6)
        cap = treatment.get(RateCap)
        each = cap.each if cap is not None else 1
        # The first of each group of frames is kept, also of a last group that is not full.
        whole = max(1, -(-round(seconds * rate * each) // each)) if reading.frames else 0
        trim, cuts = treatment.get(Trim), treatment.get(CutOut)
        inside = trim.ticks(rate, whole) if trim is not None and whole else range(whole)
        parts = tuple(cuts.left(inside, rate)) if cuts is not None and whole else (inside,)
        return cls(reading, rate, Kept(parts), trim is not None or cuts is not None)

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

    @property
    def pieces(self) -> Pieces:
        """What is kept, in seconds; of a take that is not cut everything, also sound that lasts longer than the pictures."""
        return Pieces.of(self.kept, self.rate) if self.cut else Pieces()

    @property
    def between(self) -> tuple[Fraction, Fraction]:
        """Seconds of the take between which everything lies that is kept."""
        return self.kept.start / self.rate, self.kept.stop / self.rate

    def shown_at(self, frame: int) -> Fraction:
        """When a decoded frame of the take is first seen in the output."""
        return Places(gaps_of(self.reading)).of(frame) / pace_of(self.reading)

    def stamped_at(self, frame: int) -> Fraction:
        """Where a decoded frame is found in the file, seconds after its first."""
        return frame / self.reading.rate.by_stamps if self.reading.rate.retimed else self.shown_at(frame)

    def outputs(self, first: int, end: int) -> range:
        """Frames of the output that show decoded frames ``first`` up to ``end`` (one past the last)."""
        begin, stop = (self.kept.before(self._output_at(self.shown_at(frame))) for frame in (first, end))
        return range(begin, max(begin, stop))

    def source(self, outputs: range, *, reach: int) -> range:
        """Decoded frames that have a say in some frames of the uncut output, with ``reach`` more before and behind. All of them, where
        all of it is asked for, and where frames do not stand at a constant rate with every gap known."""
        steady = self.reading.rate.retimed or self.reading.rate.constant or not self.reading.rate.off_places
        if not (steady and gaps_known(self.reading)) or (not self.cut and self.kept.parts == (outputs,)):
            return range(self.reading.frames)
        pace, places = pace_of(self.reading), Places(gaps_of(self.reading))
        first = places.frame_at(max(0, math.floor(outputs.start / self.rate * pace) - 1))
        last = places.frame_at(math.ceil(outputs.stop / self.rate * pace) + 1)
        return range(max(0, first - reach), min(self.reading.frames, last + 1 + reach))

    def _output_at(self, seconds: Fraction) -> int:
        return math.floor(seconds * self.rate + Fraction(1, 2))


def length_of(reading: Reading, treatment: Treatment) -> float:
    """Seconds that a copy lasts: of a whole take what the reading tells, else what is kept of it."""
    timing = Timing.of(reading, treatment)
    return float(timing.seconds) if timing.cut else reading.duration_seconds
