"""What can be done with the fields of a take, for a person to choose from."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.chain import Deinterlace, Treatment
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.standards import FieldOrder


@dataclass(frozen=True)
class Option:
    treatment: Treatment
    title: str
    words: str


def options_for(reading: Reading) -> list[Option]:
    """What can be done with the fields of a take, most motion first."""
    rate = Fraction(reading.rate.nominal)
    order = FieldOrder(reading.scan.field_order) if reading.scan.field_order else None
    if order is None:
        return [Option(Treatment(), "Leave the frames as they are", "Treated as progressive.")]
    single, double = rate_text(rate), rate_text(2 * rate)
    return [
        Option(
            Treatment(Deinterlace.DOUBLE, order), f"Deinterlace to {double}",
            "One frame from every field: all motion kept. About twice the frames to encode.",
        ),
        Option(
            Treatment(Deinterlace.SINGLE, order), f"Deinterlace to {single}",
            "One frame from two fields: half of the motion is lost; smaller, faster, plays everywhere.",
        ),
        Option(
            Treatment(Deinterlace.LEAVE, order), "Leave the fields",
            "For discs, television and editors that expect fields. Shows combing on progressive screens. H.264 only.",
        ),
    ]  # fmt: skip
