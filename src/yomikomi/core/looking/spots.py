"""Spots of a copy where it would show if something were wrong."""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass

# Spots nearer than this are one.
_APART_S = 2.0
# From the ends so far: the first and the last picture are often black.
_FROM_END_S = 1.0


@dataclass(frozen=True)
class Spot:
    """``seconds``: in the copy; ``why`` there."""

    seconds: float
    why: str


@dataclass(frozen=True)
class Risks:
    """Seconds in the copy, the worst first: ``hard``: scenes that cost most; ``joints``: where parts or chunks meet; ``losses``: where the
    take lost or repeated frames."""

    hard: Sequence[float] = ()
    joints: Sequence[float] = ()
    losses: Sequence[float] = ()


def choose_spots(seconds: float, risks: Risks, count: int, *, seed: int) -> list[Spot]:
    """In the order of time. One of each kind of risk before a second of any; what is left is drawn at random, the same for one ``seed``.
    Fewer than asked where the copy is too short for more."""
    if seconds <= 0 or count <= 0:
        return []
    near = min(_FROM_END_S, seconds / 4)
    kinds: list[tuple[str, list[float]]] = [
        ("hard scene", list(risks.hard)), ("frames lost", list(risks.losses)), ("joint", list(risks.joints)), ("beginning", [near]),
        ("end", [seconds - near]),
    ]  # fmt: skip
    chosen: list[Spot] = []
    while len(chosen) < count and any(places for _, places in kinds):
        for why, places in kinds:
            spot = _first_apart(places, seconds, chosen)
            if spot is not None and len(chosen) < count:
                chosen.append(Spot(spot, why))
    drawn = random.Random(seed)
    for _ in range(20 * count):
        if len(chosen) == count:
            break
        at = drawn.uniform(0, seconds)
        if _is_apart(at, seconds, chosen):
            chosen.append(Spot(at, "at random"))
    return sorted(chosen, key=lambda one: one.seconds)


def _first_apart(places: list[float], seconds: float, chosen: Sequence[Spot]) -> float | None:
    while places:
        at = min(max(places.pop(0), 0.0), seconds)
        if _is_apart(at, seconds, chosen):
            return at
    return None


def _is_apart(at: float, seconds: float, chosen: Sequence[Spot]) -> bool:
    least = min(_APART_S, seconds / 8)
    return all(abs(at - one.seconds) >= least for one in chosen)
