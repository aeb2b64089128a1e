"""The choices that stand out on the plane."""

from __future__ import annotations

from dataclasses import dataclass

from yomikomi.core.balance import sentences as titles
from yomikomi.core.balance.curves import PlanePoint
from yomikomi.core.balance.prediction import sized_prediction
from yomikomi.core.balance.viewing import STEPS, FidelityStep
from yomikomi.core.recipes.rates import SIZE_AIM, TargetSize

# Less than this is not worth telling; and not worth a second pass.
_TELLING_DB, _WORTH_DB = 0.05, 0.15


@dataclass(frozen=True)
class Choice:
    """``key``: untouched, exact (the same, but for its ends), best (under the limit, or of all where none reaches what is wanted), fills
    (the limit), smallest (that reaches what is wanted), soonest, a step (of the good, better and best), without noise (which another
    treatment makes), by hand or last."""

    key: str
    title: str
    point: PlanePoint
    why: str


def choices(
    plane: dict[str, list[PlanePoint]], *, limit_bytes: float | None, wanted: FidelityStep | None = STEPS[0],
    own_bytes: float | None = None, as_it_is: PlanePoint | None = None, codec: str = "",
) -> list[Choice]:
    """What stands out, best first. With a limit, everything offered stays under it with its whole interval.

    Parameters
    ----------
    wanted : the least that a person accepts to see; where nothing reaches it, the best there is takes its place. None: no wish, who is
        offered three steps.
    own_bytes : of the take itself, as far as it is kept: what is no smaller can only be worse, and is not offered.
    as_it_is : a copy without an encode, of a take that is watched as it is; ``codec``: the take's, in words.
    """
    found = []
    if as_it_is is not None and (limit_bytes is None or as_it_is.prediction.size_bytes.high <= limit_bytes):
        found.append(Choice("untouched", titles.UNTOUCHED, as_it_is, titles.why_untouched(codec)))
    points = [point for curve in plane.values() for point in curve if own_bytes is None or point.size < own_bytes]
    inside = [p for p in points if limit_bytes is None or p.prediction.size_bytes.high <= limit_bytes]
    if not inside:
        return found
    best = max(inside, key=lambda p: (p.fidelity, -p.size))
    if limit_bytes is not None:
        found.append(Choice("best", titles.best_under(limit_bytes), best, titles.why_best(limit_bytes, _runner_up(best, inside))))
        filling = _filling(plane, limit_bytes, own_bytes)
        if filling is not None and filling.fidelity > best.fidelity + _WORTH_DB:
            passes = 2 if filling.prediction.recipe.row.two_passes else 1
            found.append(Choice("fills", titles.fills(limit_bytes), filling, titles.why_fills(filling.fidelity - best.fidelity, passes)))
    if wanted is None:
        return found + (_steps(inside) or [Choice("best", titles.BEST_TRIED, best, titles.why_best_tried(STEPS[2].words))])
    reached = [p for p in inside if p.fidelity >= wanted.least]
    if not reached:
        if limit_bytes is None:
            found.append(Choice("best", titles.BEST_TRIED, best, titles.why_best_tried(wanted.words)))
        return found
    smallest = min(reached, key=lambda p: p.size)
    found.append(Choice("smallest", titles.SMALLEST, smallest, titles.why_smallest(wanted, _next_codec(smallest, wanted.least, plane))))
    # Smaller pictures are quicker whatever they are of: who asks for speed alone has not asked for those.
    as_treated = [p for p in reached if p.prediction.recipe.lines is None]
    soon = min(as_treated or reached, key=lambda p: (p.prediction.encode_seconds.expected, p.size))
    if soon is not smallest:
        found.append(Choice("soonest", titles.FASTEST, soon, titles.why_fastest(wanted)))
    return found


def _steps(points: list[PlanePoint]) -> list[Choice]:
    """Best, better and good: the smallest of each step that takes less than the one before."""
    found: list[Choice] = []
    for step, title in zip(STEPS, titles.STEP_TITLES, strict=False):
        reached = [p for p in points if p.fidelity >= step.least]
        smallest = min(reached, key=lambda p: p.size, default=None)
        if smallest is not None and all(one.point is not smallest for one in found):
            found.append(Choice("step", title, smallest, titles.why_smallest(step, None)))
    return found


def _filling(plane: dict[str, list[PlanePoint]], limit_bytes: float, own_bytes: float | None) -> PlanePoint | None:
    """A recipe that uses all of a limit, with the codec that looks best at that size; None where the limit lies beyond what was tried."""
    if own_bytes is not None and limit_bytes >= own_bytes:
        return None
    found = []
    for curve in plane.values():
        if curve and curve[-1].size <= limit_bytes <= curve[0].size:
            near = min(curve, key=lambda point: abs(point.size - SIZE_AIM * limit_bytes))
            found.append(PlanePoint(sized_prediction(near.prediction, TargetSize(size_bytes=int(limit_bytes)))))
    return max(found, key=lambda point: point.fidelity, default=None)


def smallest_possible(plane: dict[str, list[PlanePoint]]) -> PlanePoint | None:
    """The smallest that was looked at, for telling a person that a limit is out of reach."""
    return min((p for curve in plane.values() for p in curve), key=lambda p: p.prediction.size_bytes.high, default=None)


def _next_codec(point: PlanePoint, floor: float, plane: dict[str, list[PlanePoint]]) -> tuple[str, float] | None:
    """Of the other curves the one that reaches a fidelity with least, and how much more it needs, as a part."""
    own = point.prediction.recipe.curve
    others = [p for key, curve in plane.items() if key != own for p in curve if p.fidelity >= floor]
    if not others:
        return None
    nearest = min(others, key=lambda p: p.size)
    return nearest.prediction.recipe.curve_words, nearest.size / point.size - 1


def _runner_up(best: PlanePoint, inside: list[PlanePoint]) -> tuple[str, float] | None:
    """Of the other curves the best one, and by how many dB it stays behind; None where that is nothing."""
    others = [p for p in inside if p.prediction.recipe.curve != best.prediction.recipe.curve]
    if not others:
        return None
    next_best = max(others, key=lambda p: p.fidelity)
    gain = best.fidelity - next_best.fidelity
    return (next_best.prediction.recipe.curve_words, gain) if gain > _TELLING_DB else None
