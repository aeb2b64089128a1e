"""What a file holds besides its pictures: sound and the container, nearly known before anything is tried."""

from __future__ import annotations

from yomikomi.core.balance.models import Estimate
from yomikomi.core.reading.models import Reading, Sound
from yomikomi.core.recipes.recipe import Recipe, overhead_bytes
from yomikomi.core.recipes.sound import sound_span
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.sounding import channels_after
from yomikomi.core.treatment.timing import Timing, length_of

# Of a part the rate may be a little another one than of the whole; of streams whose rate was not counted: usual, and anything.
_KEPT_SPREAD, _UNKNOWN_KBPS, _UNKNOWN_SPREAD = 0.03, 192.0, 0.8


def sound_estimate(reading: Reading, treatment: Treatment, recipe: Recipe) -> Estimate:
    """Bytes of all sound streams of a copy."""
    seconds = length_of(reading, treatment)
    if recipe.sound_copied:
        return _copied_estimate(reading, treatment, seconds)
    streams = [
        (min(s.seconds, seconds), recipe.channels_of(channels_after(treatment, s.index, s.channels)), _silent(s))
        for s in reading.sound if treatment.takes_sound(s.index)
    ]  # fmt: skip
    streams += [(seconds, recipe.channels_of(one.channels), 0.0) for one in treatment.joined]
    sums = [0.0, 0.0, 0.0]
    for lasts, channels, silent in streams:
        for place, bits in enumerate(sound_span(recipe.sound_codec, recipe.sound_kbps, channels, silent=silent)):
            sums[place] += lasts * bits / 8
    return Estimate(expected=sums[0], low=sums[1], high=sums[2])


def _copied_estimate(reading: Reading, treatment: Treatment, seconds: float) -> Estimate:
    """Of streams that are taken over: their rate is known, unless an older program read them."""
    expected = half = 0.0
    for sound in (one for one in reading.sound if treatment.takes_sound(one.index)):
        kbps, spread = (sound.kbps, _KEPT_SPREAD) if sound.kbps is not None else (_UNKNOWN_KBPS, _UNKNOWN_SPREAD)
        size = 125 * kbps * min(sound.seconds, seconds)
        expected, half = expected + size, half + spread * size
    return Estimate(expected=expected, low=expected - half, high=expected + half)


def _silent(sound: Sound) -> float:
    """The part of a stream in which nothing sounds."""
    return sum(end - begin for begin, end in sound.silences) / max(0.04, sound.seconds)


def other_estimate(reading: Reading, treatment: Treatment, recipe: Recipe) -> Estimate:
    """Bytes of sound and container."""
    seconds = length_of(reading, treatment)
    packets = sum(recipe.sound_packets(min(s.seconds, seconds)) for s in reading.sound if treatment.takes_sound(s.index))
    frames = Timing.of(reading, treatment).frames
    more = overhead_bytes(recipe, frames=frames, sound_packets=packets)
    sound = sound_estimate(reading, treatment, recipe)
    return Estimate(expected=round(sound.expected + more), low=round(sound.low + more), high=round(sound.high + more))


def other_bytes(reading: Reading, treatment: Treatment, recipe: Recipe) -> int:
    """What of sound and container is expected."""
    return round(other_estimate(reading, treatment, recipe).expected)
