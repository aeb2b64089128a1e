"""Where a carrier is not like the one that the rules were made from, in a way that matters."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

from pydantic import BaseModel, ConfigDict

from yomikomi.core.balance.models import Prediction
from yomikomi.core.house.rules import HouseRules, Limits
from yomikomi.core.reading.cards.scanned import KIND_WORDS
from yomikomi.core.reading.models import Reading
from yomikomi.core.sets.planning import PlannedCopy
from yomikomi.core.video.damage import damage_words
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.video.units import counted, size_text


class Difference(BaseModel):
    """``topic``: what answers to it are counted by; ``found`` and ``expected`` for people."""

    model_config = ConfigDict(frozen=True)

    topic: str
    found: str
    expected: str

    @property
    def words(self) -> str:
        return f"{self.found}; expected {self.expected}" if self.expected else self.found


def differences(rules: HouseRules, reading: Reading) -> list[Difference]:
    """None: it can go the way of the others. What a person overruled is theirs, and not asked about again."""
    limits = rules.limits
    found = [*_scan(limits, reading), *_rate(limits, reading), *_losses(limits, reading), *_sound(limits, reading), *_file(limits, reading)]
    return [one for one in found if one.topic not in reading.overruled]


def planned_differences(rules: HouseRules, planned: Sequence[PlannedCopy]) -> list[Difference]:
    """Copies that cannot be made of this take as the rules say."""
    return [
        Difference(topic=f"copy {one.name}", found=f"{one.name}: {', '.join(one.wrong)}", expected="a copy that can be made")
        for one in planned if one.wrong
    ]  # fmt: skip


def predicted_differences(rules: HouseRules, predictions: Sequence[Prediction | None], seconds: float) -> list[Difference]:
    """Copies that will be larger than the rules allow."""
    most = rules.limits.bytes_an_hour
    if most is None or seconds <= 0:
        return []
    size = sum(one.size_bytes.high for one in predictions if one is not None) / seconds * 3600
    if size <= most:
        return []
    return [Difference(topic="size", found=f"up to {size_text(size)} an hour", expected=f"at most {size_text(most)}")]


def _scan(limits: Limits, reading: Reading) -> list[Difference]:
    scan = reading.scan
    expected = " or ".join(KIND_WORDS[kind] for kind in limits.scan)
    if (limits.scan and scan.kind not in limits.scan) or (not limits.scan and scan.kind == "undetermined"):
        return [Difference(topic="scan", found=KIND_WORDS[scan.kind], expected=expected or "a scan type that can be told")]
    found = []
    if limits.field_order and scan.field_order and scan.field_order != limits.field_order:
        orders = (FieldOrder(scan.field_order).words, FieldOrder(limits.field_order).words)
        found.append(Difference(topic="scan", found=orders[0], expected=orders[1]))
    if scan.confidence < limits.certainty:
        words = f"{KIND_WORDS[scan.kind]}, {100 * scan.confidence:.0f} % sure"
        found.append(Difference(topic="scan", found=words, expected=f"at least {100 * limits.certainty:.0f} %"))
    return found


def _rate(limits: Limits, reading: Reading) -> list[Difference]:
    rate = reading.rate
    if not rate.constant and not rate.retimed:
        return [Difference(topic="rate", found="the frame rate is not constant", expected="constant")]
    if limits.rate and Fraction(rate.nominal) != Fraction(limits.rate):
        found, expected = (f"{rate_text(Fraction(one))} fps" for one in (rate.nominal, limits.rate))
        return [Difference(topic="rate", found=found, expected=expected)]
    return []


def _losses(limits: Limits, reading: Reading) -> list[Difference]:
    lost = reading.rate.missing_frames + (reading.losses.repeated_count if reading.losses is not None else 0)
    hours = reading.duration_seconds / 3600
    found = []
    if lost > limits.lost_an_hour * max(hours, 1 / 60) and lost > 1:
        words = f"{counted(lost, 'frame', 'frames')} missing or repeated in {reading.duration_seconds / 60:.0f} min"
        found.append(Difference(topic="losses", found=words, expected=f"at most {limits.lost_an_hour:.0f} an hour"))
    if reading.duration_seconds < limits.shortest_seconds:
        words = f"{reading.duration_seconds:.1f} s long"
        found.append(Difference(topic="length", found=words, expected=f"at least {limits.shortest_seconds:.1f} s"))
    return found


def _sound(limits: Limits, reading: Reading) -> list[Difference]:
    if not reading.sound or all(one.peak_db < -60 for one in reading.sound):
        return [] if limits.silent else [Difference(topic="sound", found="no sound", expected="sound")]
    clipped = sum(one.clipped for one in reading.sound)
    if clipped and not limits.clipped:
        return [Difference(topic="sound", found=f"sound clipped at {counted(clipped, 'place', 'places')}", expected="none")]
    return []


def _file(limits: Limits, reading: Reading) -> list[Difference]:
    if reading.damage is not None and reading.damage.any and not limits.damaged:
        return [Difference(topic="damage", found=damage_words(reading.damage), expected="a file without damage")]
    return []
