"""What is to be done about what was found: handed to the Treatment, which offers the ways to do it."""

from __future__ import annotations

from dataclasses import dataclass

from yomikomi.core.reading.cards.finding import Finding, Mark
from yomikomi.core.reading.cards.scanned import KIND_WORDS
from yomikomi.core.reading.models import Reading
from yomikomi.core.video.units import number_text


@dataclass(frozen=True)
class Proposal:
    """``key`` names the correction, ``amount`` says how much of it where it has an amount; ``topic`` is the finding behind it."""

    key: str
    words: str
    topic: str
    amount: tuple[float, ...] = ()


def proposals(reading: Reading, cards: list[Finding]) -> list[Proposal]:
    """In the order in which a treatment does them. What a person overruled as meant is left alone."""
    wanted = {card.topic for card in cards if card.mark in {Mark.LOOK, Mark.WRONG}}
    found = [*_scan(reading), *_picture(reading, wanted), *_sound(reading, wanted)]
    return [one for one in found if one.topic not in reading.overruled or one.topic in {"scan", "rate", "shape"}]


def _scan(reading: Reading) -> list[Proposal]:
    kind = reading.scan.kind
    if kind == "interlaced":
        return [Proposal("deinterlace", "deinterlace", "scan")]
    if kind in {"film_2_3", "film_2_3_3_2", "film_2_2"}:
        return [Proposal("recover film", f"recover the film frames ({KIND_WORDS[kind]})", "scan")]
    if kind == "repeats":
        return [Proposal("drop repeats", "leave out the repeats", "scan")]
    if kind == "mixed":
        return [Proposal("by parts", "treat each part by its own scan type", "scan")]
    return []


def _picture(reading: Reading, wanted: set[str]) -> list[Proposal]:
    found = []
    borders, tape = reading.borders, reading.tape
    if borders is not None and wanted & {"borders", "head switching"}:
        bottom = max(borders.bottom, borders.head_switching_lines + (borders.bottom if borders.head_switching_lines else 0))
        sides = (float(borders.top), float(bottom), float(borders.left), float(borders.right))
        named = zip(sides, ("above", "below", "left", "right"), strict=True)
        words = "crop " + ", ".join(f"{size:.0f} {place}" for size, place in named if size)
        found.append(Proposal("crop", words, "borders" if "borders" in wanted else "head switching", sides))
    if "shape" in wanted and borders is not None and borders.likely_shape:
        found.append(Proposal("shape", f"flag it {borders.likely_shape}", "shape"))
    if "levels" in wanted and reading.levels is not None and reading.levels.tone != "undetermined":
        found.append(Proposal("levels", f"set the levels ({reading.levels.tone})", "levels", (reading.levels.black, reading.levels.white)))
    if tape is not None:
        if "chroma delay" in wanted and tape.chroma_delay:
            amount = -tape.chroma_delay.value
            found.append(Proposal("chroma shift", f"shift chroma by {number_text(amount, places=1)} samples", "chroma delay", (amount,)))
        if "dropouts" in wanted:
            found.append(Proposal("conceal dropouts", "conceal dropouts", "dropouts"))
        if "noise" in wanted and tape.luma_noise:
            found.append(
                Proposal(
                    "denoise", f"denoise (noise {number_text(tape.luma_noise.value, places=1)} code values)", "noise",
                    (tape.luma_noise.value,),
                )
            )
    if reading.structure is not None and wanted & {"black", "fragment"}:
        found.append(Proposal("trim", "trim black and stray recordings", "black" if "black" in wanted else "fragment"))
    return found


def _sound(reading: Reading, wanted: set[str]) -> list[Proposal]:
    found = []
    if "sync" in wanted and reading.sync is not None and reading.sync.offset_ms is not None:
        amount = -reading.sync.offset_ms
        found.append(Proposal("sync", f"move the sound by {number_text(amount, places=0)} ms", "sync", (amount,)))
    for sound in reading.sound if "sound" in wanted else ():
        if sound.relation == "one side":
            found.append(Proposal("both sides", "copy the sound to both channels", "sound"))
        if sound.relation == "out of phase":
            found.append(Proposal("turn channel", "invert one channel", "sound"))
        if sound.hum_hz:
            found.append(Proposal("hum filter", f"filter hum of {sound.hum_hz:.0f} Hz", "sound", (sound.hum_hz,)))
    return found
