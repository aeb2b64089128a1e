"""When a light flashes somewhere in the picture: a lamp, a telephone, a slate's light, or the whole of it.

A flash is a part of the picture that turns brighter all at once and dark again soon after, while around that moment nothing else
does so: things that move brighten other parts one after another, cuts do not go back. The field that a flash begins in is lit for
part of its time and so much brighter, which tells the moment within the field. Source: the exposure of a field integrates light over
its time; our own reckoning.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

# Code values by which a cell must brighten, and by how many times the noise of cells.
_LEAST_STEP, _NOISES = 10.0, 6.0
# Cells that must, and the part of all.
_FEWEST_CELLS, _LEAST_PART = 4, 0.008
# Code values from which a cell may be clipped, and the part of a flash's cells below that suffices to tell the moment; of those, the
# ones that brighten nearly as much as any, and the fewest.
_TOP, _WITHIN = 215.0, 0.15
_NEARLY, _FEWEST_BRIGHTENING = 0.93, 6
# A flash that lights no field for all of its time may be so many times as strong as it looks.
_MOST_BEYOND = 1.6
# A flash lasts no longer.
_LONGEST_S = 0.25
_NEAR = np.ones((5, 5), np.uint8)  # around them
# Of the number of cells that brighten, so many near them may do so in a usual field around, or darken: more is something that moves.
_MOST_AROUND = 0.34
# Lit is what is brighter by so much of the whole step; dark again, by less than that.
_LIT, _DARK = 0.5, 0.35
# Light below this part of the full one is none: noise of a tape stays below.
_SOME_LIGHT = 0.04
# A part of the light between this and the rest of it is a field that the flash began or ended in.
_CUT = 0.07
# Fields of one frame are exposed half its time apart; from this part of it on they are no whole picture. Flashes that must be seen.
_APART, _FEWEST_OF_FIELDS = 0.2, 3
# Fields that tell how bright it was; of each kind.
_BEFORE, _BEFORE_EACH = 4, 3

# shape=(frames, rows, columns): light of each cell of the picture, codes.
Cells = NDArray[np.float32]
# shape=(frames,) or (samples,).
Series = NDArray[np.float64]


@dataclass(frozen=True)
class Flash:
    """``at``: when it begins, seconds, if fields are exposed for all of their time; ``edges``, ``cut``: how many of its beginning and end
    are known, and how many of those fell into a field's exposure (were seen as a part of the light): cameras with short exposures see
    few. ``light``: of each field from one before the flash to one after it, by how many code values the part is brighter; the first of
    them ``begins`` at so many seconds."""

    at: float
    edges: int = 0
    cut: int = 0
    begins: float = 0.0
    light: tuple[float, ...] = ()


def flashes(cells: Cells, times: Series, lasts: float, *, kinds: int) -> list[Flash]:
    """Flashes in order.

    Parameters
    ----------
    cells : ndarray [shape=(fields, lines, columns), float32, 8-bit code values], means of small parts of each field
    times : ndarray [shape=(fields,)], when each begins, seconds. ``lasts``: how long each lasts.
    kinds : 2 for fields, whose lines lie between each other's, 1 for whole pictures.
    """
    count, size = len(cells), cells[0].size if len(cells) else 0
    longest = max(2, round(_LONGEST_S / lasts))
    if count < 2 * _BEFORE + longest:
        return []
    # Against the last of the same kind: still detail differs between the two.
    change = cells[kinds:] - cells[:-kinds]
    noise = 1.4826 * float(np.median(np.abs(change - np.median(change))))
    limit = max(_LEAST_STEP, _NOISES * noise)
    up, down = np.zeros(cells.shape, np.bool_), np.zeros(cells.shape, np.bool_)
    up[kinds:], down[kinds:] = change > limit, change < -limit
    risen = up.sum(axis=(1, 2))
    least = max(_FEWEST_CELLS, round(_LEAST_PART * size))
    found: list[tuple[float, _Course]] = []
    for at in np.flatnonzero(risen >= least).tolist():
        if at < _BEFORE + 1 or at + 3 > count:
            continue
        part = _largest(up[at] | up[min(count - 1, at + 1)])
        if np.count_nonzero(part) < least:
            continue
        # What moves brightens something near before and after too, and darkens as much.
        near = cv2.dilate(part.astype(np.uint8), _NEAR).astype(np.bool_)
        others = (up[at - _BEFORE : at - 1], up[at + 2 + kinds : at + 2 + kinds + _BEFORE], down[at : at + 1])
        most = max(float(np.median((one & near).sum(axis=(1, 2)))) if len(one) else 0.0 for one in others)
        if most > _MOST_AROUND * np.count_nonzero(part):
            continue
        course = _course(cells, at, part, longest, kinds)
        if course is not None:
            found.append((float(course.step * course.cells), course))
    return _moments(found, times, lasts, longest)


def lit_first(upper: Cells, lower: Cells, times: Series, lasts: float) -> Literal["tff", "bff"] | None:
    """Which field of the frames of a file that tells nothing of fields is exposed first, where a light flashes; None for whole
    pictures, of which both fields are lit alike.

    Parameters
    ----------
    upper, lower : ndarray [shape=(frames, lines, columns), float32, 8-bit code values], means of small parts of each field
    times, lasts : see :func:`flashes`; of frames
    """
    one, two = (np.array([flash.at for flash in flashes(cells, times, lasts, kinds=1)]) for cells in (upper, lower))
    if len(one) < _FEWEST_OF_FIELDS or len(two) < _FEWEST_OF_FIELDS:
        return None
    nearest = two[np.argmin(np.abs(two[None, :] - one[:, None]), axis=1)] - one
    # The second field comes later, so the light seems to be there sooner in it.
    sooner = -float(np.median(nearest[np.abs(nearest) < 1.5 * lasts])) if np.any(np.abs(nearest) < 1.5 * lasts) else 0.0
    if abs(sooner) < _APART * lasts:
        return None
    return "tff" if sooner > 0 else "bff"


def _largest(cells: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The largest part that hangs together."""
    count, labels, rows, _ = cv2.connectedComponentsWithStats(cells.astype(np.uint8), connectivity=8)
    return labels == 1 + int(np.argmax(rows[1:, cv2.CC_STAT_AREA])) if count > 1 else cells


@dataclass(frozen=True)
class _Course:
    """How bright the part that flashes is above what it was: ``rises`` from the field before ``first`` on; ``step``: the full light."""

    first: int
    rises: Series
    step: float
    cells: int


def _course(cells: Cells, at: int, part: NDArray[np.bool_], longest: int, kinds: int) -> _Course | None:
    """The light in the part that brightens at a field; None where it does not go out again all at once."""
    begin, end = at - 1, min(len(cells), at + longest + 4)
    part = _unclipped(cells, at, part, kinds)
    # How bright each kind of field was there before; the last of them may hold some of the light.
    last = [at - 1 - kind - kinds * np.arange(_BEFORE_EACH) for kind in range(kinds)]
    before = [float(np.median(cells[one[one >= 0]][:, part].mean(axis=1))) for one in last]
    level = cells[begin:end][:, part].mean(axis=1).astype(np.float64)
    rises = np.array([value - before[place % kinds] for place, value in enumerate(level)])
    step = float(np.max(rises[1:4], initial=0))
    if step < _LEAST_STEP:
        return None
    lit = rises > _LIT * step
    peak = 1 + int(np.argmax(rises[1:4] > 0.9 * step))
    dark = np.flatnonzero(~lit[peak + 1 :]) + peak + 1
    if not len(dark) or dark[0] > longest + 1:
        return None
    out = int(dark[0])
    # Two fields later at the latest it is dark again.
    if out + 1 >= len(rises) or np.min(rises[out : out + 2]) > _DARK * step or (rises[0] > _DARK * step):
        return None
    return _Course(at, _level_off(rises, out, kinds), step, int(part.sum()))


def _level_off(rises: Series, out: int, kinds: int) -> Series:
    """The rises up to the field ``out``, where the light is going out, less what the picture behind it changed by from before to after."""
    after = rises[out + 1 : out + 1 + kinds]
    middle = out + 1 + (len(after) - 1) / 2
    return np.asarray(rises[: out + 1] - float(after.mean()) * np.arange(out + 1) / middle)


def _unclipped(cells: Cells, at: int, part: NDArray[np.bool_], kinds: int) -> NDArray[np.bool_]:
    """Of the part that flashes the cells that brighten most: where the light is too strong for the picture, cells brighten less than
    others, and half of the light looks like most of it."""
    rise = cells[at : at + 3].max(axis=0) - cells[max(0, at - 1 - kinds)]
    within = part & (cells[at : at + 3].max(axis=0) < _TOP)
    if np.count_nonzero(within) < max(3, _WITHIN * np.count_nonzero(part)):
        within = part
    inside = rise[within]
    count = min(len(inside), max(_FEWEST_BRIGHTENING, round(_WITHIN * len(inside))))
    limit = min(float(np.sort(inside)[-count]), _NEARLY * float(np.percentile(inside, 90)))
    return within & (rise >= limit)


def _moments(found: list[tuple[float, _Course]], times: Series, lasts: float, longest: int) -> list[Flash]:
    """Of what was found within one flash's length the strongest; and when each begins within its field."""
    kept: list[_Course] = []
    for _, course in sorted(found, key=lambda one: -one[0]):
        if all(abs(course.first - other.first) > longest for other in kept):
            kept.append(course)
    kept.sort(key=lambda one: one.first)
    made = []
    # A short flash may light no field for all of its time: most of its kind tell how strong it is.
    usual = float(np.percentile([one.step for one in kept], 75)) if kept else 0.0
    for course in kept:
        inner = course.rises[1:]
        full = np.flatnonzero(inner > 0.9 * course.step)
        light = float(np.median(inner[full])) if len(full) > 2 else course.step
        if len(full) < 2:
            light = float(np.clip(usual, light, _MOST_BEYOND * light))
        parts = np.clip(course.rises[:3] / max(light, 1e-6), 0, 1)
        # The first field with some light in it is lit from the flash's beginning to its own end. Where the next one has not all of it,
        # that is the first: what seems to be light before it moves.
        place = 0 if parts[0] > _SOME_LIGHT and (parts[1] > 1 - _CUT or not len(full)) else 1
        field = course.first - 1 + place
        cut = [_CUT < parts[place] < 1 - _CUT] if len(full) else []
        if len(full) and full[-1] + 1 < len(inner):
            last = float(inner[full[-1] + 1]) / max(light, 1e-6)
            cut.append(_CUT < last < 1 - _CUT)
        at = float(times[field] + lasts * (1 - parts[place]))
        made.append(Flash(at, len(cut), sum(cut), float(times[course.first - 1]), tuple(course.rises.tolist())))
    return made
