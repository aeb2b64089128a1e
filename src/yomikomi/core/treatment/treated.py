"""Treated frames of a take or of a stretch of it: the only source of treated pictures for trials, previews and whoever looks.

(A copy pushes its frames through the same chain itself, since it decodes the sound on the way.)
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property
from pathlib import Path

import av

from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.chain import MOST_FILLED_S, Chain, chain_for
from yomikomi.core.treatment.format import PictureFormat, source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.step import Site, Told
from yomikomi.core.treatment.steps import RateCap
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.video.picture_at import frames_from

# A few frames more than the steps ask for: an encoded file gives no pictures before its first key frame.
_SPARE = 2


class HeldFrames:
    """Decoded frames of a take from number ``first`` on, to be treated again and again."""

    def __init__(self, first: int, frames: list[av.VideoFrame]) -> None:
        self._first, self._frames = first, frames
        self._stamps = [(frame.pts, frame.time_base, frame.duration) for frame in frames]

    def numbered(self) -> Iterator[tuple[int, av.VideoFrame]]:
        return enumerate(self._frames, self._first)

    def covers(self, wanted: range) -> bool:
        return self._first <= wanted.start and wanted.stop <= self._first + len(self._frames)

    def part(self, wanted: range) -> Iterator[av.VideoFrame]:
        """The frames with the stamps that they were decoded with: a chain gives them its own."""
        for number in wanted:
            frame = self._frames[number - self._first]
            frame.pts, frame.time_base, frame.duration = self._stamps[number - self._first]
            yield frame


def hold_frames(path: Path, reading: Reading, wanted: range, check: Callable[[], None]) -> HeldFrames:
    """Decode frames by their numbers."""
    frames: list[av.VideoFrame] = []
    for frame in _from(path, reading, wanted.start):
        check()
        frames.append(frame)
        if len(frames) >= len(wanted):
            break
    return HeldFrames(wanted.start, frames)


def _from(path: Path, reading: Reading, number: int) -> Iterator[av.VideoFrame]:
    begin = Timing.of(reading, Treatment()).stamped_at(number) - 1 / (4 * reading.rate.by_stamps) if number else Fraction(0)
    return frames_from(path, start_seconds=max(Fraction(0), begin), first_seconds=Fraction(reading.first_seconds))


@dataclass
class TreatedFrames:
    """Frames number ``span.start`` up to ``span.stop`` of the treated (and trimmed) take (None: all of it), numbered from 0. Each pass
    decodes anew; a stretch comes out as the same part of the whole does.

    Parameters
    ----------
    check : called for every frame; may raise to stop.
    held : frames decoded before, used where they are all that is wanted.
    told : what the steps counted on the last pass.
    """

    path: Path
    reading: Reading
    treatment: Treatment
    span: range | None = None
    pixel_format: str = "yuv420p"
    check: Callable[[], None] = lambda: None
    most_filled_s: Fraction | int | None = MOST_FILLED_S
    held: HeldFrames | None = None
    told: Told = field(default_factory=Told)

    @cached_property
    def timing(self) -> Timing:
        return Timing.of(self.reading, self.treatment)

    @property
    def before(self) -> PictureFormat:
        """What goes into the first step, as it is shown."""
        return source_format(self.reading)

    @cached_property
    def format(self) -> PictureFormat:
        return self._chain(Site(self.reading)).format

    def __iter__(self) -> Iterator[av.VideoFrame]:
        timing = self.timing
        span = self.span if self.span is not None else range(timing.frames)
        told, given = Told(), 0
        for stretch in timing.kept.stretches(span):
            for out, so_far in self._stretch(stretch):
                self.told = told.and_more(so_far)
                out.pts = given
                given += 1
                yield out
            told = self.told

    def _stretch(self, wanted: range) -> Iterator[tuple[av.VideoFrame, Told]]:
        """Frames of the uncut output, by their numbers in it, and what was counted for them so far."""
        source = self.timing.source(wanted, reach=_SPARE + sum(step.reach for step in self.treatment.steps))
        cap = self.treatment.get(RateCap)
        each = cap.each if cap is not None else 1  # steps before it make so many frames for each that is kept
        chain = self._chain(Site(self.reading, source.start, each * wanted.start, each * wanted.stop))
        held = self.held is not None and self.held.covers(source)
        found = self.held.part(source) if self.held is not None and held else _from(self.path, self.reading, source.start)
        for out in chain.treat(self._some(found, len(source))):
            if (out.pts or 0) >= wanted.stop:
                return
            if (out.pts or 0) >= wanted.start:
                yield out, chain.told

    def _some(self, frames: Iterator[av.VideoFrame], count: int) -> Iterator[av.VideoFrame]:
        for number, frame in enumerate(frames):
            self.check()
            if number >= count:
                return
            yield frame

    def _chain(self, site: Site) -> Chain:
        return chain_for(
            self.reading, self.treatment, pixel_format=self.pixel_format, most_filled_s=self.most_filled_s, site=site, path=self.path
        )  # fmt: skip
