"""Which fields belong to one film picture, and which picture is shown when: worked out from the cadence that the reading keeps.

All of it is a plan for the whole take, so that a stretch comes out as the same part of the whole does.
"""

from __future__ import annotations

import itertools
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

from yomikomi.core.reading.models import Reading, ScanSegment
from yomikomi.core.reading.scan.patterns import Class, classes_named
from yomikomi.core.video.standards import FieldOrder

FILM_KINDS = ("film_2_3", "film_2_3_3_2", "film_2_2", "repeats")
# After a break of the cadence pictures run ahead of their place, or lag behind it, by more than they do within a round: further ahead
# than this one is left out, further behind the one before is shown again (in pictures; findings: 4 left out and none doubled of 199,
# where sampling by time lost 24 and doubled 21). One that has a single field goes sooner.
_AHEAD, _AHEAD_ORPHAN, _BEHIND = Fraction(-11, 20), Fraction(1, 10), Fraction(3, 4)

# A stretch of so many frames shows all of a round, whatever round it is.
_LONG_RUN = 120

# The first field goes on with the picture before; both fields do.
_HALF_JOIN = {Class.HELD_T, Class.HELD_B, Class.SPLIT_T, Class.SPLIT_B}
_JOIN = {Class.JOIN_T, Class.JOIN_B, Class.REPEAT}
_OF_FILM = _HALF_JOIN | _JOIN


@dataclass(frozen=True)
class FilmPicture:
    """``top``, ``bottom``: numbers of the frames that hold its fields; None: that field is nowhere. ``field``: place of its first field,
    counted from the take's beginning; ``count``: fields that show it."""

    top: int | None
    bottom: int | None
    field: int
    count: int

    @property
    def orphan(self) -> bool:
        return self.top is None or self.bottom is None

    @property
    def frames(self) -> tuple[int, ...]:
        return tuple(one for one in (self.top, self.bottom) if one is not None)


@dataclass(frozen=True)
class FilmPlan:
    """``shown``: at each tick of ``rate`` the number of its picture in ``pictures``."""

    rate: Fraction
    pictures: tuple[FilmPicture, ...]
    shown: tuple[int, ...]

    @property
    def left_out(self) -> int:
        """Pictures that breaks cost."""
        return self.shown[-1] + 1 - len(set(self.shown)) if self.shown else 0

    @property
    def repeated(self) -> int:
        """Ticks at which breaks leave nothing new."""
        return len(self.shown) - len(set(self.shown))


@dataclass(frozen=True)
class Cadence:
    """What of a reading the plan follows from.

    Parameters
    ----------
    runs : first frame, pattern, place in its round; each holds until the next.
    gaps : frame before a gap, frames missing there.
    """

    frames: int
    rate: Fraction
    order: FieldOrder
    runs: tuple[tuple[int, str, int], ...]
    gaps: tuple[tuple[int, int], ...]


def cadence_of(reading: Reading) -> Cadence:
    order = FieldOrder(reading.scan.field_order) if reading.scan.field_order else FieldOrder.TFF
    return Cadence(reading.frames, Fraction(reading.rate.nominal), order, tuple(reading.scan.runs), gaps_of(reading))


def gaps_of(reading: Reading) -> tuple[tuple[int, int], ...]:
    """Frame before a gap, frames missing there; where stamps are wrong there are none."""
    return () if reading.rate.retimed else tuple(reading.rate.gap_places)


def pace_of(reading: Reading) -> Fraction:
    """Frames a second that a take runs at: by its stamps, where those are right."""
    return Fraction(reading.rate.nominal) if reading.rate.retimed else reading.rate.by_stamps


def _stretches(cadence: Cadence) -> Iterator[tuple[int, int, tuple[Class, ...], int]]:
    """(first frame, end, classes of a round, place in it) of each run."""
    for number, (first, key, place) in enumerate(cadence.runs, start=1):
        end = cadence.runs[number][0] if number < len(cadence.runs) else cadence.frames
        yield first, end, classes_named(key), place


class Places:
    """Numbers of decoded frames against places on the take's clock: lost frames leave places empty."""

    def __init__(self, gaps: tuple[tuple[int, int], ...]) -> None:
        self._after = [frame for frame, _ in gaps]
        self._missing = list(itertools.accumulate((missing for _, missing in gaps), initial=0))

    def of(self, frame: int) -> int:
        """The place of a frame, from 0."""
        return frame + self._missing[bisect_right(self._after, frame - 1)]

    def frame_at(self, place: int) -> int:
        """The last frame that stands at a place or before it."""
        low, high = 0, place
        while low < high:
            middle = (low + high + 1) // 2
            low, high = (middle, high) if self.of(middle) <= place else (low, middle - 1)
        return low


def cadence_known(reading: Reading) -> bool:
    """Whether the reading keeps what film recovery goes by: every frame was looked at, and gaps are few."""
    return bool(reading.scan.runs) and reading.mode == "full" and gaps_known(reading)


def gaps_known(reading: Reading) -> bool:
    """Whether the reading lists every gap; it lists 200."""
    return reading.rate.retimed or sum(missing for _, missing in reading.rate.gap_places) == reading.rate.missing_frames


def film_rate(reading: Reading) -> Fraction | None:
    """Rate of the film pictures where the whole take has one cadence; None else."""
    true = Fraction(reading.rate.true) if reading.rate.true else None
    nominal = Fraction(reading.rate.nominal)
    if reading.scan.kind in {"film_2_3", "film_2_3_3_2"}:
        return nominal * Fraction(4, 5)
    if reading.scan.kind == "film_2_2":
        return nominal
    return true if reading.scan.kind == "repeats" and true is not None and true < nominal else None


def picture_count(cadence: Cadence) -> int:
    """How many pictures there are, without numbering them: a window asks, and a long take has hundreds of thousands."""
    total = 0
    for first, end, classes, place in _stretches(cadence):
        new = [_new_in(kind) for kind in classes]
        rounds, rest = divmod(max(0, end - first), len(classes))
        total += rounds * sum(new) + sum(new[(place + at) % len(new)] for at in range(rest))
        begins = classes[place % len(classes)]
        total += int(end > first and begins in _OF_FILM)  # nobody knows whose field it is
    return total


def _new_in(kind: Class) -> int:
    """Pictures that begin in a frame of a class."""
    return 0 if kind in _JOIN else 2 if kind in {Class.TOP, Class.BOTTOM} else 1


def frames_in_cadence(reading: Reading, parts: Sequence[ScanSegment]) -> int:
    """Frames within some parts of a take for which the reading keeps a place in a round."""
    held = [(first, end) for first, end, classes, _ in _stretches(cadence_of(reading)) if set(classes) & _OF_FILM]
    return sum(max(0, min(end, one.end_frame) - max(first, one.first_frame)) for first, end in held for one in parts)


def classes_of(cadence: Cadence) -> Iterator[tuple[int, Class, bool]]:
    """(frame, class, whether a round begins anew there) for every frame."""
    for number, (first, end, classes, place) in enumerate(_stretches(cadence)):
        for frame in range(first, min(end, cadence.frames)):
            yield frame, classes[(place + frame - first) % len(classes)], frame == first and number > 0


@lru_cache(maxsize=2)
def pictures_of(cadence: Cadence) -> tuple[tuple[FilmPicture, ...], tuple[tuple[int, int], ...]]:
    """The film pictures in their order; and, for each frame, the numbers of the pictures that its top and its bottom field show."""
    places = Places(cadence.gaps)
    tops: list[int | None] = []
    bottoms: list[int | None] = []
    fields: list[int] = []
    counts: list[int] = []
    of_frame: list[tuple[int, int]] = []

    def new() -> int:
        tops.append(None)
        bottoms.append(None)
        fields.append(-1)
        counts.append(0)
        return len(tops) - 1

    current = -1
    for frame, kind, anew in classes_of(cadence):
        fresh = current < 0 or anew
        if kind in _HALF_JOIN:
            first = new() if fresh else current  # after a break nobody knows whose field it is
            second = new()
        elif kind in _JOIN:
            first = second = new() if fresh else current
        elif kind in {Class.TOP, Class.BOTTOM}:
            first, second = new(), new()
        else:
            first = second = new()
        current = second
        top, bottom = (first, second) if cadence.order is FieldOrder.TFF else (second, first)
        of_frame.append((top, bottom))
        for place, number in enumerate((first, second)):
            if fields[number] < 0:
                fields[number] = 2 * places.of(frame) + place
            counts[number] += 1
        tops[top] = frame if tops[top] is None else tops[top]
        bottoms[bottom] = frame if bottoms[bottom] is None else bottoms[bottom]
    return tuple(FilmPicture(*row) for row in zip(tops, bottoms, fields, counts, strict=True)), tuple(of_frame)


@lru_cache(maxsize=2)
def plan_film(cadence: Cadence, rate: Fraction) -> FilmPlan:
    """Every film picture once, at a constant rate; where the cadence breaks, in step with the take all the same.

    Parameters
    ----------
    rate : of the film, pictures a second.

    Raises ValueError for a cadence without runs. Source: findings, "Film recovery": the drift rule.
    """
    if not cadence.runs:
        raise ValueError("film is recovered by the cadence of a reading, and this one keeps none")
    pictures, _ = pictures_of(cadence)
    a_field = rate / (2 * cadence.rate)  # pictures that one field lasts
    least, most = _within_a_round(cadence, pictures, a_field)
    shown: list[int] = []
    for number, picture in enumerate(pictures):
        drift = picture.field * a_field - len(shown)
        if shown and drift < least + (_AHEAD_ORPHAN if picture.orphan else _AHEAD):
            continue  # left out, unless the next one comes late
        while drift > most + _BEHIND and shown:
            shown.append(number - 1)  # the one before, also where it ran ahead of its place: it is what the take shows by now
            drift -= 1
        shown.append(number)
    total = max(1, round((Places(cadence.gaps).of(cadence.frames - 1) + 1) * 2 * a_field)) if cadence.frames else 0
    shown += [len(pictures) - 1] * (total - len(shown))  # to the take's end
    return FilmPlan(rate, pictures, tuple(shown[:total]))


def _within_a_round(cadence: Cadence, pictures: tuple[FilmPicture, ...], a_field: Fraction) -> tuple[Fraction, Fraction]:
    """How far pictures run ahead of an even pace and lag behind it while nothing breaks, as the longest stretch of film shows: within 2:3
    by a fifth of a picture, within 24 pictures in 25 frames by nearly one. What runs away by more is no film of this rate: where there is
    no other, every picture is held to its own place."""
    stretches = [(first, end) for first, end, _, _ in _stretches(cadence)]
    for first, end in sorted(stretches, key=lambda run: -min(run[1] - run[0], _LONG_RUN)):
        drifts = [
            picture.field * a_field - number for number, picture in enumerate(pictures)
            if not picture.orphan and first <= min(picture.frames) and max(picture.frames) < end
        ]  # fmt: skip
        if drifts and max(drifts) - min(drifts) < 1:
            # Counted from the take's first picture, wherever the stretch lies: breaks before it are taken out.
            whole = round(drifts[0])
            return min(drifts) - whole, max(drifts) - whole
    return Fraction(0), Fraction(0)
