"""What of a treatment lies on the take's time: in and out, cuts, splits, parts of a mixed take, key positions; moved there by hand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal, TypeVar

from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.cadence import cadence_known, pace_of
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import CutOut, Film, FilmPart, KeyPosition, Part, PartKind, Reframe, Split, Trim
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.video.timecode import clock

_T = TypeVar("_T")
HandleKind = Literal["in", "out", "cut begins", "cut ends", "split", "part", "key"]
_WORDS: dict[HandleKind, str] = {
    "in": "In", "out": "Out", "cut begins": "Cut out from", "cut ends": "Cut out to", "split": "Split", "part": "Border of a part",
    "key": "Key position",
}  # fmt: skip
_PAIRS: tuple[set[HandleKind], ...] = ({"in", "out"}, {"cut begins", "cut ends"})
# What "cut out from here" takes at first, seconds.
_FIRST_CUT_S = 1.0


@dataclass(frozen=True)
class Handle:
    """``number``: which of its kind, from 0; ``seconds``: of the take from its first picture."""

    kind: HandleKind
    number: int
    seconds: float

    @property
    def words(self) -> str:
        return f"{_WORDS[self.kind]} {clock(self.seconds)}"


@dataclass(frozen=True)
class Span:
    """``kind``: how a part is made."""

    start: float
    end: float
    kind: PartKind


class OnTime:
    """Every change gives another treatment; moments are put on frames and kept in their order."""

    def __init__(self, treatment: Treatment, reading: Reading) -> None:
        self.treatment, self.reading = treatment, reading
        self.length = reading.duration_seconds
        self._pace = pace_of(reading)
        self._trim = treatment.get(Trim) or Trim()
        self._cuts: Sequence[Part] = cuts.parts if (cuts := treatment.get(CutOut)) is not None else ()
        self._splits: Sequence[float] = split.at if (split := treatment.get(Split)) is not None else ()
        self._keys: Sequence[KeyPosition] = frame.keys if (frame := treatment.get(Reframe)) is not None else ()
        film = treatment.get(Film)
        self.by_parts = film if film is not None and not film.rate else None
        self._parts = (self.by_parts or Film(order=self._order)).parts_of(reading)

    @property
    def frame_s(self) -> float:
        """Seconds that a frame lasts."""
        return float(1 / self._pace)

    @property
    def handles(self) -> list[Handle]:
        """In their order in time."""
        found = [Handle("in", 0, self._trim.start), Handle("out", 0, self._trim.end or self.length)]
        for number, part in enumerate(self._cuts):
            found += [Handle("cut begins", number, part.start), Handle("cut ends", number, part.end)]
        found += [Handle("split", number, at) for number, at in enumerate(self._splits)]
        if self.by_parts is not None:
            found += [Handle("part", number, part.start) for number, part in enumerate(self._parts) if number]
        if len(self._keys) > 1:
            found += [Handle("key", number, key.at) for number, key in enumerate(self._keys)]
        return sorted(found, key=lambda one: one.seconds)

    @property
    def kept(self) -> list[tuple[float, float]]:
        """Seconds of the take that are in the output."""
        timing = Timing.of(self.reading, self.treatment)
        return [(float(part.start / timing.rate), float(part.stop / timing.rate)) for part in timing.kept.parts]

    @property
    def parts(self) -> list[Span]:
        """The whole take by how its frames are made; what the reading found where the treatment does not go by parts."""
        ends = [*(part.start for part in self._parts[1:]), self.length]
        return [Span(part.start, end, part.kind) for part, end in zip(self._parts, ends, strict=True)]

    @property
    def parts_offered(self) -> bool:
        """Whether parts can be made by hand: film is found by the cadence that a full reading keeps."""
        return cadence_known(self.reading)

    def moved(self, handle: Handle, seconds: float) -> Treatment:
        """A handle somewhere else, but not past its neighbours."""
        at = self._between(handle, self._on_frame(seconds))
        if handle.kind == "in":
            return self._trimmed(at, self._trim.end)
        if handle.kind == "out":
            return self._trimmed(self._trim.start, at)
        if handle.kind in {"cut begins", "cut ends"}:
            old = self._cuts[handle.number]
            new = Part(start=at, end=old.end) if handle.kind == "cut begins" else Part(start=old.start, end=at)
            return self.treatment.having(CutOut(parts=_with(self._cuts, handle.number, new)))
        if handle.kind == "split":
            return self.treatment.having(Split(at=_with(self._splits, handle.number, at)))
        if handle.kind == "key":
            frame = self.treatment.get(Reframe)
            assert frame is not None
            key = self._keys[handle.number].model_copy(update={"at": at})
            return self.treatment.having(Reframe(shape=frame.shape, part=frame.part, keys=_with(self._keys, handle.number, key)))
        part = FilmPart(start=at, kind=self._parts[handle.number].kind)
        return self._having_parts(_with(self._parts, handle.number, part))

    def removed(self, handle: Handle) -> Treatment:
        """Without what a handle stands for: a cut is undone, a part goes on with the one before."""
        if handle.kind == "in":
            return self._trimmed(0, self._trim.end)
        if handle.kind == "out":
            return self._trimmed(self._trim.start, 0)
        if handle.kind in {"cut begins", "cut ends"}:
            left = _without(self._cuts, handle.number)
            return self.treatment.having(CutOut(parts=left)) if left else self._lacking(CutOut)
        if handle.kind == "split":
            at = _without(self._splits, handle.number)
            return self.treatment.having(Split(at=at)) if at else self._lacking(Split)
        if handle.kind == "key":
            frame = self.treatment.get(Reframe)
            assert frame is not None
            return self.treatment.having(Reframe(shape=frame.shape, part=frame.part, keys=_without(self._keys, handle.number)))
        return self._having_parts(_without(self._parts, handle.number))

    def begun(self, seconds: float) -> Treatment:
        """The in at a moment."""
        at = min(self._on_frame(seconds), self.length - self.frame_s)
        return self._trimmed(at, self._trim.end if self._trim.end > at else 0)

    def ended(self, seconds: float) -> Treatment:
        """The out at a moment."""
        at = max(self._on_frame(seconds), self.frame_s)
        return self._trimmed(self._trim.start if self._trim.start < at else 0, at)

    def cut(self, seconds: float) -> Treatment:
        """A second cut out from a moment on; its ends can be moved."""
        at = min(self._on_frame(seconds), self._on_frame(self.length - self.frame_s))
        part = Part(start=at, end=max(at + round(self.frame_s, 6), min(at + _FIRST_CUT_S, round(self.length, 6))))
        return self.treatment.having(CutOut(parts=(*self._cuts, part)))

    def split(self, seconds: float) -> Treatment:
        at = max(self._on_frame(self.frame_s), self._on_frame(seconds))
        return self.treatment.having(Split(at=(*self._splits, at)))

    def made_as(self, kind: PartKind, seconds: float) -> Treatment:
        """From a moment to the end of the part it lies in, frames are made in another way."""
        at = self._on_frame(seconds)
        return self._having_parts((*self._parts, FilmPart(start=at, kind=kind)))

    def _trimmed(self, start: float, end: float) -> Treatment:
        end = 0 if end >= self.length - self.frame_s / 2 else end
        return self.treatment.having(Trim(start=start, end=end)) if start or end else self._lacking(Trim)

    def _lacking(self, kind: type[Trim | CutOut | Split]) -> Treatment:
        step = self.treatment.get(kind)
        return self.treatment.lacking(step) if step is not None else self.treatment

    def _having_parts(self, parts: Sequence[FilmPart]) -> Treatment:
        return self.treatment.having(Film(order=self._order, parts=tuple(parts)))

    @property
    def _order(self) -> FieldOrder:
        found = self.reading.scan.field_order
        return self.treatment.field_order or (FieldOrder(found) if found else FieldOrder.TFF)

    def _on_frame(self, seconds: float) -> float:
        number = round(Fraction(max(0.0, min(seconds, self.length))).limit_denominator(10**6) * self._pace)
        return round(float(number / self._pace), 6)

    def _between(self, handle: Handle, at: float) -> float:
        """No nearer than a frame to the neighbours of its kind."""
        row = [one for one in self.handles if one.kind in next((pair for pair in _PAIRS if handle.kind in pair), {handle.kind})]
        place = row.index(handle)
        low = row[place - 1].seconds + self.frame_s if place else 0.0 if handle.kind in {"in", "cut begins", "key"} else self.frame_s
        high = row[place + 1].seconds - self.frame_s if place + 1 < len(row) else self.length
        return round(max(low, min(high, at)), 6)


def _with(row: Sequence[_T], number: int, new: _T) -> tuple[_T, ...]:
    return (*row[:number], new, *row[number + 1 :])


def _without(row: Sequence[_T], number: int) -> tuple[_T, ...]:
    return (*row[:number], *row[number + 1 :])
