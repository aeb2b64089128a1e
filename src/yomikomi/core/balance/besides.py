"""What a file holds besides its pictures: sound and the container, known before anything is tried."""

from __future__ import annotations

from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import Recipe, overhead_bytes
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.sounding import channels_after
from yomikomi.core.treatment.timing import Timing, length_of


def sound_bytes(reading: Reading, treatment: Treatment, recipe: Recipe) -> int:
    """Of all sound streams of a copy."""
    seconds = length_of(reading, treatment)
    sounds = [(s, channels_after(treatment, s.index, s.channels)) for s in reading.sound if treatment.takes_sound(s.index)]
    own = sum(min(s.seconds, seconds) * recipe.sound_bits_per_second(channels) / 8 for s, channels in sounds)
    joined = sum(seconds * recipe.sound_bits_per_second(one.channels) / 8 for one in treatment.joined)
    return int(own + joined)


def other_bytes(reading: Reading, treatment: Treatment, recipe: Recipe) -> int:
    """Sound and container."""
    seconds = length_of(reading, treatment)
    packets = sum(recipe.sound_packets(min(s.seconds, seconds)) for s in reading.sound if treatment.takes_sound(s.index))
    frames = Timing.of(reading, treatment).frames
    return sound_bytes(reading, treatment, recipe) + overhead_bytes(frames=frames, sound_packets=packets, container=recipe.container)
