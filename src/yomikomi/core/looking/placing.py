"""Where moments of a take stand in a copy that was trimmed or cut."""

from __future__ import annotations

from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import CutOut, Trim


def place_in_copy(treatment: Treatment, seconds: float) -> float | None:
    """Seconds in the copy; None where that moment was left out."""
    trim, cuts = treatment.get(Trim), treatment.get(CutOut)
    begin = trim.start if trim is not None else 0.0
    if seconds < begin or (trim is not None and trim.end and seconds > trim.end):
        return None
    gone = 0.0
    for part in cuts.parts if cuts is not None else ():
        if part.start < seconds < part.end:
            return None
        if part.end <= seconds:
            gone += max(0.0, part.end - max(part.start, begin))
    return seconds - begin - gone


def joints(treatment: Treatment) -> list[float]:
    """Seconds in the copy at which parts of the take meet."""
    cuts = treatment.get(CutOut)
    places = [place_in_copy(treatment, part.end) for part in (cuts.parts if cuts is not None else ())]
    return [place for place in places if place is not None and place > 0]
