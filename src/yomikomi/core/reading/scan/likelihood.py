"""How likely each class of frame makes what was measured on it.

The comb energies give two numbers, f1 = ln(held/own) and f2 = ln(early/own), noise taken off. Each class lies on a ray from
the origin of that plane: whole pictures on the diagonal, fields on an axis, film frames on the far side; how far out says how
much moved against how much detail there is, and tells nothing. Whole pictures lie on their diagonal to within some hundredths,
even when compressed, because weaving either way round shows the same teeth; that is what parts them from fields whose teeth
compression has smoothed (docs/science.md). The widths below were set on simulated material and on real clips shipped with a
development package; docs/reading-proof.md shows what comes of them on other material.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.scan.evidence import LAG, MIN_BLOCKS, Evidence, Values
from yomikomi.core.reading.scan.patterns import Class

# Rays: direction in the plane (f1, f2) and weight.
_Rays = tuple[tuple[float, float, float], ...]
_SPLIT: _Rays = ((-1, 0, 0.3), (-1, 0.2, 0.25), (-1, 0.45, 0.25), (-1, 0.8, 0.2))
_CLEAN: dict[Class, _Rays] = {
    Class.WHOLE: ((1, 1, 1.0),),
    Class.TOP: ((0, 1, 1.0),),
    Class.HELD_T: ((-1, 0, 1.0),),
    Class.SPLIT_T: _SPLIT,
    Class.JOIN_T: ((0, 1, 1.0),),
}
# Compression smooths comb teeth, which draws fields towards the diagonal.
_LOSSY: dict[Class, _Rays] = {
    Class.WHOLE: ((1, 1, 1.0),),
    Class.TOP: ((0, 1, 0.4), (0.3, 1, 0.2), (0.6, 1, 0.2), (0.8, 1, 0.2)),
    Class.HELD_T: ((-1, 0, 0.5), (-0.3, 1, 0.15), (0.2, 1, 0.15), (0.6, 1, 0.2)),
    Class.SPLIT_T: ((-1, 0, 0.2), (-1, 0.3, 0.2), (-1, 0.8, 0.2), (-0.3, 1, 0.2), (0.3, 1, 0.2)),
    Class.JOIN_T: ((0, 1, 0.5), (0.4, 1, 0.25), (0.7, 1, 0.25)),
}
# The same with the bottom field first: the two numbers change places.
_MIRROR = {Class.BOTTOM: Class.TOP, Class.HELD_B: Class.HELD_T, Class.SPLIT_B: Class.SPLIT_T, Class.JOIN_B: Class.JOIN_T}
# Which field stands still where one is a repeat: (top − bottom)/(top + bottom) of the changes.
_UNEVEN = {Class.HELD_T: -1.0, Class.JOIN_T: 1.0, Class.HELD_B: 1.0, Class.JOIN_B: -1.0}

# Width of a ray: at its foot, and what it grows by for each unit of distance; the diagonal hardly grows.
_FOOT, _GROWTH, _GROWTH_LOSSY = 0.08, 0.08, 0.12
_FOOT_WHOLE, _GROWTH_WHOLE = 0.05, 0.01
# Nearer to the origin than this everything looks alike; further out the density falls off slowly.
_NEAR, _FAR = 0.12, 3.0
_TAIL = 0.01
_UNEVEN_WIDTH = 0.22
_CHAOS_WIDTH = 1.2
# Compressed pictures of one group differ by so much where nothing moves, and differently by their kind: a still scene in groups of
# three would pass for every picture shown three times. Codes squared, in the liveliest tenth.
_PULSE = 12.0
# Standard errors by which things must have gone on moving.
_SURE_GROWTH = 3.0
# Frames on either side that tell how lively it is here.
_AROUND = 6


def likelihoods(evidence: Evidence, *, lossy: bool) -> tuple[Values, NDArray[np.bool_]]:
    """Logarithm of the likelihood of each class, shape (frames, classes), and the cuts, shape (frames,), bool.

    Zero throughout where a frame says nothing: the first one, a cut, one in which nothing moves among others like it.
    """
    noise = evidence.noise
    own, held, early = (np.maximum(c - 1.5 * noise, 0.05 + 0.1 * noise) for c in (evidence.own, evidence.held, evidence.early))
    f1, f2 = np.log(held / own), np.log(early / own)
    telling = moving_frames(evidence, lossy=lossy)
    foot = np.hypot(_FOOT, evidence.spread)
    foot_whole = np.hypot(_FOOT_WHOLE, 0.4 * evidence.spread)
    uneven = _unevenness(evidence)
    cut = cuts(evidence.motion)
    repeat_part, lively, doubt = _repeat_part(evidence, cut, lossy=lossy)
    found = np.zeros((len(evidence), len(Class)))
    for one in Class:
        if one is Class.REPEAT:
            # Noise alone looks like a repeat: where nothing is lively around, it argues for nothing more than chaos does.
            alike = lively * np.log(_blob(f1, f2, 0.2) + _TAIL) + (1 - lively) * np.log(_blob(f1, f2, _CHAOS_WIDTH) + 0.25 * _TAIL)
            place = np.log(np.exp(-0.5 * (repeat_part / doubt) ** 2) / (1.25 * doubt) + 0.005)
            found[:, one] = np.where(telling, alike + np.log(0.5), 0) + lively * place
            continue
        moves = lively * np.log(0.15 + 1.2 * np.minimum(repeat_part, 1))
        if one is Class.CHAOS:
            density = _blob(f1, f2, _CHAOS_WIDTH) + 0.25 * _TAIL
            found[:, one] = np.where(telling, np.log(density) + np.log(0.45), 0) + moves
            continue
        x, y = (f2, f1) if one in _MIRROR else (f1, f2)
        rays = (_LOSSY if lossy else _CLEAN)[_MIRROR.get(one, one)]
        whole = one is Class.WHOLE
        growth = _GROWTH_WHOLE if whole else _GROWTH_LOSSY if lossy else _GROWTH
        density = _on_rays(x, y, rays, foot_whole if whole else foot, growth, near=0.5 * foot)
        found[:, one] = np.where(telling, np.log(density) + np.log(_evenness(uneven, one, lossy=lossy)), 0) + moves
    found[cut] = 0
    found[:1] = 0
    return found, cut


def cuts(motion: Values) -> NDArray[np.bool_]:
    """Frames whose change stands out against all others within six on either side: first frames of a new shot.

    Against more than the two neighbours, because where pictures are repeated every new one stands out against those.

    Shape=(frames,), as ``motion`` has, codes.
    """
    most = neighbours(motion, _AROUND).max(axis=0)
    return np.asarray(motion > np.maximum(2.5 * np.maximum(most, 0.5), 4))


def neighbours(values: Values, span: int, *, mode: Literal["constant", "reflect"] = "constant") -> Values:
    """The values of the ``span`` frames on either side of each frame, itself left out: shape (2 · span, frames). Beyond the ends
    stands nought, or (``reflect``) what stands before them."""
    # Too few to be reflected: the end stands for what lies beyond it.
    padded = np.pad(values, span, mode="edge" if mode == "reflect" and len(values) <= span else mode)
    return np.stack([padded[at : at + len(values)] for at in range(2 * span + 1) if at != span])


def neighbours_in_shot(values: Values, cut: NDArray[np.bool_], span: int) -> Values:
    """:func:`neighbours`, nought in the place of those that lie in another shot. ``cut``: first frames of shots, shape (frames,)."""
    shot = np.cumsum(cut).astype(np.float64)
    return np.where(neighbours(shot, span) == shot, neighbours(values, span), 0)


def _blob(f1: Values, f2: Values, width: float) -> Values:
    return np.asarray(np.exp(-0.5 * (f1 * f1 + f2 * f2) / width**2) / (2 * np.pi * width**2))


def _on_rays(f1: Values, f2: Values, rays: _Rays, foot: Values, growth: float, *, near: Values) -> Values:
    density = np.full(len(f1), _TAIL)
    for x, y, weight in rays:
        length = np.hypot(x, y)
        along, beside = (f1 * x + f2 * y) / length, (f1 * y - f2 * x) / length
        outward = np.maximum(along, 0)
        width = foot + growth * outward
        rises = 1 / (1 + np.exp(-np.clip((along - _NEAR) / near, -40, 40)))
        density += weight * rises * np.exp(-outward / _FAR) / _FAR * np.exp(-0.5 * (beside / width) ** 2) / (np.sqrt(2 * np.pi) * width)
    return density


def _unevenness(evidence: Evidence) -> Values:
    top, bottom = (np.maximum(c - 2 * evidence.noise, 0.05 * c + 1e-6) for c in (evidence.change_top, evidence.change_bottom))
    return np.asarray((top - bottom) / (top + bottom))


def _evenness(uneven: Values, one: Class, *, lossy: bool) -> Values:
    width = _UNEVEN_WIDTH
    if one not in _UNEVEN:
        return np.asarray(0.9 * np.exp(-0.5 * (uneven / width) ** 2) / (np.sqrt(2 * np.pi) * width) + 0.05)
    side = _UNEVEN[one]
    width *= 1.6
    exact = np.exp(-0.5 * ((uneven - side) / width) ** 2) / (1.25 * width)
    if not lossy:
        return np.asarray(0.9 * exact + 0.05)
    leaning = 1 / (1 + np.exp(-np.clip((uneven * side - 0.15) / 0.05, -40, 40)))
    return np.asarray(0.45 * exact + 0.45 * leaning + 0.05)


def noise_top(evidence: Evidence) -> Values:
    """What the liveliest tenth of the blocks would change by if nothing but noise were there: 5.2 times the variance as it is
    told here, or 2.45 times the stillest tenth, whichever is less (measured on noise of known strength)."""
    return np.asarray(np.minimum(5.2 * evidence.noise, 2.45 * evidence.quietest))


def moving_frames(evidence: Evidence, *, lossy: bool = False) -> NDArray[np.bool_]:
    """Frames in which something moves beyond noise (or, compressed, beyond what groups of pictures pulse by): only those say how they
    were scanned. Noise alone passes for whole pictures, because both ratios share the frame's own teeth. Shape=(frames,)."""
    floor = noise_top(evidence)
    moves = evidence.telling & (evidence.liveliest > 1.2 * floor + (_PULSE if lossy else 1.0))
    return np.asarray(moves & ((evidence.strong >= MIN_BLOCKS) | _goes_on(evidence)))


def _goes_on(evidence: Evidence) -> NDArray[np.bool_]:
    """Frames in which what changes goes on changing. Across a cut everything differs, which says nothing of motion; within the first
    frames of a shot the next one that can be compared tells."""
    cut = cuts(evidence.motion)
    cut[:1] = True
    since = np.arange(len(cut)) - np.maximum.accumulate(np.where(cut, np.arange(len(cut)), 0))
    sure = (evidence.growth > _SURE_GROWTH) & (since >= LAG)
    goes_on = sure.copy()
    for back in range(1, LAG + 1):
        goes_on[:-back] |= sure[back:] & (since[back:] >= back)
    return goes_on


def _repeat_part(evidence: Evidence, cut: NDArray[np.bool_], *, lossy: bool) -> tuple[Values, Values, Values]:
    """How much a frame changes as a part of the liveliest around it in its shot; how lively it is there, 0…1; how far a repeat may
    be from 0."""
    floor = noise_top(evidence)
    change = np.maximum(evidence.liveliest - floor, 0)
    # Against a cut, and against what moves in another shot, everything would look like a repeat.
    around = neighbours_in_shot(np.where(cut, 0, change), cut, _AROUND)
    most = np.maximum(around.max(axis=0), change)
    scale = np.maximum(most, 1e-3)
    enough = 3 * (evidence.noise + 0.6) + (_PULSE if lossy else 0)
    lively = np.clip((most - enough) / enough, 0, 1)
    return change / scale, lively, np.minimum(0.03 + 0.12 * floor / scale, 0.4)
