"""The treatment of the picture: from decoded frames to frames ready for an encoder, at an exact constant rate."""

from __future__ import annotations

import enum
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from fractions import Fraction

import av

from yomikomi.core.errors import UnfinishedError
from yomikomi.core.reading.models import Reading
from yomikomi.core.video.colour import ColourTags
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.graph import FilterLine
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.video.timecode import clock


class Deinterlace(enum.StrEnum):
    """What happens to fields."""

    LEAVE = "leave"
    SINGLE = "single"
    DOUBLE = "double"


@dataclass(frozen=True)
class Treatment:
    """Chosen corrections. ``field_order`` is what the Reading found, or what a person said instead."""

    deinterlace: Deinterlace = Deinterlace.LEAVE
    field_order: FieldOrder | None = None

    def __post_init__(self) -> None:
        if self.deinterlace is not Deinterlace.LEAVE and self.field_order is None:
            raise ValueError("deinterlacing needs a field order")

    def output_rate(self, rate: Fraction) -> Fraction:
        return 2 * rate if self.deinterlace is Deinterlace.DOUBLE else rate

    @property
    def leaves_fields(self) -> bool:
        """Whether interlaced frames reach the encoder as they are."""
        return self.deinterlace is Deinterlace.LEAVE and self.field_order is not None

    def words(self, rate: Fraction) -> str:
        if self.deinterlace is Deinterlace.LEAVE:
            return "fields left as they are" if self.field_order else "no deinterlacing"
        return f"deinterlaced to {rate_text(self.output_rate(rate))}"


def recommended(reading: Reading) -> tuple[Treatment, str]:
    """The treatment that the reading asks for, and why."""
    scan, rate = reading.scan, Fraction(reading.rate.nominal)
    if scan.kind == "interlaced":
        order = FieldOrder(scan.field_order or "tff")
        why = (
            f"There are {rate_text(2 * rate)} fields a second; a frame from each keeps all motion. "
            f"At {rate_text(rate)} fps half of the motion is lost."
        )
        return Treatment(Deinterlace.DOUBLE, order), why
    if scan.kind == "progressive":
        return Treatment(Deinterlace.LEAVE, None), "Progressive; deinterlacing would only soften it."
    if scan.kind in {"film_2_3", "film_2_3_3_2", "film_2_2"}:
        why = (
            "Film with pulldown. Deinterlacing would soften it and keep the judder; "
            "with the fields left alone the film frames can be recovered."
        )
        return Treatment(Deinterlace.LEAVE, FieldOrder(scan.field_order or "tff")), why
    if scan.kind == "repeats":
        return Treatment(Deinterlace.LEAVE, None), "Progressive with repeated frames; deinterlacing is not needed."
    if scan.kind == "blended":
        return Treatment(Deinterlace.LEAVE, None), "The fields were blended before; deinterlacing cannot separate them again."
    if scan.kind == "mixed" and scan.field_order:
        fields = sum(s.end - s.start for s in scan.segments if s.kind == "interlaced")
        if fields > sum(s.end - s.start for s in scan.segments if s.kind != "undetermined") / 2:
            why = "Most of it is interlaced and would show combing. The other parts get a little softer."
            return Treatment(Deinterlace.DOUBLE, FieldOrder(scan.field_order)), why
        return Treatment(
            Deinterlace.LEAVE, FieldOrder(scan.field_order)
        ), "Less than half of it is interlaced; with the fields left alone, nothing is lost."
    if scan.whole_pictures:
        return Treatment(Deinterlace.LEAVE, None), "Progressive or blended: there are no fields to deinterlace."
    return Treatment(Deinterlace.LEAVE, None), "No fields were found; overrule the reading if you know better."


@dataclass(frozen=True)
class TreatedFormat:
    """What leaves the chain."""

    geometry: Geometry
    rate: Fraction
    pixel_format: str
    colour: ColourTags
    field_order: FieldOrder | None


# Where frames are missing the last one stands in for so long (seconds); a longer gap is no loss but something else.
MOST_FILLED_S = 10


class Chain:
    """Pushes decoded frames through the treatment.

    Frames come out as 4:2:0 in ``pixel_format``, numbered from 0 at the exact output rate; jittered stamps are put in
    their place, and where frames are missing the last one stands in, so that sound stays in time. ``filled`` and ``dropped`` count
    frames of the output that stand in for missing ones, and frames for which the rate had no place.

    Parameters
    ----------
    retimed : the stamps are wrong: frames follow each other at ``rate``, whatever they say.
    most_filled_s : longest gap that is filled, seconds; None: any. At a longer one ``push`` raises UnfinishedError.
    """

    def __init__(
        self,
        treatment: Treatment,
        *,
        rate: Fraction,
        geometry: Geometry,
        colour: ColourTags,
        rotation: int = 0,
        pixel_format: str = "yuv420p",
        most_filled_s: Fraction | int | None = MOST_FILLED_S,
        retimed: bool = False,
    ) -> None:
        self._retimed = retimed
        self._most_filled_s = most_filled_s
        self._taken = self._given = self.filled = 0
        self._last_in: Fraction | None = None
        self._last_out: av.VideoFrame | None = None
        self._treatment, self._rate, self._rotation = treatment, rate, rotation
        self._source_aspect = geometry.sample_aspect
        self._line: FilterLine | None = None
        self._first: int | None = None
        self.format = TreatedFormat(
            geometry=_treated_geometry(geometry, rotation),
            rate=treatment.output_rate(rate),
            pixel_format=pixel_format,
            colour=colour,
            field_order=treatment.field_order if treatment.leaves_fields else None,
        )

    def push(self, frame: av.VideoFrame | None, *, time_base: Fraction) -> Iterator[av.VideoFrame]:
        """Give a decoded frame (None at the end) and take the treated ones."""
        if self._retimed:
            time_base = 1 / self._rate
            if frame is not None:
                frame.pts, frame.duration, frame.time_base = self._taken, 1, time_base
        if self._line is None:
            if frame is None:
                return
            self._line = FilterLine(
                self._filters(frame), template=frame, time_base=time_base, rate=self._rate, sample_aspect=self._source_aspect
            )
        if frame is not None:
            self._taken += 1
            self._check_gap(frame, time_base)
            if not frame.duration:
                frame.duration = max(1, round(1 / (self._rate * time_base)))  # else the last frame would count as no time at all
        for out in self._line.push(frame):
            self._count(out)
            stamp = out.pts or 0
            if self._first is None:
                self._first = stamp
            out.pts = stamp - self._first
            out.time_base = 1 / self.format.rate
            out.pict_type = av.video.frame.PictureType.NONE
            out.colorspace, out.color_range = self.format.colour.matrix, self.format.colour.range
            yield out

    @property
    def dropped(self) -> int:
        """At the end: frames that went in and are not among those that came out."""
        each = 2 if self._treatment.deinterlace is Deinterlace.DOUBLE else 1
        return max(0, self._taken * each - (self._given - self.filled))

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

    def treat(self, frames: Iterable[av.VideoFrame], *, time_base: Fraction) -> Iterator[av.VideoFrame]:
        for frame in frames:
            yield from self.push(frame, time_base=time_base)
        yield from self.push(None, time_base=time_base)

    def _filters(self, frame: av.VideoFrame) -> list[tuple[str, str]]:
        order = self._treatment.field_order
        filters: list[tuple[str, str]] = []
        if self._treatment.deinterlace is not Deinterlace.LEAVE and order is not None:
            mode = "send_field" if self._treatment.deinterlace is Deinterlace.DOUBLE else "send_frame"
            filters.append(("bwdif", f"mode={mode}:parity={order.value}:deint=all"))
        if self._treatment.leaves_fields and order is not None:
            filters.append(("setfield", order.value))
        filters += _TURNS.get(self._rotation, [])
        if frame.width % 2 or frame.height % 2:
            filters.append(("crop", "trunc(iw/2)*2:trunc(ih/2)*2:0:0"))
        # Chroma of interlaced pictures is scaled within fields.
        filters.append(("scale", f"interl={int(self._treatment.leaves_fields)}:flags=bicubic+accurate_rnd"))
        filters.append(("format", f"pix_fmts={self.format.pixel_format}"))
        rate = self.format.rate
        filters.append(("fps", f"fps={rate.numerator}/{rate.denominator}:round=near"))
        return filters


# Turning back what a camera that was held sideways recorded; degrees counter-clockwise, as the library tells them.
_TURNS: dict[int, list[tuple[str, str]]] = {
    90: [("transpose", "cclock")],
    180: [("hflip", ""), ("vflip", "")],
    270: [("transpose", "clock")],
}


def _treated_geometry(geometry: Geometry, rotation: int) -> Geometry:
    return Geometry(geometry.width // 2 * 2, geometry.height // 2 * 2, geometry.sample_aspect).turned(rotation)


def outputs_a_frame(reading: Reading, treatment: Treatment) -> Fraction:
    """Frames that come out for one of the source: 1 or 2, or whatever the person's rate makes of it."""
    before = Fraction(reading.rate.nominal) if reading.rate.retimed else reading.rate.by_stamps
    return treatment.output_rate(Fraction(reading.rate.nominal)) / before


def chain_for(
    reading: Reading, treatment: Treatment, *, pixel_format: str = "yuv420p", most_filled_s: Fraction | int | None = MOST_FILLED_S
) -> Chain:
    """A fresh chain for a read take."""
    shape = reading.geometry
    geometry = Geometry(shape.width, shape.height, Fraction(shape.sample_aspect))
    tags = reading.colour
    colour = ColourTags(tags.primaries, tags.transfer, tags.matrix, tags.range).or_usual_for(width=shape.width, height=shape.height)
    return Chain(
        treatment, rate=Fraction(reading.rate.nominal), geometry=geometry, colour=colour, rotation=reading.rotation,
        pixel_format=pixel_format, most_filled_s=most_filled_s, retimed=reading.rate.retimed,
    )  # fmt: skip
