"""Two takes of one carrier held against each other: which is better, and by how much.

Each row compares one measured thing; a difference counts only where the intervals do not overlap, or, for counts, where it is
more than chance makes of counts. What is lost for good weighs most.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from yomikomi.core.reading.cards.finding import measured_words
from yomikomi.core.reading.models import Measured, Reading
from yomikomi.core.video.units import number_text

Better = Literal["first", "second", "alike"]


@dataclass(frozen=True)
class Row:
    """``weight``: how much it counts; ``better``: which take it speaks for."""

    topic: str
    first: str
    second: str
    better: Better
    by: str
    weight: float


@dataclass(frozen=True)
class Comparison:
    """``rows``: what was compared, what matters most first; ``lean``: −1…1, positive where the second is better."""

    rows: tuple[Row, ...]
    lean: float

    @property
    def better(self) -> Better:
        return "alike" if abs(self.lean) < 0.1 else "second" if self.lean > 0 else "first"

    @property
    def sentence(self) -> str:
        return self.sentence_for("The first take", "The second take")

    def sentence_for(self, first: str, second: str) -> str:
        """With what the two are called where they are shown."""
        told = [row for row in self.rows if row.better != "alike"]
        if not self.rows:
            return "Nothing of these takes was measured on both."
        if self.better == "alike":
            return "The two takes are about alike." if not told else "Each take is better in something; neither on the whole."
        reasons = [f"{row.topic} ({row.by})" for row in told if row.better == self.better][:3]
        return f"{first if self.better == 'first' else second} is better: {', '.join(reasons)}."


def compare(first: Reading, second: Reading) -> Comparison:
    """Hold two readings against each other. They should be of the same material."""
    rows = [row for row in (*_faults(first, second), *_losses(first, second), *_sound(first, second)) if row is not None]
    rows.sort(key=lambda row: (row.better == "alike", -row.weight))
    total = sum(row.weight for row in rows) or 1.0
    lean = sum(row.weight * {"first": -1, "second": 1, "alike": 0}[row.better] for row in rows) / total
    return Comparison(tuple(rows), lean)


def _faults(first: Reading, second: Reading) -> list[Row | None]:
    one, two = first.tape, second.tape
    if one is None or two is None:
        return []
    rows: list[Row | None] = [
        _measured("noise", one.luma_noise, two.luma_noise, 2.0),
        _measured("colour noise", one.chroma_noise, two.chroma_noise, 1.0),
        _measured("line jitter", one.line_jitter, two.line_jitter, 2.0, places=2),
        _measured("wobble", one.wobble, two.wobble, 3.0, places=2),
        _measured("dropouts", one.dropouts_per_minute, two.dropouts_per_minute, 2.0),
    ]
    if one.chroma_delay and two.chroma_delay:
        rows.append(_less("colour delay", abs(one.chroma_delay.value), abs(two.chroma_delay.value), "samples", 1.0, least=0.4))
    if first.borders and second.borders:
        a, b = first.borders.head_switching_lines, second.borders.head_switching_lines
        rows.append(_less("head-switching band", a, b, "lines", 1.0, least=2))
    if first.structure and second.structure and first.structure.spatial and second.structure.spatial:
        rows.append(_more("detail", first.structure.spatial, second.structure.spatial, 1.5))
    if first.levels and second.levels:
        rows.append(_less("clipped highlights", 100 * first.levels.clipped_high, 100 * second.levels.clipped_high, "%", 3.0, least=0.3))
        rows.append(_less("crushed shadows", 100 * first.levels.clipped_low, 100 * second.levels.clipped_low, "%", 3.0, least=0.3))
    return rows


def _losses(first: Reading, second: Reading) -> list[Row | None]:
    rows: list[Row | None] = []
    missing = first.rate.missing_frames, second.rate.missing_frames
    rows.append(_counts("frames missing", missing, _minutes(first), _minutes(second), 6.0))
    if first.losses and second.losses:
        repeated = first.losses.repeated_count, second.losses.repeated_count
        rows.append(_counts("frames repeated", repeated, _minutes(first), _minutes(second), 4.0))
    return rows


def _sound(first: Reading, second: Reading) -> list[Row | None]:
    if not first.sound and not second.sound:
        return []
    if not first.sound:
        return [Row("sound", "none", "there", "second", "one has none", 8.0)]
    if not second.sound:
        return [Row("sound", "there", "none", "first", "one has none", 8.0)]
    one, two = first.sound[0], second.sound[0]
    rows: list[Row | None] = [_counts("sound clipped", (one.clipped, two.clipped), _minutes(first), _minutes(second), 4.0)]
    if one.noise_floor_db is not None and two.noise_floor_db is not None and one.loudness is not None and two.loudness is not None:
        # A louder capture of the same tape has a louder floor: it is the distance that counts.
        gap = one.loudness - one.noise_floor_db, two.loudness - two.noise_floor_db
        rows.append(_less("sound above its noise", -gap[0], -gap[1], "dB", 2.0, least=1.5))
    rows.append(_less("hum", float(bool(one.hum_hz)), float(bool(two.hum_hz)), "", 2.0, least=0.5, words=("none", "detected")))
    return rows


def _minutes(reading: Reading) -> float:
    return max(1e-3, reading.frames_looked_at / float(Fraction(reading.rate.nominal)) / 60)


def _measured(topic: str, one: Measured | None, two: Measured | None, weight: float, *, places: int = 1) -> Row | None:
    """The smaller one is better where the intervals are apart."""
    if one is None or two is None:
        return None
    apart = one.high < two.low or two.high < one.low
    better: Better = "alike" if not apart else "first" if one.value < two.value else "second"
    words = [measured_words(value, places=places) for value in (one, two)]
    return Row(topic, words[0], words[1], better, _by(one.value, two.value), weight)


def _more(topic: str, one: Measured, two: Measured, weight: float) -> Row:
    apart = one.high < two.low or two.high < one.low
    better: Better = "alike" if not apart else "first" if one.value > two.value else "second"
    words = [number_text(value.value, places=1) for value in (one, two)]
    return Row(topic, words[0], words[1], better, _by(two.value, one.value, "more"), weight)


def _less(
    topic: str, one: float, two: float, unit: str, weight: float, *, least: float, words: tuple[str, str] | None = None
) -> Row | None:
    if not one and not two:
        return None
    better: Better = "alike" if abs(one - two) < least else "first" if one < two else "second"
    shown = [words[int(bool(value))] if words else f"{number_text(abs(value), places=1)} {unit}".rstrip() for value in (one, two)]
    return Row(
        topic, shown[0], shown[1], better, f"{number_text(abs(one - two), places=1)} {unit}".rstrip() if not words else "detected", weight
    )


def _counts(topic: str, counts: tuple[int, int], first_minutes: float, second_minutes: float, weight: float) -> Row | None:
    """Two counts differ where the share of the first among both is not what the times looked at make it (binomial, 95 %)."""
    total = sum(counts)
    if not total:
        return None
    from scipy.stats import binomtest

    part = first_minutes / (first_minutes + second_minutes)
    chance = float(binomtest(counts[0], total, part).pvalue)
    rates = counts[0] / first_minutes, counts[1] / second_minutes
    better: Better = "alike" if chance > 0.05 else "first" if rates[0] < rates[1] else "second"
    return Row(topic, str(counts[0]), str(counts[1]), better, f"{abs(rates[0] - rates[1]):.1f} a minute", weight)


def _by(one: float, two: float, word: str = "less") -> str:
    """By how much the better one is so."""
    low, high = sorted((one, two))
    return f"{100 * (1 - low / high):.0f} % {word}" if high > 0 else ""
