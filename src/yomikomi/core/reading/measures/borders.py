"""Empty borders around the picture, to the sample; the torn lines of head switching; what shape the picture is.

Each line (and column) is described by its 98th percentile of luma, smoothed along the line against noise. Over time the 95th
percentile of that is kept, so that dark scenes do not widen a border. A border begins at the edge, is dark, and ends where the
level rises above what noise explains (docs/science.md).
"""

from __future__ import annotations

from bisect import insort
from dataclasses import dataclass
from fractions import Fraction

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.models import Borders, Shape
from yomikomi.core.reading.sight import Sight
from yomikomi.core.video.geometry import Geometry

# shape=(lines,) or (columns,), 8-bit codes.
Profile = NDArray[np.floating]

# A border's level is at most this, in 8-bit codes; black of either range lies below, with noise on it.
_DARK = 40.0
# What counts as picture: this much above the border, or so many times the noise.
_STEP, _NOISES = 5.0, 1.6
# The longest edge, in samples: 3 MHz at 13.5 MHz, moved about by line jitter.
_RAMP = 7
# A look in which less than this stands out of the dark says nothing (a fade, titles on black).
_LEAST_LIT = 0.15
_SAME = 2  # samples by which looks may differ and still agree
_GROUP = 12  # looks that are judged together when borders move
# Usual shapes of pictures, width over height.
_SHAPES = (
    (Fraction(4, 3), "4:3"), (Fraction(3, 2), "3:2"), (Fraction(16, 9), "16:9"), (Fraction(37, 20), "1.85:1"),
    (Fraction(47, 20), "2.35:1"), (Fraction(239, 100), "2.39:1"), (Fraction(1), "1:1"), (Fraction(9, 16), "9:16"),
)  # fmt: skip
_SHAPE_TOLERANCE = 0.025
_SWITCH_ZONE, _SWITCH_REFERENCE = 20, 60
_SWITCH_SIGMA = 6.0

Sides = tuple[int, int, int, int]


@dataclass(frozen=True)
class _Look:
    frame: int
    lines: Profile
    columns: Profile
    noise: float
    lit: float


class BorderMeter:
    def __init__(self) -> None:
        self._looks: list[_Look] = []
        self._torn: list[Profile] = []
        self._size: tuple[int, int] | None = None

    def look(self, before: Sight, now: Sight) -> None:
        codes = now.codes
        if min(codes.shape) < 32 or (self._size is not None and codes.shape != self._size):
            return
        self._size = (codes.shape[0], codes.shape[1])
        along = cv2.blur(codes, (9, 1))[:, 4::4]
        down = cv2.blur(codes, (1, 9))[4::4]
        noise = _edge_noise(codes)
        lit = float(np.mean(along > _DARK + _STEP))
        self._looks.append(_Look(now.number, _high(along, 1), _high(down, 0), noise, lit))
        if before.codes.shape == codes.shape:
            self._torn.append(_tear(before.codes, codes))

    def result(self, shape: Shape, *, tape: bool) -> Borders | None:
        """``tape``: an analogue source, whose last lines may be torn. None without a look that shows enough."""
        if self._size is None:
            return None
        telling = [one for one in self._looks if one.lit >= _LEAST_LIT]
        if not telling:
            return None
        sides = _sides(telling)
        switching = self._switching(sides[1]) if tape else 0
        alone = [_sides_of(one.lines, one.columns, one.noise) for one in telling]
        agree = np.mean([_near(one, sides) for one in alone])
        changes = _changes(telling, alone, sides)
        inside = _inside(shape, sides, self._size)
        likely, reason = _likely(shape, sides, self._size)
        return Borders(
            top=sides[0], bottom=sides[1], left=sides[2], right=sides[3],
            confidence=round(float(np.clip((agree * len(telling) + 1) / (len(telling) + 2), 0, 0.99)), 3),
            moving=bool(changes), changes=[(frame, list(one)) for frame, one in changes[:50]], head_switching_lines=switching,
            active_shape=inside, likely_shape=likely, shape_reason=reason,
        )  # fmt: skip

    def _switching(self, bottom: int) -> int:
        """Height of the torn lines above the lower border (which a deck may leave black)."""
        if len(self._torn) < 3 or self._size is None or self._size[0] < 200:
            return 0
        tear = np.median(np.stack(self._torn), axis=0)
        lines = len(tear) - bottom
        usual = tear[lines - _SWITCH_REFERENCE : lines - _SWITCH_ZONE]
        spread = max(1.4826 * float(np.median(np.abs(usual - np.median(usual)))), 0.05 * float(np.median(usual)), 0.1)
        odd = (tear[lines - _SWITCH_ZONE : lines] - np.median(usual)) / spread > _SWITCH_SIGMA
        if odd[-4:].sum() < 2:
            return 0
        calm = np.flatnonzero(~(odd | np.roll(odd, 1) | np.roll(odd, -1)))
        return _SWITCH_ZONE - (int(calm[-1]) + 1 if len(calm) else 0)


def _high(smooth: NDArray[np.uint8], axis: int) -> Profile:
    """98th percentile along an axis."""
    count = smooth.shape[axis]
    rank = min(count - 1, int(0.98 * count))
    part = np.partition(smooth, rank, axis=axis)
    return np.asarray(part.take(rank, axis=axis), np.float32)


def _edge_noise(codes: NDArray[np.uint8]) -> float:
    """Spread of the noise at the edges, where borders are: of the calmest of the four."""
    spreads = []
    for strip in (codes[:4], codes[-4:], codes[:, :4].T, codes[:, -4:].T):
        step = np.diff(strip[:, ::2].astype(np.float32), axis=1)
        spreads.append(float(np.sqrt(np.mean(step * step) / 2)))
    return min(spreads)


def _sides(looks: list[_Look]) -> Sides:
    lines = np.percentile(np.stack([one.lines for one in looks]), 95, axis=0)
    columns = np.percentile(np.stack([one.columns for one in looks]), 95, axis=0)
    return _sides_of(lines, columns, float(np.median([one.noise for one in looks])))


def _sides_of(lines: Profile, columns: Profile, noise: float) -> Sides:
    return (*_both_ends(lines, noise), *_both_ends(columns, noise))


def _both_ends(profile: Profile, noise: float) -> tuple[int, int]:
    return _border(profile, noise), _border(profile[::-1], noise)


def _border(profile: Profile, noise: float) -> int:
    """Length of the dark beginning of a profile; the level of the border is told by its own first samples."""
    if profile[0] > _DARK + _NOISES * noise:
        return 0
    most, rise = len(profile) * 2 // 5, max(_STEP, _NOISES * noise)
    level = float(profile[0])
    known: list[float] = []  # in order: their median grows with them
    for length, value in enumerate(profile[:most].tolist()):
        if value > max(level, 0.0) + rise:
            return length + _ramp(profile[length:], level)
        insort(known, value)
        level = min((known[length // 2] + known[(length + 1) // 2]) / 2, _DARK)
    return 0  # dark nearly to the middle: no border, but a dark picture


def _ramp(profile: Profile, level: float) -> int:
    """How far it still is to the middle of the edge: a tape's bandwidth draws it out over several samples."""
    half = (level + float(np.median(profile[_RAMP - 2 : 2 * _RAMP]))) / 2
    risen = np.flatnonzero(profile[:_RAMP] >= half)
    return int(risen[0]) if len(risen) else 0


def _near(one: Sides, two: Sides) -> bool:
    return all(abs(a - b) <= _SAME for a, b in zip(one, two, strict=True))


def _changes(looks: list[_Look], alone: list[Sides], whole: Sides) -> list[tuple[int, Sides]]:
    """Where groups of looks have borders wider than the whole shows: a film in a letterbox within other material. ``alone``: those of
    each look."""
    found: list[tuple[int, Sides]] = []
    for start in range(0, len(looks) - _GROUP + 1, _GROUP):
        group = looks[start : start + _GROUP]
        sides = _sides(group)
        steady = np.mean([_near(one, sides) for one in alone[start : start + _GROUP]]) >= 0.6
        last = found[-1][1] if found else whole
        if steady and not all(abs(a - b) <= 2 * _SAME for a, b in zip(sides, last, strict=True)):
            found.append((group[0].frame, sides))
    return found


def _tear(before: NDArray[np.uint8], now: NDArray[np.uint8]) -> Profile:
    """Mean change of each line against the frame before and against the line two above (of the same field), per line."""
    change = cv2.absdiff(before, now)[:, ::4].mean(axis=1)
    step = np.zeros(len(now))
    step[2:] = cv2.absdiff(now[2:], now[:-2])[:, ::4].mean(axis=1)
    return np.asarray(np.maximum(change, step), np.float32)


def _inside(shape: Shape, sides: Sides, size: tuple[int, int]) -> str:
    aspect = _inside_aspect(shape, sides, size)
    return _named(aspect) or f"{float(aspect):.2f}:1"


def _inside_aspect(shape: Shape, sides: Sides, size: tuple[int, int], display: Fraction | None = None) -> Fraction:
    height, width = size[0] - sides[0] - sides[1], size[1] - sides[2] - sides[3]
    sample = Fraction(shape.sample_aspect) if display is None else display * size[0] / size[1]
    return Fraction(max(1, width), max(1, height)) * sample


def _named(aspect: Fraction) -> str | None:
    off, name = min((abs(float(aspect / value) - 1), name) for value, name in _SHAPES)
    return name if off <= _SHAPE_TOLERANCE else None


def _likely(shape: Shape, sides: Sides, size: tuple[int, int]) -> tuple[str | None, str]:
    """The shape the whole frame is likely meant at, from what the borders leave, and what that rests on."""
    barred = sides[0] + sides[1] > 0.06 * size[0] or sides[2] + sides[3] > 0.06 * size[1]
    if not barred:
        return None, "the picture fills the frame, so the borders say nothing about its shape; check something round"
    flagged = Geometry(shape.width, shape.height, Fraction(shape.sample_aspect)).display_aspect
    as_flagged = _programme(_inside_aspect(shape, sides, size))
    if as_flagged:
        return shape.shape, f"within its borders the picture is {as_flagged}, a usual shape, when shown as flagged"
    fits = []
    for display, name in ((Fraction(4, 3), "4:3"), (Fraction(16, 9), "16:9")):
        inside = _programme(_inside_aspect(shape, sides, size, display))
        if abs(float(display / flagged) - 1) > 0.03 and inside:
            fits.append((name, inside))
    odd = float(_inside_aspect(shape, sides, size))
    if len(fits) == 1:
        name, inside = fits[0]
        return name, f"shown as flagged the picture within its borders is an unusual {odd:.2f}:1; shown {name} it is {inside}"
    if fits:
        return None, f"shown as flagged the picture within its borders is an unusual {odd:.2f}:1; both 4:3 and 16:9 would explain it"
    return None, "what the borders leave is of no usual shape, flagged or otherwise"


def _programme(aspect: Fraction) -> str | None:
    """The name of a shape that programmes and films have."""
    name = _named(aspect)
    return name if name not in {"1:1", "9:16"} else None
