"""Film out of video: its pictures put together from their fields again, at the film's own rate or, in a mixed take, at the field rate."""

from __future__ import annotations

from bisect import bisect_right
from collections import OrderedDict, deque
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from typing import Any, ClassVar, Literal

import av
from pydantic import BaseModel, ConfigDict, Field, SerializerFunctionWrapHandler, field_validator, model_serializer

from yomikomi.core.errors import WrongUseError
from yomikomi.core.reading.models import Reading, ScanSegment
from yomikomi.core.treatment.cadence import (
    FILM_KINDS,
    FilmPicture,
    Places,
    cadence_known,
    cadence_of,
    gaps_of,
    pace_of,
    pictures_of,
    plan_film,
)  # fmt: skip
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.late_line import LateLine
from yomikomi.core.treatment.step import Site, Step, Told, Worker
from yomikomi.core.treatment.steps.fields import deinterlacer
from yomikomi.core.treatment.weaving import Weaver
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.standards import FieldOrder

# Frames kept before the one that is worked on: a picture spans three, and its neighbours are asked where it shows combing.
_KEPT = 8


# How a part of a mixed take is made: film by its cadence, progressive frames as they are, all else by the deinterlacer.
PartKind = Literal["film", "progressive", "interlaced"]
_LONGEST_S, _MOST_PARTS = 400_000, 400


class FilmPart(BaseModel):
    """A part of a mixed take, up to where the next one begins. ``start``: seconds of the take from its first picture."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    start: float = Field(ge=0, le=_LONGEST_S, allow_inf_nan=False)
    kind: PartKind


class Film(Step):
    """``rate``: of the film pictures, as an exact fraction; empty: the take is mixed and comes out at the field rate, film pictures and
    progressive frames repeated exactly, all else deinterlaced. ``parts``: of a mixed take, set by hand; empty: as the reading found them.
    """

    on_fields: ClassVar[bool] = True
    title: ClassVar[str] = "Film"

    step: Literal["film"] = "film"
    rate: str = Field(default="", pattern=r"^([1-9]\d*(/[1-9]\d*)?)?$")
    order: FieldOrder
    parts: tuple[FilmPart, ...] = Field(default=(), max_length=_MOST_PARTS)

    @field_validator("parts")
    @classmethod
    def _in_order(cls, parts: tuple[FilmPart, ...]) -> tuple[FilmPart, ...]:
        """Of parts that begin at one moment the last counts; neighbours of one kind are one."""
        by_start = {one.start: one for one in parts}
        made: list[FilmPart] = []
        for start in sorted(by_start):
            if not made or made[-1].kind != by_start[start].kind:
                made.append(by_start[start])
        if made and made[0].start > 0:
            raise ValueError("the first part begins with the take")
        return tuple(made)

    @model_serializer(mode="wrap")
    def _short(self, write: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """Parts only where there are any: what was kept before there were parts keeps its digest."""
        written: dict[str, Any] = write(self)
        if not self.parts:
            written.pop("parts", None)
        return written

    def parts_of(self, reading: Reading) -> tuple[FilmPart, ...]:
        """The parts of a take: as set, or as its reading found them."""
        if self.parts:
            return self.parts
        rate = pace_of(reading)
        places = Places(gaps_of(reading))
        found = [
            FilmPart(start=round(float(places.of(one.first_frame) / rate), 6) if number else 0.0, kind=_part_kind(one))
            for number, one in enumerate(reading.scan.segments)
        ]  # fmt: skip
        return Film(order=self.order, parts=tuple(found)).parts

    @property
    def film_rate(self) -> Fraction | None:
        return Fraction(self.rate) if self.rate else None

    def output(self, before: PictureFormat) -> PictureFormat:
        return replace(before, field_order=None, rate=self.film_rate or 2 * before.rate)

    def filters(self, before: PictureFormat) -> None:
        return None

    def open(self, before: PictureFormat, site: Site | None) -> Worker:
        if site is None:
            raise ValueError("film is recovered by the cadence of a reading, and there is none")
        if not cadence_known(site.reading):
            raise WrongUseError(
                "Film is recovered by the cadence of the frames, and this reading keeps none.",
                remedy="Read the take in full, or choose another treatment for its fields.",
            )
        rate = self.film_rate
        return _AtFilmRate(rate, site) if rate is not None else _ByParts(self, before, site)

    def words(self, before: PictureFormat) -> str:
        if not self.rate:
            by = "as set by hand" if self.parts else "by its scan type"
            return f"each part {by}, at {rate_text(2 * before.rate)}"
        return f"film recovered at {rate_text(Fraction(self.rate))}"

    @property
    def reach(self) -> int:
        return _KEPT


class _Kept:
    """The last frames, by number."""

    def __init__(self, first: int) -> None:
        self.frames: OrderedDict[int, av.VideoFrame] = OrderedDict()
        self.next = first

    def add(self, frame: av.VideoFrame) -> None:
        self.frames[self.next] = frame
        self.next += 1
        while len(self.frames) > 2 * _KEPT:
            self.frames.popitem(last=False)

    def holds(self, picture: FilmPicture) -> bool:
        return all(number in self.frames for number in picture.frames)


class _AtFilmRate:
    def __init__(self, rate: Fraction, site: Site) -> None:
        self.told = Told()
        self._weaver, self._kept = Weaver(self.told), _Kept(site.first_frame)
        self._plan = plan_film(cadence_of(site.reading), rate)
        self._tick = site.first_output
        self._end = len(self._plan.shown) if site.end_output is None else min(site.end_output, len(self._plan.shown))
        if site.end_output is None and not site.first_output:
            self.told.left_out, self.told.repeated = self._plan.left_out, self._plan.repeated

    def push(self, frame: av.VideoFrame | None) -> Iterator[av.VideoFrame]:
        if frame is not None:
            self._kept.add(frame)
        while self._tick < self._end:
            picture = self._plan.pictures[self._plan.shown[self._tick]]
            # One frame more than the picture needs: its neighbours speak where it shows combing.
            if frame is not None and max(picture.frames) + 1 >= self._kept.next:
                return
            if not self._kept.holds(picture):
                if frame is None or max(picture.frames) >= self._kept.next:
                    return  # the take ends early
                self._tick += 1  # before the first frame that was pushed
                continue
            made = self._weaver.make(picture, self._kept.frames)
            made.pts, made.time_base, made.duration = self._tick, 1 / self._plan.rate, 1
            self._tick += 1
            yield made


class _ByParts:
    """At the field rate: for each field what the deinterlacer makes of it, or the picture that it belongs to."""

    def __init__(self, film: Film, before: PictureFormat, site: Site) -> None:
        self.told = Told()
        self._order = order = film.order
        self._weaver, self._kept = Weaver(self.told), _Kept(site.first_frame)
        self._pictures, self._of_frame = pictures_of(cadence_of(site.reading))
        pace, places = pace_of(site.reading), Places(gaps_of(site.reading))
        parts, self._by_hand = film.parts_of(site.reading), bool(film.parts)
        self._begins = [places.frame_at(round(Fraction(one.start).limit_denominator(10**6) * pace)) for one in parts]
        self._kinds = [one.kind for one in parts]
        self._line = LateLine(deinterlacer(order, double=True), before)
        self._made = 2 * site.first_frame
        self._waiting: deque[tuple[int, av.VideoFrame]] = deque()

    def push(self, frame: av.VideoFrame | None) -> Iterator[av.VideoFrame]:
        if frame is not None:
            self._kept.add(frame)
        for made in self._line.push(frame):
            self._waiting.append((self._made, made))
            self._made += 1
        while self._waiting:
            field, made = self._waiting[0]
            kind, picture = self._picture_of(field)
            if picture is not None and frame is not None and max(picture.frames) + 1 >= self._kept.next:
                return
            self._waiting.popleft()
            if picture is not None and self._kept.holds(picture) and (kind == "film" or self._whole(picture)):
                stamp, base, lasts = made.pts, made.time_base, made.duration
                made = self._weaver.make(picture, self._kept.frames)
                made.pts, made.time_base, made.duration = stamp, base, lasts
            yield made

    def _whole(self, picture: FilmPicture) -> bool:
        """A frame that shows combing is not progressive, whatever its part is called; a person's word is enough."""
        return self._by_hand or self._weaver.clean(self._kept.frames[picture.frames[0]])

    def _picture_of(self, field: int) -> tuple[PartKind, FilmPicture | None]:
        """How the part is made, and the picture that a field belongs to; None where it is one of its own."""
        frame, second = divmod(field, 2)
        at = bisect_right(self._begins, frame) - 1
        kind = self._kinds[at] if at >= 0 else "interlaced"
        if frame >= len(self._of_frame) or kind == "interlaced":
            return kind, None
        if kind == "progressive":
            return kind, FilmPicture(top=frame, bottom=frame, field=2 * frame, count=2)
        top, bottom = self._of_frame[frame]
        first_number, second_number = (top, bottom) if self._order is FieldOrder.TFF else (bottom, top)
        picture = self._pictures[second_number if second else first_number]
        # What the deinterlacer made of an orphan is better than one field alone.
        return kind, None if picture.orphan else picture


def _part_kind(segment: ScanSegment) -> PartKind:
    return "film" if segment.kind in FILM_KINDS else "progressive" if segment.kind == "progressive" else "interlaced"
