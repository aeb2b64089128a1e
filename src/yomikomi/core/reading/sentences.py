"""Verdicts as sentences that a person understands, and all findings in order."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

from yomikomi.core.reading.cards.advice import Origin
from yomikomi.core.reading.cards.faults import fault_cards
from yomikomi.core.reading.cards.files import file_card, hidden_card, structure_cards
from yomikomi.core.reading.cards.finding import Finding, Mark, certainty_words
from yomikomi.core.reading.cards.picture import border_cards, colour_cards, level_card, shape_card
from yomikomi.core.reading.cards.scanned import KIND_WORDS, doubt_words, loss_card, mixture_words, rate_card, scan_card
from yomikomi.core.reading.cards.sounds import sound_cards, sync_card
from yomikomi.core.reading.models import Reading
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import grouped
from yomikomi.core.work.text import capital

__all__ = ["Finding", "Mark", "Origin", "basis", "certainty_words", "findings", "headline"]


def headline(reading: Reading, *, by_word: bool = False) -> str:
    """The sentence at the head of the station. ``by_word``: a person said so."""
    scan, rate = reading.scan, rate_text(Fraction(reading.rate.nominal))
    steady = "" if reading.rate.constant else ", not constant"
    certain = "set by you" if by_word else certainty_words(scan.confidence)
    order = FieldOrder(scan.field_order).words if scan.field_order else ""
    if scan.kind == "undetermined" and scan.whole_pictures:
        return f"Progressive or blended ({certainty_words(scan.whole_pictures)}), {rate} fps{steady}."
    if scan.kind == "undetermined":
        return f"Scan type undetermined: {doubt_words(reading)}. {rate} fps{steady}."
    if scan.kind == "progressive":
        return f"Progressive ({certain}), {rate} fps{steady}."
    if scan.kind == "interlaced":
        return f"Interlaced, {order} ({certain}), {rate} fps{steady}."
    if scan.kind == "mixed":
        return f"Mixed ({certain}): {mixture_words(reading)}. {rate} fps{steady}."
    true = rate_text(Fraction(reading.rate.true or reading.rate.nominal))
    if scan.kind in {"repeats", "film_2_3", "film_2_3_3_2"}:
        words = capital(KIND_WORDS[scan.kind])
        return f"{words}{', ' + order if order else ''} ({certain}): {true} fps inside {rate} fps{steady}."
    words = capital(KIND_WORDS[scan.kind])
    return f"{words}{', ' + order if order else ''} ({certain}), {rate} fps{steady}."


def basis(reading: Reading) -> str:
    scan = reading.scan
    quiet = scan.frames - scan.informative_frames
    sample = f" of {grouped(reading.frames)}, a sample," if reading.mode == "quick" else ""
    read = f"{grouped(scan.frames)} frames{sample} read in {spoken(reading.read_seconds)}"
    moving = f"{grouped(scan.informative_frames)} frames with enough motion"
    agree = f"{grouped(scan.agreeing_frames)} of {moving} agree" if scan.agreeing_frames else moving
    return f"{read} · {agree} · {grouped(quiet)} with too little motion"


def findings(reading: Reading, origin: Origin = Origin.FILE) -> list[Finding]:
    """All cards, those that matter most for the copy first; ``origin``: where the take comes from, which decides what can be done."""
    every = (
        [
            scan_card(reading, origin),
            rate_card(reading),
            loss_card(reading, origin),
            shape_card(reading),
            *border_cards(reading),
            level_card(reading, origin),
            *colour_cards(reading),
            *fault_cards(reading, origin),
            *sound_cards(reading, origin),
            sync_card(reading),
            *structure_cards(reading),
            hidden_card(reading),
            file_card(reading),
        ]
        if reading.schema_version > 1
        else [scan_card(reading, origin), rate_card(reading), *sound_cards(reading, origin), shape_card(reading), file_card(reading)]
    )
    cards = [card for card in every if card is not None]
    cards = [_by_your_word(card) if card.topic in reading.overruled else card for card in cards]
    weight = {Mark.WRONG: 0, Mark.LOOK: 1, Mark.UNKNOWN: 2, Mark.FINE: 3}
    return sorted(cards, key=lambda card: (weight[card.mark], -card.cost))


def _by_your_word(card: Finding) -> Finding:
    """A verdict that a person overruled: no longer pointed at, and not claimed as measured. Fields still want treating."""
    mark = card.mark if card.topic == "scan" and card.mark is Mark.LOOK else Mark.FINE
    return replace(card, mark=mark, certainty="set by you", reason=f"overruled · {card.reason}")
