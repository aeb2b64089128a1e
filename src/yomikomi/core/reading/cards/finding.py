"""What a card holds."""

from __future__ import annotations

import enum
from dataclasses import dataclass

from yomikomi.core.reading.models import Measured
from yomikomi.core.video.units import number_text


class Mark(enum.StrEnum):
    """The shape beside a finding, and its word."""

    FINE = "fine"
    LOOK = "check"
    WRONG = "fault"
    UNKNOWN = "undetermined"


@dataclass(frozen=True)
class Finding:
    """One card: what is so, how sure it is, why, and what to do about it.

    Parameters
    ----------
    topic : what an overruling changes.
    cost : how much a copy suffers if nothing is done about it, 0…100; orders cards of one mark.
    frame : the frame that shows it best, None where none does. ``frames``: all that are known.
    strip : name of the strip that shows it over time.
    """

    topic: str
    mark: Mark
    title: str
    certainty: str
    reason: str
    advice: str
    cost: int = 0
    frame: int | None = None
    frames: tuple[int, ...] = ()
    strip: str = ""


def certainty_words(confidence: float) -> str:
    """Whole per cents; only what a person said for certain is called so."""
    return "certain" if confidence >= 1 else f"{100 * confidence:.0f} %"


def measured_words(value: Measured, *, places: int = 1) -> str:
    """``3.2 code values``; readings made before that was the word have "codes" as their unit."""
    unit = "code values" if value.unit == "codes" else value.unit
    return f"{number_text(value.value, places=places)} {unit}"


def interval_words(value: Measured, *, places: int = 1) -> str:
    """``±0.3``, half the width of the interval; what rounds to nothing is told as less than the least that is shown."""
    half = (value.high - value.low) / 2
    least = 10.0**-places
    return f"±{number_text(half, places=places)}" if half >= least / 2 else f"within ±{number_text(least, places=places)}"
