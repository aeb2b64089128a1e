"""A person's word against a measured verdict: what can be said, and what it changes. The measurement stays in the record.

To give a verdict other values than "as meant", add a row to ``CHOICES``.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from yomikomi.core.reading.cards.scanned import KIND_WORDS
from yomikomi.core.reading.models import Reading
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.rates import KNOWN_RATES, fraction_text, rate_text
from yomikomi.core.video.standards import STANDARDS, FieldOrder, Standard
from yomikomi.core.video.units import ratio_text
from yomikomi.core.work.text import capital

# Said of a verdict that has no other value: it is noted and meant to be so.
AS_MEANT = "as meant"
# Behind a rate: the stamps are wrong, every frame is kept.
RETIMED = " retimed"
# Behind a shape: it lies in 704 of the 720 samples of an analogue line, as ITU-R BT.601 samples it.
SAMPLED = " sampled"


@dataclass(frozen=True)
class Choice:
    """``key`` is kept in the record, ``words`` are for people."""

    key: str
    words: str


def choices(topic: str, reading: Reading) -> list[Choice]:
    """What a verdict on a topic (a finding's ``topic``) can be overruled with; most can only be known and meant."""
    return CHOICES.get(topic, _as_meant)(reading)


def current(topic: str, reading: Reading) -> str:
    """The key of the verdict as it stands."""
    if topic == "scan":
        scan = reading.scan
        return f"{scan.kind} {scan.field_order}" if scan.field_order else scan.kind
    if topic == "rate":
        return reading.rate.nominal + (RETIMED if reading.rate.retimed else "")
    if topic == "shape":
        lines, pixels = _sampled_lines(reading), Fraction(reading.geometry.sample_aspect)
        sampled = lines is not None and pixels in {lines.sample_aspect_4_3, lines.sample_aspect_16_9}
        return reading.geometry.shape + (SAMPLED if sampled else "")
    return AS_MEANT if topic in reading.overruled else "as measured"


def overrule(reading: Reading, topic: str, now: str) -> Reading:
    """The reading with a person's word in its place; a topic or word from a newer version changes nothing."""
    changed: dict[str, object] = {}
    if topic == "scan":
        kind, _, order = now.partition(" ")
        changed["scan"] = reading.scan.model_copy(update={"kind": kind, "field_order": order or None, "confidence": 1.0})
        nominal = Fraction(reading.rate.nominal)
        pictures = Fraction(4, 5) if kind in {"film_2_3", "film_2_3_3_2"} else Fraction(1)
        changed["rate"] = reading.rate.model_copy(update={"true": fraction_text(nominal * pictures)})
    elif topic == "rate":
        changed |= _rated(reading, now)
    elif topic == "shape":
        changed["geometry"] = _shaped(reading, now)
    overruled = [*(one for one in reading.overruled if one != topic), topic]
    return reading.model_copy(update={**changed, "overruled": overruled})


def changes_the_picture(topic: str) -> bool:
    """Whether what was chosen or tried on the old verdict no longer counts."""
    return topic in {"scan", "rate", "shape"}


def _scans(reading: Reading) -> list[Choice]:
    rows = [
        Choice("interlaced tff", "Interlaced, top field first"),
        Choice("interlaced bff", "Interlaced, bottom field first"),
        Choice("progressive", "Progressive"),
        Choice("film_2_3 tff", "Film in video, 2:3, top field first"),
        Choice("film_2_3 bff", "Film in video, 2:3, bottom field first"),
        Choice("blended", "Fields blended into double images"),
        Choice("undetermined", "Undetermined"),
    ]
    as_found = current("scan", reading)
    if as_found not in {row.key for row in rows}:
        kind, _, order = as_found.partition(" ")
        suffix = f", {FieldOrder(order).words}" if order else ""
        rows.insert(0, Choice(as_found, capital(KIND_WORDS[kind]) + suffix))
    return rows


def _rates(reading: Reading) -> list[Choice]:
    """The known rates near the one found; what is further away would be another recording."""
    found = Fraction(reading.rate.nominal)
    near = sorted((r for r in {*KNOWN_RATES, found} if found / 2 <= r <= 2 * found), key=lambda r: (abs(r / found - 1), r))[:7]
    choices = []
    for rate in sorted(near):
        words = f"{rate_text(rate)} fps"
        if rate == found and not reading.rate.retimed:
            choices.append(Choice(fraction_text(rate), words))
            continue
        # Two things may be meant, and they differ: frames left out or repeated to fit the clock, or every frame kept at another speed.
        choices.append(Choice(fraction_text(rate), f"{words}, by the time stamps (some frames repeated or left out)"))
        choices.append(Choice(fraction_text(rate) + RETIMED, f"{words}, every frame kept (the time stamps are wrong)"))
    return choices


def _rated(reading: Reading, now: str) -> dict[str, object]:
    """The rate and the length that follow from it."""
    retimed, rate = now.endswith(RETIMED), now.removesuffix(RETIMED)
    stamps = fraction_text(reading.rate.by_stamps)
    changed = {"nominal": rate, "true": rate, "told_by": "your word", "retimed": retimed, "stamps": stamps if stamps != rate else ""}
    seconds = float(reading.frames / Fraction(rate)) if retimed else float(reading.frames / reading.rate.by_stamps)
    if not retimed and not reading.rate.retimed:
        seconds = reading.duration_seconds
    return {"rate": reading.rate.model_copy(update=changed), "duration_seconds": round(seconds, 6)}


def _shapes(reading: Reading) -> list[Choice]:
    """Of lines sampled at 13.5 MHz two ways of counting are in use; the one of what the file comes from stands first."""
    usual = (("4:3", "television"), ("16:9", "wide"), ("3:2", "stills camera"))
    named = [Choice(key, f"{key}, as a {words} picture") for key, words in usual]
    if lines := _sampled_lines(reading):
        both = [
            Choice(f"4:3{SAMPLED}", f"4:3 in 704 of 720 samples: tape, laser disc, camera (pixels {ratio_text(lines.sample_aspect_4_3)})"),
            Choice(f"16:9{SAMPLED}", f"16:9 in 704 of 720 samples: the same, wide (pixels {ratio_text(lines.sample_aspect_16_9)})"),
            Choice("4:3", f"4:3 over all 720 samples: disc files (pixels {ratio_text(lines.file_aspect_4_3)})"),
            Choice("16:9", f"16:9 over all 720 samples: wide disc files (pixels {ratio_text(lines.file_aspect_16_9)})"),
        ]
        from_disc = reading.codec == "mpeg2video"
        named = [*(both[2:] + both[:2] if from_disc else both), named[2]]
    square = Geometry(reading.geometry.width, reading.geometry.height)
    if square.shape_words not in {choice.key for choice in named}:
        named.append(Choice(square.shape_words, f"{square.shape_words}, square pixels"))
    return named


def _as_meant(_reading: Reading) -> list[Choice]:
    return [Choice("as measured", "It is as measured"), Choice(AS_MEANT, "It is known, and meant to be so")]


CHOICES: dict[str, Callable[[Reading], list[Choice]]] = {
    "scan": _scans,
    "rate": _rates,
    "shape": _shapes,
}


def _sampled_lines(reading: Reading) -> Standard | None:
    size = (reading.geometry.width, reading.geometry.height)
    return next((one for one in STANDARDS.values() if (one.width, one.height) == size), None)


def _shaped(reading: Reading, shape: str) -> object:
    """The geometry shown at a shape like ``16:9``: the storage size stays, the pixels change."""
    wide, _, high = shape.removesuffix(SAMPLED).partition(":")
    display = Fraction(wide) / Fraction(high)
    storage, lines = reading.geometry, _sampled_lines(reading)
    aspect = (display * storage.height / storage.width).limit_denominator(255)
    if lines and shape.endswith(SAMPLED):
        aspect = lines.sample_aspect_4_3 if display == Fraction(4, 3) else lines.sample_aspect_16_9
    return storage.model_copy(
        update={
            "sample_aspect": fraction_text(aspect),
            "display_aspect": fraction_text(aspect * storage.width / storage.height),
            "shape": Geometry(storage.width, storage.height, aspect).shape_words,
        }
    )
