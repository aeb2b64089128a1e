"""From what was found in the sound to the step that corrects it."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.proposals import Proposal
from yomikomi.core.treatment.audio_steps import Channels, Downmix, Drift, Gain, Hum, Move
from yomikomi.core.treatment.ways import Advice, Way
from yomikomi.core.video.units import number_text
from yomikomi.core.work.text import capital

# Targets of integrated loudness, LUFS (EBU R 128; the others common practice, no source); the highest true peak; what nobody hears.
_TARGETS = ((-23.0, "broadcast"), (-16.0, "web"), (-14.0, "loud web"))
_HIGHEST_PEAK, _HEARD_DB = -1.0, 0.5
# Less than a frame in two hours is no drift that anyone sees, ms an hour.
_HEARD_DRIFT = 20.0


def measured_sound(reading: Reading) -> Iterator[Advice]:
    """What follows from measured values alone, whether a finding asks for it or not."""
    yield from _drift(reading)
    yield from _surround(reading)
    yield from _loudness(reading)


def _sync(reading: Reading, proposal: Proposal) -> Iterator[Advice]:
    found = reading.sync
    if found is None or found.offset_ms is None:
        return
    step = Move(later_ms=round(-found.offset_ms, 1))
    sure = f" ({found.low:.0f} to {found.high:.0f} ms, 95 %)" if found.low is not None and found.high is not None else ""
    yield Advice(
        "sync", "Sync", proposal.topic, f"The sound comes {found.offset_ms:.0f} ms after its picture{sure}, by {found.events} events.",
        (
            Way(step, capital(step.words), "Exact to a sample; nothing is stretched."),
            Way(None, "Leave the sound where it is", "It stays as far off as it is."),
        ),
    )  # fmt: skip


def _name(reading: Reading, number: int, what: str) -> str:
    return what if len(reading.sound) == 1 else f"{what}, sound {number + 1}"


def _both_sides(reading: Reading, proposal: Proposal) -> Iterator[Advice]:
    for number, sound in enumerate(reading.sound):
        if sound.relation == "one side" and sound.empty_channels:
            step = Channels(track=number, how="left to both" if sound.empty_channels[0] == 1 else "right to both")
            yield Advice(
                "channels", _name(reading, number, "Channels"), proposal.topic, "Only one channel holds sound.",
                (Way(step, capital(step.words), "Heard on both sides."), Way(None, "Leave the channels", "Heard on one side only.")),
            )


def _inverted(reading: Reading, proposal: Proposal) -> Iterator[Advice]:
    for number, sound in enumerate(reading.sound):
        if sound.relation == "out of phase":
            step = Channels(track=number, how="invert right")
            yield Advice(
                "channels", _name(reading, number, "Channels"), proposal.topic,
                "The channels are out of phase: mixed to mono they cancel out.",
                (Way(step, capital(step.words), "The channels agree again."), Way(None, "Leave the channels", "They cancel out in mono.")),
            )  # fmt: skip


def _hum(reading: Reading, proposal: Proposal) -> Iterator[Advice]:
    for number, sound in enumerate(reading.sound):
        if sound.hum_hz:
            step = Hum(track=number, hz=round(sound.hum_hz, 2))
            yield Advice(
                "hum", _name(reading, number, "Hum"), proposal.topic, f"Hum of {sound.hum_hz:.1f} Hz.",
                (
                    Way(step, capital(step.words), "Narrow notches at it and three overtones; music at these tones loses them too."),
                    Way(None, "Leave the hum", "Not a tone is lost."),
                ),
                usual=False,
            )  # fmt: skip


def _drift(reading: Reading) -> Iterator[Advice]:
    found = reading.sync
    if found is None or not found.drift_ms_per_hour or abs(found.drift_ms_per_hour) < _HEARD_DRIFT:
        return
    step = Drift(ms_per_hour=round(found.drift_ms_per_hour, 1))
    per_hour = number_text(found.drift_ms_per_hour, places=0)
    yield Advice(
        "drift", "Drift", "sync", f"The sound runs away from its picture by {per_hour} ms an hour.",
        (
            Way(step, capital(step.words), "Resampled evenly; the pitch changes by less than anyone hears."),
            Way(None, "Leave the drift", "It comes to a frame sooner or later."),
        ),
        usual=False,
    )  # fmt: skip


def _surround(reading: Reading) -> Iterator[Advice]:
    for number, sound in enumerate(reading.sound):
        step = Downmix(track=number)
        if step.channels_after(sound.channels) != sound.channels:
            yield Advice(
                "downmix", _name(reading, number, "Surround sound"), "sound", f"{sound.channels} channels.",
                (
                    Way(None, "Keep all channels", "Players with two loudspeakers mix them by themselves."),
                    Way(step, "Mix to stereo", "Centre and surrounds 3 dB lower on both sides (ITU-R BS.775), without clipping."),
                ),
                usual=False,
            )  # fmt: skip


def _loudness(reading: Reading) -> list[Advice]:
    """To a target by plain gain, as far as the true peak leaves room (EBU R 128: −23 LUFS, at most −1 dBTP; from memory)."""
    found = []
    for number, sound in enumerate(reading.sound):
        if sound.loudness is None or sound.true_peak is None:
            continue
        ways = [Way(None, "Leave the loudness", f"{number_text(sound.loudness, places=1)} LUFS as recorded.")]
        for target, what in _TARGETS:
            gain = min(target - sound.loudness, _HIGHEST_PEAK - sound.true_peak)
            short = target - sound.loudness - gain
            room = f" The peaks leave no room for the last {number_text(short, places=1)} dB." if short > _HEARD_DB else ""
            if abs(gain) > _HEARD_DB:
                step = Gain(track=number, db=round(gain, 2))
                words = f"{number_text(sound.loudness + gain, places=1)} LUFS, {what}"
                ways.append(Way(step, words, f"Plain gain of {step.words}.{room}"))
        if len(ways) > 1:
            reason = f"{number_text(sound.loudness, places=1)} LUFS, true peak {number_text(sound.true_peak, places=1)} dBTP."
            found.append(Advice("loudness", _name(reading, number, "Loudness"), "sound", reason, tuple(ways), usual=False))
    return found


MAKERS: dict[str, Callable[[Reading, Proposal], Iterator[Advice]]] = {
    "sync": _sync, "both sides": _both_sides, "turn channel": _inverted, "hum filter": _hum,
}  # fmt: skip
