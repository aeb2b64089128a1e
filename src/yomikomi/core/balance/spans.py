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
from yomikomi.core.treatment.chain import Chain, TreatedFormat, Treatment, chain_for, outputs_a_frame
from yomikomi.core.video.picture_at import frames_from
from yomikomi.core.work import Reporter

# An encoder starts and ends a stretch otherwise than it would run through it: so much is encoded around what is counted.
WARM_SECONDS = Fraction(1, 3)
COOL_SECONDS = Fraction(1, 2)
# Frames are kept in memory up to this; longer stretches are decoded again for every recipe.
_KEEP_BYTES = 500_000_000


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
        self._warm = min(self.segment.first, round(WARM_SECONDS * rate))
        after = self.reading.frames - self.segment.first - self.segment.frames
        self._cool = min(after, round(COOL_SECONDS * rate))
        self._factor = outputs_a_frame(self.reading, self.treatment)
        self.counted = range(round(self._warm * self._factor), round((self._warm + self.segment.frames) * self._factor))
        self._source_frames = self._warm + self.segment.frames + self._cool
        self._kept: list[av.VideoFrame] | None = None
        self.treat_seconds_per_frame = 0.0
        self.format: TreatedFormat = self._chain().format

    def frames(self) -> Iterator[av.VideoFrame]:
        """The treated frames; kept in memory after the first time if they are few enough."""
        if self._kept is not None:
            yield from self._kept
            return
        shape = self.format.geometry
        deep = 2 if "10" in self.pixel_format else 1
        total = int(self._source_frames * self._factor) * shape.width * shape.height * 3 // 2 * deep
        kept: list[av.VideoFrame] | None = [] if total <= _KEEP_BYTES else None
        spent, count, mark = 0.0, 0, time.perf_counter()
        for frame in self._decode():
            spent += time.perf_counter() - mark
            count += 1
            if kept is not None:
                kept.append(frame)
            yield frame
            mark = time.perf_counter()
        self.treat_seconds_per_frame = spent / max(1, count)
        self._kept = kept

    def _chain(self) -> Chain:
        return chain_for(self.reading, self.treatment, pixel_format=self.pixel_format)

    def _decode(self) -> Iterator[av.VideoFrame]:
        rate = self.reading.rate.by_stamps
        start = max(Fraction(0), (self.segment.first - self._warm) / rate - 1 / (4 * rate))
        chain = self._chain()
        base = Fraction(1, 1000)
        source = frames_from(self.path, start_seconds=start, first_seconds=Fraction(self.reading.first_seconds))
        for number, frame in enumerate(source):
            self.reporter.check()
            if number >= self._source_frames:
                break
            base = Fraction(frame.time_base or base)
            yield from chain.push(frame, time_base=base)
        yield from chain.push(None, time_base=base)
