"""The sentence at the head of the Path station: what is so, and what to do."""

from __future__ import annotations

from yomikomi.core.capture.proof import Proof
from yomikomi.core.path.telling import headline
from yomikomi.core.planning.carriers import kind_of
from yomikomi.ui.path.planner import Planner


def station_sentence(planner: Planner, proof: Proof | None, *, has_equipment: bool) -> tuple[str, str]:
    """Head and basis."""
    view, traced = planner.view, planner.traced
    if view is None:
        return "Choose a carrier on the Shelf first.", ""
    if planner.found is None:
        return "Looking for paths …", ""
    if traced is None:
        what = "See below what is missing" if has_equipment else "Add your equipment to see the paths"
        return f"No path for {kind_of(view.kind).words} through this equipment.", what
    if proof is None:
        return headline(traced)
    if not proof.holds:
        return proof.sentence, "Trace a fault finds the cause, one question at a time"
    if traced.breaks:
        return headline(traced)
    return proof.sentence, " · ".join(f"{line.name} {line.found}" for line in proof.lines)
