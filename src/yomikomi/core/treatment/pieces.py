"""What of a take is kept, in numbers of frames and in seconds."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from itertools import accumulate


class Kept:
    """Frames of the whole, uncut output that are kept; those of the output are numbered from 0 all the same.

    Parameters
    ----------
    parts : in order, apart from each other, none of them empty.
    """

    def __init__(self, parts: tuple[range, ...]) -> None:
        self.parts = parts
        self._starts = [part.start for part in parts]
        self._before = list(accumulate((len(part) for part in parts), initial=0))

    def __len__(self) -> int:
        return self._before[-1]

    @property
    def start(self) -> int:
        return self.parts[0].start if self.parts else 0

    @property
    def stop(self) -> int:
        return self.parts[-1].stop if self.parts else 0

    def before(self, whole: int) -> int:
        """How many kept frames come before number ``whole`` of the uncut output."""
        at = bisect_right(self._starts, whole) - 1
        return self._before[at] + min(whole - self.parts[at].start, len(self.parts[at])) if at >= 0 else 0

    def number(self, whole: int) -> int | None:
        """The number in the output; None for a frame that is cut out."""
        at = bisect_right(self._starts, whole) - 1
        return self._before[at] + whole - self.parts[at].start if at >= 0 and whole < self.parts[at].stop else None

    def stretches(self, numbers: range) -> Iterator[range]:
        """Frames of the uncut output that some of the output are, as stretches without a cut."""
        for part, begin in zip(self.parts, self._before, strict=False):
            first, end = max(numbers.start, begin), min(numbers.stop, begin + len(part))
            if first < end:
                yield range(part.start + first - begin, part.start + end - begin)


@dataclass(frozen=True)
class Piece:
    """Seconds of the take from its first picture: ``begin`` to ``end`` (None: to its end) begin at second ``at`` of the output."""

    begin: Fraction
    end: Fraction | None
    at: Fraction


@dataclass(frozen=True)
class Pieces:
    """What is kept, in seconds: for sound, subtitles and chapters."""

    all: tuple[Piece, ...] = (Piece(Fraction(0), None, Fraction(0)),)

    @classmethod
    def of(cls, kept: Kept, rate: Fraction) -> Pieces:
        return cls(tuple(Piece(part.start / rate, part.stop / rate, kept.before(part.start) / rate) for part in kept.parts))

    @classmethod
    def until(cls, seconds: Fraction) -> Pieces:
        """Everything up to a second."""
        return cls((Piece(Fraction(0), seconds, Fraction(0)),))

    @property
    def length(self) -> Fraction | None:
        """Seconds of the output; None where the take is not cut."""
        last = self.all[-1]
        return last.at + last.end - last.begin if last.end is not None else None

    def inside(self, begin: Fraction, end: Fraction) -> Iterator[Piece]:
        """What is kept of a stretch of the take."""
        for piece in self.all:
            first, last = max(begin, piece.begin), end if piece.end is None else min(end, piece.end)
            if first < last:
                yield Piece(first, last, piece.at + first - piece.begin)

    def shown(self, begin: Fraction, end: Fraction) -> tuple[Fraction, Fraction] | None:
        """Where in the output what is kept of a stretch of the take begins, and how long it lasts there; None where all of it is cut."""
        kept = list(self.inside(begin, end))
        if not kept:
            return None
        last = kept[-1]
        assert last.end is not None
        return kept[0].at, last.at + last.end - last.begin - kept[0].at

    def place(self, seconds: Fraction) -> Fraction:
        """Where a moment of the take lies in the output; one that is cut out, at the cut."""
        found = Fraction(0)
        for piece in self.all:
            if seconds < piece.begin:
                break
            inner = seconds if piece.end is None else min(seconds, piece.end)
            found = piece.at + inner - piece.begin
        return found
