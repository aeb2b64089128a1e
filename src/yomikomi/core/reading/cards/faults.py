"""Faults of tape, cable and compression."""

from __future__ import annotations

from yomikomi.core.reading.cards.advice import Origin, advice_for
from yomikomi.core.reading.cards.finding import Finding, Mark, interval_words, measured_words
from yomikomi.core.reading.models import Reading
from yomikomi.core.video.units import number_text

# From these on a fault is pointed at (common practice, no source; tapes of the first generation stay below).
_NOISE, _JITTER, _WOBBLE, _DELAY, _DROPOUTS = 2.5, 0.3, 0.4, 1.0, 5.0
_CRAWL_DB, _CROSS, _BLOCKING, _BANDING = 8.0, 2.0, 1.35, 0.6
# A band that changes by less, code values, is not seen.
_HUM_BAR = 1.0


def fault_cards(reading: Reading, origin: Origin) -> list[Finding]:
    return [card for card in (*_tape(reading, origin), *_digital(reading)) if card is not None]


def _tape(reading: Reading, origin: Origin) -> list[Finding | None]:
    tape = reading.tape
    if tape is None:
        return []
    frame = reading.structure.typical_frame if reading.structure else None
    cards: list[Finding | None] = []
    if tape.luma_noise is not None:
        chroma = f"; colour {measured_words(tape.chroma_noise)}" if tape.chroma_noise else ""
        noisy = tape.luma_noise.value > _NOISE
        title = f"Noise {measured_words(tape.luma_noise)}" if noisy else f"Little noise, {measured_words(tape.luma_noise)}"
        cards.append(
            Finding(
                "noise", Mark.LOOK if noisy else Mark.FINE, title, interval_words(tape.luma_noise),
                f"change of parts that stand still, {tape.luma_noise.samples} looks{chroma}",
                "try denoising: it saves bits; compare before and after" if noisy else "nothing to do", 38, frame,
            )
        )  # fmt: skip
    steady = tape.line_jitter, tape.wobble
    if any(one is not None for one in steady):
        cards.append(_timing(reading, origin))
    if tape.dropouts_per_minute is not None and tape.dropout_places:
        count = len(tape.dropout_places)
        first = tape.dropout_places[0]
        often = tape.dropouts_per_minute.value > _DROPOUTS
        cards.append(
            Finding(
                "dropouts", Mark.LOOK if often else Mark.FINE,
                f"Dropouts: {number_text(tape.dropouts_per_minute.value, places=1)} a minute", interval_words(tape.dropouts_per_minute),
                f"{count} seen; the first in frame {first[0]}, line {first[1]}", "conceal them; a clean pass may have fewer", 42, first[0],
                tuple(sorted({one[0] for one in tape.dropout_places})), "losses",
            )
        )  # fmt: skip
    if tape.chroma_delay is not None and abs(tape.chroma_delay.value) > _DELAY:
        late = "delayed" if tape.chroma_delay.value > 0 else "advanced"
        size = number_text(abs(tape.chroma_delay.value), places=1)
        cards.append(
            Finding(
                "chroma delay", Mark.LOOK, f"Chroma {late} by {size} samples", interval_words(tape.chroma_delay),
                f"chroma edges against luma edges, {tape.chroma_delay.samples} places", f"shift the chroma by {size} samples", 44, frame,
            )
        )  # fmt: skip
    if (tape.dot_crawl or 0) > _CRAWL_DB:
        why = f"at the subcarrier, {tape.dot_crawl:.0f} dB above the frequencies beside it"
        cards.append(Finding("dot crawl", Mark.LOOK, "Dot crawl", "measured", why, advice_for("composite", origin), 36, frame))
    if (tape.cross_colour or 0) > _CROSS:
        why = f"chroma flickers by {tape.cross_colour:.1f} code values more in fine detail than beside it"
        cards.append(Finding("cross-colour", Mark.LOOK, "Cross-colour", "measured", why, advice_for("composite", origin), 34, frame))
    if (tape.hum_bar or 0) > _HUM_BAR:
        why = f"a rolling band changes luma by {tape.hum_bar:.1f} code values from frame to frame"
        cards.append(
            Finding("hum bar", Mark.WRONG, "Hum bar", "measured", why, advice_for("hum bar", origin), 62, frame)
        )
    if tape.ghost:
        distance, strength = tape.ghost
        why = f"an echo {distance:.0f} samples to the right, {100 * strength:.0f} % strong"
        cards.append(Finding("ghost", Mark.LOOK, "Ghost beside edges", "measured", why, advice_for("ghost", origin), 46, frame))
    return cards


def _timing(reading: Reading, origin: Origin) -> Finding:
    tape = reading.tape
    assert tape is not None
    parts = [
        f"{name} {measured_words(one, places=2)}" for name, one in (("jitter", tape.line_jitter), ("wobble", tape.wobble)) if one
    ]  # fmt: skip
    bad = (tape.line_jitter is not None and tape.line_jitter.value > _JITTER) or (tape.wobble is not None and tape.wobble.value > _WOBBLE)
    sure = tape.wobble or tape.line_jitter
    assert sure is not None
    return Finding(
        "line timing", Mark.LOOK if bad else Mark.FINE, "Line jitter (time-base error)" if bad else "Lines steady",
        interval_words(sure, places=2),
        ", ".join(parts) + " (standard deviations)", advice_for("unsteady", origin) if bad else "nothing to do", 48,
        reading.structure.typical_frame if reading.structure else None,
    )  # fmt: skip


def _digital(reading: Reading) -> list[Finding | None]:
    digital = reading.digital
    if digital is None:
        return []
    frame = reading.structure.hardest_frame if reading.structure else None
    cards: list[Finding | None] = []
    if digital.blocking is not None and digital.blocking > _BLOCKING:
        why = f"steps on a grid of eight are {digital.blocking:.2f} times those beside them"
        cards.append(
            Finding(
                "blocking", Mark.LOOK, "Blocks from compression", "measured", why, "use the earlier generation if there is one", 40, frame
            )
        )
    if digital.banding is not None and digital.banding > _BANDING:
        why = f"{100 * digital.banding:.0f} % of smooth areas stand in flat steps"
        cards.append(
            Finding("banding", Mark.LOOK, "Bands in smooth areas", "measured", why, "encode with 10 bits; do not sharpen", 28, frame)
        )
    if not cards and digital.blocking is not None:
        why = f"steps on a grid of eight {digital.blocking:.2f} times those beside them"
        cards.append(Finding("blocking", Mark.FINE, "No blocks or bands to see", "measured", why, "nothing to do"))
    return cards
