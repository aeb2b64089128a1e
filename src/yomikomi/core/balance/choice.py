"""The choices that stand out on the plane."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from yomikomi.core.balance.curves import PlanePoint
from yomikomi.core.balance.recipes import CODECS
from yomikomi.core.video.units import size_text

# The yardstick for "good": what people set where they do not want to see a difference. H.264 at 19 to 20 for standard
# definition, and a little more where the same size on screen has more pixels (common practice, no source).
_YARDSTICK_CODEC = "h264"
_YARDSTICK_SD, _YARDSTICK_HD = 20, 22


@dataclass(frozen=True)
class Choice:
    """``key``: best (under the limit), smallest (that holds the yardstick's fidelity) or soonest."""

    key: str
    title: str
    point: PlanePoint
    why: str


def yardstick(plane: dict[str, list[PlanePoint]], *, height: int) -> tuple[float, str]:
    """The fidelity that counts as good, and how it was come by.

    The fidelity of H.264 at its usual quality value on this very footage; where H.264 was not tried, the median of all.
    """
    usual = _YARDSTICK_SD if height <= 576 else _YARDSTICK_HD
    curve = plane.get(_YARDSTICK_CODEC)
    if curve:
        point = min(curve, key=lambda p: abs(p.prediction.recipe.quality - usual))
        return point.fidelity, f"{CODECS[_YARDSTICK_CODEC].words}, quality {point.prediction.recipe.quality}"
    return float(np.median([p.fidelity for curve in plane.values() for p in curve])), "the middle of what was tried"


def choices(plane: dict[str, list[PlanePoint]], *, limit_bytes: float | None, height: int) -> list[Choice]:
    """What stands out, best first. With a limit, everything offered stays under it with its whole interval.

    Parameters
    ----------
    height : lines of the copy; more of them allow a little more compression.
    """
    points = [point for curve in plane.values() for point in curve]
    inside = [p for p in points if limit_bytes is None or p.prediction.size_bytes.high <= limit_bytes]
    if not inside:
        return []
    found = []
    if limit_bytes is not None:
        best = max(inside, key=lambda p: (p.fidelity, -p.size))
        why = f"Highest fidelity of all that are sure to stay under {size_text(limit_bytes)}{_runner_up(best, inside)}."
        found.append(Choice("best", f"Best under {size_text(limit_bytes)}", best, why))
    floor, by = yardstick(plane, height=height)
    good = [p for p in inside if p.fidelity >= floor]
    if good:
        smallest = min(good, key=lambda p: p.size)
        found.append(Choice("smallest", "Smallest at this fidelity", smallest, _why_smallest(smallest, floor, by, plane)))
        soon = min(good, key=lambda p: (p.prediction.encode_seconds.expected, p.size))
        if soon is not smallest:
            found.append(Choice("soonest", "Fastest at this fidelity", soon, f"The fastest to encode of all that reach {floor:.1f} dB."))
    return found


def smallest_possible(plane: dict[str, list[PlanePoint]]) -> PlanePoint | None:
    """The smallest that was looked at, for telling a person that a limit is out of reach."""
    return min((p for curve in plane.values() for p in curve), key=lambda p: p.prediction.size_bytes.high, default=None)


def _why_smallest(point: PlanePoint, floor: float, by: str, plane: dict[str, list[PlanePoint]]) -> str:
    why = f"{by} is the usual choice for this picture size; it gives {floor:.1f} dB here, and this is the smallest that reaches it"
    codec = point.prediction.recipe.codec
    others = {key: min((p.size for p in curve if p.fidelity >= floor), default=None) for key, curve in plane.items() if key != codec}
    reach = {key: size for key, size in others.items() if size is not None}
    if reach:
        nearest = min(reach, key=lambda key: reach[key])
        more = 100 * (reach[nearest] / point.size - 1)
        why += f"; {CODECS[nearest].words} needs {more:.0f} % more"
    return why + "."


def _runner_up(best: PlanePoint, inside: list[PlanePoint]) -> str:
    others = [p for p in inside if p.prediction.recipe.codec != best.prediction.recipe.codec]
    if not others:
        return ""
    next_best = max(others, key=lambda p: p.fidelity)
    gain = best.fidelity - next_best.fidelity
    return f"; {CODECS[next_best.prediction.recipe.codec].words} stays {gain:.1f} dB behind" if gain > 0.05 else ""
