"""Treated frames of a stretch of a take, as often as they are wanted."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av

from yomikomi.core.balance.segments import Segment
from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.work import Reporter

# An encoder starts and ends a stretch otherwise than it would run through it: so much is encoded around what is counted. The run-up is as
# long as encoders keep key pictures apart, and ends where groups of five pictures end at 25 and 50 pictures a second.
WARM_SECONDS = Fraction(3, 5)
COOL_SECONDS = Fraction(1, 2)
# Frames are kept in memory up to this; longer stretches are decoded again for every recipe.
_KEEP_BYTES = 500_000_000


def cuts_of(reading: Reading) -> list[int]:
    """First frames of new shots, in frames of the take, as encoders see them: those that the reading found, or, where fewer, those at which
    the small encode began anew. (Bursts in a game look like cuts to one, cuts between likes are none to the other; measured, the fewer
    come nearer to the key pictures of real encodes.)"""
    found = reading.structure.cuts if reading.structure is not None else []
    small, each = reading.complexity.cell_key_bytes, reading.complexity.frames_per_cell
    cells = [number for number, size in enumerate(small) if size and number]
    if not small or len(found) <= len(cells):
        return found
    known = {cut // each: cut for cut in reversed(found)}
    return [known.get(cell, cell * each + each // 2) for cell in cells]


@dataclass
class TreatedSpan:
    """Frames of a segment with a run-up and a run-out, numbered from 0; those in ``counted`` are the segment itself."""

    path: Path
    reading: Reading
    treatment: Treatment
    segment: Segment
    pixel_format: str
    reporter: Reporter

    def __post_init__(self) -> None:
        rate = self.reading.rate.by_stamps
        warm = min(self.segment.first, round(WARM_SECONDS * rate))
        end = self.segment.first + self.segment.frames
        cool = min(self.reading.frames - end, round(COOL_SECONDS * rate))
        timing = Timing.of(self.reading, self.treatment)
        span = timing.outputs(self.segment.first - warm, end + cool)
        inner = timing.outputs(self.segment.first, end)
        self.counted = range(inner.start - span.start, inner.stop - span.start)
        self.cuts = [
            timing.outputs(cut, cut + 1).start - span.start
            for cut in cuts_of(self.reading) if self.segment.first - warm < cut < end + cool
        ]  # fmt: skip
        self._treated = TreatedFrames(self.path, self.reading, self.treatment, span, self.pixel_format, self.reporter.check)
        self._kept: list[av.VideoFrame] | None = None
        self.treat_seconds_per_frame = 0.0
        self.format: PictureFormat = self._treated.format

    def frames(self) -> Iterator[av.VideoFrame]:
        """The treated frames; kept in memory after the first time if they are few enough."""
        if self._kept is not None:
            yield from self._kept
            return
        shape = self.format.geometry
        deep = 2 if "10" in self.pixel_format else 1
        total = len(self._treated.span or ()) * shape.width * shape.height * 3 // 2 * deep
        kept: list[av.VideoFrame] | None = [] if total <= _KEEP_BYTES else None
        spent, count, mark = 0.0, 0, time.perf_counter()
        for frame in self._treated:
            spent += time.perf_counter() - mark
            count += 1
            if kept is not None:
                kept.append(frame)
            yield frame
            mark = time.perf_counter()
        self.treat_seconds_per_frame = spent / max(1, count)
        self._kept = kept
