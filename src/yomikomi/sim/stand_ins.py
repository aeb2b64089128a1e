"""Which simulated player stands in for a kind of carrier."""

from __future__ import annotations

from typing import Any

from yomikomi.core.video.standards import STANDARDS, FieldOrder

_TAPES = {"vhs": "vhs", "svhs": "vhs", "video8": "video8", "hi8": "video8", "laserdisc": "laserdisc"}


def has_stand_in(kind: str) -> bool:
    return kind in _TAPES


def stand_in(
    kind: str, standard: str | None, *, seed: int, seconds: float | None, order: FieldOrder | None = None, corrector: bool = False
) -> dict[str, Any] | None:
    """The simulated player for a carrier, as the record keeps it; None for kinds that have none or where the lines are not known."""
    if kind not in _TAPES or standard not in STANDARDS:
        return None
    from yomikomi.sim.player import TapePlayerSpec  # what draws pictures is loaded when first needed

    spec = TapePlayerSpec(standard=standard, field_order=order, seed=seed, tape=_TAPES[kind], corrector=corrector, seconds=seconds)
    return spec.to_json()
