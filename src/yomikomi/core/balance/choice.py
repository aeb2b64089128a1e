"""The choices that stand out on the plane."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from yomikomi.core.balance.curves import PlanePoint
from yomikomi.core.balance.recipes import CODECS
from yomikomi.core.video.geometry import size_text

# Past this, doubling the size buys less likeness than people notice side by side (common practice, no source: half a
# decibel to one decibel is the usual just-noticeable step in such comparisons).
_WORTH_A_DOUBLING_DB = 1.0


@dataclass(frozen=True)
class Choice:
    """``key``: best (under the limit), worth (where more room stops paying) or soonest."""

    key: str
    title: str
    point: PlanePoint
    why: str


def choices(plane: dict[str, list[PlanePoint]], *, limit_bytes: float | None) -> list[Choice]:
    """What stands out, best first. With a limit, everything offered stays under it with its whole interval."""
    points = [point for curve in plane.values() for point in curve]
    inside = [p for p in points if limit_bytes is None or p.prediction.size_bytes.high <= limit_bytes]
    if not inside:
        return []
    found = []
    if limit_bytes is not None:
        best = max(inside, key=lambda p: (p.likeness, -p.size))
        second = _runner_up(best, inside)
        why = f"Of all that surely stay under {size_text(limit_bytes)}, it looks most like the source{second}."
        found.append(Choice("best", f"Best under {size_text(limit_bytes)}", best, why))
    knees = [knee for curve in plane.values() if (knee := _knee(curve)) in inside]
    if knees:
        worth = min(knees, key=lambda p: p.size - 0.05 * p.likeness * p.size)
        found.append(Choice("worth", "Where more room stops paying", worth, _why_worth(worth)))
    floor = max((k.likeness for k in knees), default=max(p.likeness for p in inside)) - 1.0
    near = [p for p in inside if p.likeness >= floor] or inside
    soon = min(near, key=lambda p: (p.prediction.encode_seconds.expected, p.size))
    found.append(Choice("soonest", "Soonest", soon, "The quickest to encode among those that look about as good."))
    return found


def smallest_possible(plane: dict[str, list[PlanePoint]]) -> PlanePoint | None:
    """The smallest that was looked at, for telling a person that a limit is out of reach."""
    return min((p for curve in plane.values() for p in curve), key=lambda p: p.prediction.size_bytes.high, default=None)


def _knee(curve: list[PlanePoint]) -> PlanePoint:
    """The largest point at which a doubling of size still bought a decibel."""
    curve = sorted(curve, key=lambda p: p.size)
    sizes, likeness = np.log2([p.size for p in curve]), np.array([p.likeness for p in curve])
    gains = np.gradient(likeness, sizes) if len(curve) > 1 else np.array([0.0])
    paying = [index for index, gain in enumerate(gains) if gain >= _WORTH_A_DOUBLING_DB]
    return curve[paying[-1]] if paying else curve[0]


def _why_worth(point: PlanePoint) -> str:
    codec = CODECS[point.prediction.recipe.codec].words
    return f"Up to here a doubling of size still buys {_WORTH_A_DOUBLING_DB:.0f} dB of likeness with {codec}; beyond, less."


def _runner_up(best: PlanePoint, inside: list[PlanePoint]) -> str:
    others = [p for p in inside if p.prediction.recipe.codec != best.prediction.recipe.codec]
    if not others:
        return ""
    next_best = max(others, key=lambda p: p.likeness)
    gain = best.likeness - next_best.likeness
    return f"; {CODECS[next_best.prediction.recipe.codec].words} stays {gain:.1f} dB behind" if gain > 0.05 else ""
