"""Film out of video: its pictures put together from their fields again, at the film's own rate or, in a mixed take, at the field rate."""

from __future__ import annotations

from collections import OrderedDict, deque
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from typing import ClassVar, Literal

import av
from pydantic import Field

from yomikomi.core.errors import WrongUseError
from yomikomi.core.treatment.cadence import FILM_KINDS, FilmPicture, cadence_known, cadence_of, pictures_of, plan_film
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.late_line import LateLine
from yomikomi.core.treatment.step import Site, Step, Told, Worker
from yomikomi.core.treatment.steps.fields import deinterlacer
from yomikomi.core.treatment.weaving import Weaver
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.standards import FieldOrder

# Frames kept before the one that is worked on: a picture spans three, and its neighbours are asked where it shows combing.
_KEPT = 8


class Film(Step):
    """``rate``: of the film pictures, as an exact fraction; empty: the take is mixed and comes out at the field rate, film pictures
    repeated exactly, all else deinterlaced."""

    on_fields: ClassVar[bool] = True
    title: ClassVar[str] = "Film"

    step: Literal["film"] = "film"
    rate: str = Field(default="", pattern=r"^([1-9]\d*(/[1-9]\d*)?)?$")
    order: FieldOrder

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
        return _AtFilmRate(rate, site) if rate is not None else _ByParts(self.order, before, site)

    def words(self, before: PictureFormat) -> str:
        if not self.rate:
            return f"each part by its scan type, at {rate_text(2 * before.rate)}"
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
    """At the field rate: for each field what the deinterlacer makes of it, or, in film, the picture that it belongs to."""

    def __init__(self, order: FieldOrder, before: PictureFormat, site: Site) -> None:
        self.told = Told()
        self._order = order
        self._weaver, self._kept = Weaver(self.told), _Kept(site.first_frame)
        self._pictures, self._of_frame = pictures_of(cadence_of(site.reading))
        self._film = [(one.first_frame, one.end_frame) for one in site.reading.scan.segments if one.kind in FILM_KINDS]
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
            picture = self._picture_of(field)
            if picture is not None and frame is not None and max(picture.frames) + 1 >= self._kept.next:
                return
            self._waiting.popleft()
            if picture is not None and self._kept.holds(picture):
                stamp, base, lasts = made.pts, made.time_base, made.duration
                made = self._weaver.make(picture, self._kept.frames)
                made.pts, made.time_base, made.duration = stamp, base, lasts
            yield made

    def _picture_of(self, field: int) -> FilmPicture | None:
        """The film picture that a field belongs to; None outside of film."""
        frame, second = divmod(field, 2)
        if frame >= len(self._of_frame) or not any(first <= frame < end for first, end in self._film):
            return None
        top, bottom = self._of_frame[frame]
        first_number, second_number = (top, bottom) if self._order is FieldOrder.TFF else (bottom, top)
        picture = self._pictures[second_number if second else first_number]
        return None if picture.orphan else picture  # what the deinterlacer made of an orphan is better than one field alone
