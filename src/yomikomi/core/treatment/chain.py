"""A treatment at work: from decoded frames to frames ready for an encoder, at an exact constant rate.

Steps follow one another. Neighbouring ones that are filters of the library run as one graph; those that work on frames themselves stand
between. First come steps on fields, then a picture held sideways is turned, then the others; last what every encoder wants: even sides,
4:2:0, and a frame at every place of the rate.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av

from yomikomi.core.errors import UnfinishedError
from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.format import PictureFormat, source_format
from yomikomi.core.treatment.late_line import LateLine
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.step import UPSIDE_DOWN, Filters, Site, Told, Worker
from yomikomi.core.treatment.steps import Deinterlace
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.timecode import clock

# Where frames are missing the last one stands in for so long (seconds); a longer gap is no loss but something else.
MOST_FILLED_S = 10
# Turning back what a camera that was held sideways recorded; degrees counter-clockwise, as the library tells them.
_TURNS: dict[int, Filters] = {90: [("transpose", "cclock")], 180: [("hflip", ""), *UPSIDE_DOWN], 270: [("transpose", "clock")]}


class Chain:
    """Pushes decoded frames through the treatment.

    Frames come out as 4:2:0 in ``pixel_format``, numbered at the exact output rate; jittered stamps are put in their place, and where
    frames are missing the last one stands in, so that sound stays in time. ``filled`` and ``dropped`` count frames of the output that
    stand in for missing ones, and frames for which the rate had no place.

    Parameters
    ----------
    before : what goes in, not yet turned.
    first : stamp of the take's first frame, seconds; frames are numbered from there. None: from the first that comes out.
    retimed : the stamps are wrong: frames follow each other at ``before.rate``, whatever they say.
    most_filled_s : longest gap that is filled, seconds; None: any. At a longer one ``push`` raises UnfinishedError.
    site : of the take, for steps that go by its reading.
    fused : for tests: False runs each filter in a graph of its own.
    """

    def __init__(
        self,
        treatment: Treatment,
        before: PictureFormat,
        *,
        rotation: int = 0,
        pixel_format: str = "yuv420p",
        first: Fraction | None = None,
        most_filled_s: Fraction | int | None = MOST_FILLED_S,
        retimed: bool = False,
        site: Site | None = None,
        fused: bool = True,
    ) -> None:
        self._before, self._retimed, self._most_filled_s = before, retimed, most_filled_s
        self._first = self._origin = first
        self._number = site.first_frame if site is not None else 0
        self._given = self.filled = 0
        self._last_in: Fraction | None = None
        self._last_out: av.VideoFrame | None = None
        self._number_out: int | None = None
        stages, after = _stages(treatment, before, rotation, pixel_format, site, fused=fused)
        self._stages = stages
        self._each = 2 if treatment.deinterlace is Deinterlace.DOUBLE else 1
        self.format = after

    def push(self, frame: av.VideoFrame | None) -> Iterator[av.VideoFrame]:
        """Give a decoded frame with its stamp (None at the end) and take the treated ones."""
        if frame is not None:
            self._place(frame)
        for out in self._through(0, frame):
            self._count(out)
            if self._number_out is None:
                self._number_out = 0 if self._first is not None else out.pts or 0
            out.pts = (out.pts or 0) - self._number_out
            out.time_base = 1 / self.format.rate
            out.pict_type = av.video.frame.PictureType.NONE
            out.colorspace, out.color_range = self.format.colour.matrix, self.format.colour.range
            yield out

    def treat(self, frames: Iterable[av.VideoFrame]) -> Iterator[av.VideoFrame]:
        for frame in frames:
            yield from self.push(frame)
        yield from self.push(None)

    @property
    def dropped(self) -> int:
        """At the end: frames that went in and are not among those that came out."""
        entered = self._stages[-1].taken * self._each if len(self._stages) == 1 else self._stages[-1].taken
        return max(0, entered - (self._given - self.filled))

    @property
    def told(self) -> Told:
        """What the steps counted."""
        found = Told()
        for stage in self._stages:
            found = found.and_more(stage.told)
        return found

    def _place(self, frame: av.VideoFrame) -> None:
        """The frame's stamp counts from the take's beginning."""
        if self._retimed:
            frame.pts, frame.duration, frame.time_base = self._number, 1, 1 / self._before.rate
            self._number += 1
            return
        base = Fraction(frame.time_base or Fraction(1, 1000))
        self._check_gap(frame, base)
        if self._origin is None and frame.pts is not None:
            self._origin = frame.pts * base
        if frame.pts is not None:
            frame.pts -= round((self._origin or 0) / base)
        # The last frame lasts as long as any, whatever the file says: none would end the take before it, and some claim half an hour.
        frame.duration = max(1, round(1 / (self._before.rate * base)))

    def _through(self, at: int, frame: av.VideoFrame | None) -> Iterator[av.VideoFrame]:
        if at == len(self._stages):
            if frame is not None:
                yield frame
            return
        for made in self._stages[at].push(frame):
            yield from self._through(at + 1, made)
        if frame is None:
            yield from self._through(at + 1, None)

    def _count(self, out: av.VideoFrame) -> None:
        """A frame that stands in for missing ones shares its samples with the one before, which is held so that they stay."""
        if self._last_out is not None and self._last_out.planes[0].buffer_ptr == out.planes[0].buffer_ptr:
            self.filled += 1
        self._given += 1
        self._last_out = out

    def _check_gap(self, frame: av.VideoFrame, time_base: Fraction) -> None:
        at = None if frame.pts is None else frame.pts * time_base
        before, self._last_in = self._last_in, at if at is not None else self._last_in
        if at is None or before is None or self._most_filled_s is None or at - before <= self._most_filled_s:
            return
        raise UnfinishedError(
            f"No pictures for {clock(float(at - before))} after {clock(float(before))} of the file's time.",
            remedy=f"Cut the take there and copy the parts; gaps over {self._most_filled_s} s are not filled unless you say so.",
        )


class _Graph:
    """Filters of the library as one graph."""

    def __init__(self, filters: Filters, before: PictureFormat) -> None:
        self.told, self.taken = Told(), 0
        self._line = LateLine(filters, before)
        self._like: tuple[int, int, str] | None = None

    def push(self, frame: av.VideoFrame | None) -> Iterator[av.VideoFrame]:
        if frame is not None:
            self.taken += 1
            frame = self._alike(frame)
        yield from self._line.push(frame)

    def _alike(self, frame: av.VideoFrame) -> av.VideoFrame:
        """A file may change the size of its pictures on its way: they are scaled to that of the first."""
        like = (frame.width, frame.height, frame.format.name)
        self._like = self._like or like
        if like == self._like:
            return frame
        width, height, name = self._like
        made = frame.reformat(width=width, height=height, format=name)
        made.pts, made.time_base, made.duration = frame.pts, frame.time_base, frame.duration
        return made


class _Own:
    """A step that works on frames itself."""

    def __init__(self, worker: Worker) -> None:
        self._worker, self.taken = worker, 0

    @property
    def told(self) -> Told:
        return self._worker.told

    def push(self, frame: av.VideoFrame | None) -> Iterator[av.VideoFrame]:
        self.taken += frame is not None
        yield from self._worker.push(frame)


def _stages(
    treatment: Treatment, before: PictureFormat, rotation: int, pixel_format: str, site: Site | None, *, fused: bool
) -> tuple[list[_Graph | _Own], PictureFormat]:
    """The stages in order, and what comes out of the last."""
    now = before if treatment.field_order is not None else before.progressive
    stages: list[_Graph | _Own] = []
    waiting: Filters = []
    given = now

    def add(filters: Filters, into: PictureFormat) -> None:
        nonlocal waiting, given
        if not waiting:
            given = into
        waiting = waiting + filters
        if not fused:
            close()

    def close() -> None:
        nonlocal waiting
        if waiting:
            stages.append(_Graph(waiting, given))
        waiting = []

    turned = False
    for step in treatment.steps:
        if not step.on_fields and not turned:
            add(_TURNS.get(rotation, []), now)
            now, turned = replace(now, geometry=now.geometry.turned(rotation)), True
        filters = step.filters(now)
        if filters is None:
            close()
            stages.append(_Own(step.open(now, site)))
        else:
            add(filters, now)
        now = step.output(now)
    if not turned:
        add(_TURNS.get(rotation, []), now)
        now = replace(now, geometry=now.geometry.turned(rotation))
    shape = now.geometry
    even = Geometry(shape.width // 2 * 2, max(shape.height // now.line_grid, 1) * now.line_grid, shape.sample_aspect)
    last: Filters = [] if even == shape else [("crop", f"{even.width}:{even.height}:0:0")]
    # Chroma of interlaced pictures is scaled within fields.
    last.append(("scale", f"interl={int(now.interlaced)}:flags=bicubic+accurate_rnd"))
    last.append(("format", f"pix_fmts={pixel_format}"))
    last.append(("fps", f"fps={now.rate.numerator}/{now.rate.denominator}:round=near"))
    add(last, now)
    close()
    return stages, replace(now, geometry=even, pixel_format=pixel_format)


def chain_for(
    reading: Reading, treatment: Treatment, *, pixel_format: str = "yuv420p", most_filled_s: Fraction | int | None = MOST_FILLED_S,
    site: Site | None = None, path: Path | None = None,
) -> Chain:  # fmt: skip
    """A fresh chain for a read take: for all of it, or for the stretch that ``site`` says, whose frames keep the take's numbers.
    ``path``: the take's file; steps that look into it do so when the first frame comes."""
    kept = Timing.of(reading, treatment).between
    return Chain(
        treatment, source_format(reading, turned=False), rotation=reading.rotation, pixel_format=pixel_format,
        first=Fraction(reading.first_seconds) if site is not None else None, most_filled_s=most_filled_s, retimed=reading.rate.retimed,
        site=replace(site or Site(reading), kept=kept, path=path),
    )  # fmt: skip
