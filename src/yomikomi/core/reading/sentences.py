"""Verdicts as sentences that a person understands, with the reason under them."""

from __future__ import annotations

import enum
from dataclasses import dataclass, replace
from fractions import Fraction

from yomikomi.core.reading.models import Reading
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.video.timecode import clock, spoken
from yomikomi.core.video.units import decibel_text

# A programme's peaks at or above this are clipped, or soon will be.
_HOT_DB = -0.1


class Mark(enum.StrEnum):
    """The shape beside a finding, and its word."""

    FINE = "fine"
    LOOK = "look here"
    WRONG = "wrong"
    UNKNOWN = "cannot tell"


@dataclass(frozen=True)
class Finding:
    """One card: what is so, how sure it is, why, and what to do about it. ``topic`` names what an overruling changes."""

    topic: str
    mark: Mark
    title: str
    certainty: str
    reason: str
    advice: str


def grouped(count: int) -> str:
    """A count with thin spaces between thousands."""
    return f"{count:,}".replace(",", "\u202f")


def certainty_words(confidence: float) -> str:
    """Whole per cents; only what a person said for certain is called so."""
    return "certain" if confidence >= 1 else f"{100 * confidence:.0f} %"


def headline(reading: Reading) -> str:
    """The sentence at the head of the station."""
    scan, rate = reading.scan, rate_text(Fraction(reading.rate.nominal))
    steady = "" if reading.rate.constant else ", and not steady"
    if scan.kind == "undetermined":
        return f"Too little moves to tell how it was scanned. {rate} frames a second{steady}."
    certain = certainty_words(scan.confidence)
    if scan.kind == "progressive":
        return f"Progressive ({certain}), {rate} frames a second{steady}."
    order = FieldOrder(scan.field_order or "tff").words
    return f"Interlaced, {order} ({certain}), {rate} frames a second{steady}."


def basis(reading: Reading) -> str:
    scan = reading.scan
    quiet = scan.frames - scan.informative_frames
    return (
        f"{grouped(scan.frames)} frames read in {spoken(reading.read_seconds)}"
        f" · {scan.agreeing_frames} of {scan.informative_frames} telling frames agree"
        f" · {grouped(quiet)} move too little, or too faintly, to tell"
    )


def findings(reading: Reading) -> list[Finding]:
    """All cards, those that matter most for the copy first."""
    cards = [_scan(reading), _rate(reading), *_sounds(reading), _shape(reading), _identity(reading)]
    cards = [_by_your_word(card) if card.topic in reading.overruled else card for card in cards]
    weight = {Mark.WRONG: 0, Mark.LOOK: 1, Mark.UNKNOWN: 2, Mark.FINE: 3}
    return sorted(cards, key=lambda card: weight[card.mark])


def _by_your_word(card: Finding) -> Finding:
    """A verdict that a person overruled: no longer pointed at, and not claimed as measured. Fields still want treating."""
    mark = card.mark if card.topic == "scan" and card.mark is Mark.LOOK else Mark.FINE
    return replace(card, mark=mark, certainty="your word", reason=f"overruled · {card.reason}")


def _scan(reading: Reading) -> Finding:
    scan = reading.scan
    votes = f"{scan.agreeing_frames} of {scan.informative_frames} telling frames agree"
    contradiction = next((w for w in reading.warnings if "the file says" in w), "")
    extra = f"; {contradiction}" if contradiction else ""
    if scan.kind == "undetermined":
        return Finding(
            "scan", Mark.UNKNOWN, "Scan type: cannot tell", "–",
            f"only {scan.informative_frames} of {scan.frames} frames move enough, or they disagree{extra}",
            "look at a moving part, then decide",
        )  # fmt: skip
    if scan.kind == "progressive":
        return Finding(
            "scan", Mark.LOOK if contradiction else Mark.FINE, "Progressive", certainty_words(scan.confidence), votes + extra,
            "do not deinterlace",
        )  # fmt: skip
    order = FieldOrder(scan.field_order or "tff")
    double = rate_text(2 * Fraction(reading.rate.nominal))
    return Finding(
        "scan", Mark.LOOK, f"Interlaced, {order.words}", certainty_words(scan.confidence), votes + extra,
        f"deinterlace; {double} keeps all motion",
    )  # fmt: skip


def _rate(reading: Reading) -> Finding:
    rate = Fraction(reading.rate.nominal)
    name = f"{rate_text(rate)} frames a second"
    told = f"{reading.rate.nominal} exactly, by {reading.rate.told_by}"
    if reading.rate.constant:
        return Finding("rate", Mark.FINE, name + ", constant", "measured", told, "keep the rate")
    lost = f"; {reading.rate.missing_frames} frames missing in {reading.rate.gaps} places" if reading.rate.gaps else ""
    return Finding("rate", Mark.LOOK, name + ", not constant", "measured", told + lost, "the copy is made constant, sound kept in time")


def _sounds(reading: Reading) -> list[Finding]:
    if not reading.sound:
        why = "there is no sound stream"
        return [Finding("sound", Mark.WRONG, "No sound in the file", "certain", why, "check the path: S-Video carries none")]
    cards = []
    for sound in reading.sound:
        what = f"{sound.channels} channel{'s' if sound.channels != 1 else ''}, {sound.codec}, {sound.sample_rate / 1000:g} kHz"
        silent = sum(end - start for start, end in sound.silences)
        name = "Sound" if len(reading.sound) == 1 else f"Sound {sound.index + 1}"
        level = f"peak {decibel_text(sound.peak_db)}"
        if not sound.seconds:
            cards.append(
                Finding("sound", Mark.WRONG, f"{name}: a stream with nothing in it", "certain", what, "check where the sound goes")
            )
        elif silent > 0.98 * sound.seconds:
            cards.append(Finding("sound", Mark.WRONG, f"{name}: silent throughout", "certain", what, "check where the sound goes"))
        elif sound.peak_db >= _HOT_DB:
            advice = "capture with less level if it distorts"
            cards.append(Finding("sound", Mark.LOOK, f"{name}: {level}, at the limit", "measured", what, advice))
        else:
            quiet = f", silent for {silent:.0f} s" if silent else ", no silence"
            cards.append(Finding("sound", Mark.FINE, f"{name}: {level}{quiet}", "measured", what, "nothing to do"))
    return cards


def _shape(reading: Reading) -> Finding:
    shape = reading.geometry
    turned = f", turned by {reading.rotation}°" if reading.rotation else ""
    return Finding(
        "shape", Mark.FINE, f"{shape.width} × {shape.height}, shown {shape.shape}{turned}", "as flagged",
        f"pixels {shape.sample_aspect} · {reading.colour.words}", "keep size and pixel shape",
    )  # fmt: skip


def _identity(reading: Reading) -> Finding:
    damage = [w for w in reading.warnings if "damaged" in w or "cut off" in w or "length" in w]
    what = f"{reading.codec}, {reading.pixel_format}, {reading.bit_depth} bits, in {reading.container}"
    length = f"Whole: {clock(reading.duration_seconds)}, {grouped(reading.frames)} frames"
    if damage:
        return Finding("file", Mark.WRONG, "The file is not whole", "certain", "; ".join(damage), "copy or capture it again if you can")
    return Finding("file", Mark.FINE, length, "certain", what, "nothing to do")
