"""What is said at the head of the Balance station."""

from __future__ import annotations

from yomikomi.core.balance.choice import smallest_possible
from yomikomi.core.balance.curves import PlanePoint
from yomikomi.core.balance.machine import was_disturbed
from yomikomi.core.balance.models import TrialSet
from yomikomi.core.balance.recipes import CODECS
from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import size_text

Plane = dict[str, list[PlanePoint]]


def before_trials(*, read: bool, treated: bool, running: bool) -> tuple[str, str]:
    """The sentence and its basis while nothing is tried: what comes first."""
    if not read:
        return "Read the take first.", "Its hard and easy parts decide what the trials encode"
    if not treated:
        return "Choose the treatment first.", "Trials run on the treated picture"
    words = "Trials running; the first curves appear in a moment." if running else "Run trials to see what copies would cost."
    return words, "Short parts of this take are encoded: the hardest, the easiest and typical ones"


def none_fits(plane: Plane, limit_bytes: float) -> tuple[str, str]:
    """Where no tried recipe surely stays under a limit."""
    smallest = smallest_possible(plane)
    least = size_text(smallest.prediction.size_bytes.high) if smallest else "?"
    return f"No tried recipe is sure to stay under {size_text(limit_bytes)}.", f"The smallest tried needs {least}"


def headline(trials: TrialSet, picked: PlanePoint) -> tuple[str, str]:
    """What the picked copy would be, and what that rests on."""
    told = picked.prediction
    size, name = told.size_bytes, CODECS[told.recipe.codec].words
    head = f"{name}, quality {told.recipe.quality}: {size_text(size.expected)}, fidelity {picked.fidelity:.1f} dB."
    parts = len(trials.segments)
    tried = f"measured on {parts} segments of this take, size estimated from {max(trials.sized_on, parts)}"
    tried = "measured on the whole take" if trials.whole else tried
    still = "" if trials.complete else " · trials running"
    if was_disturbed(trials) and trials.complete:
        still = f" · other programs slowed the trials ({100 * trials.disturbed:.0f} % of the time): run them again later"
    interval = f"{size_text(size.low)} to {size_text(size.high)} (90 % interval)"
    return head, f"{tried} · {interval} · encode time about {spoken(told.encode_seconds.expected)} here{still}"
