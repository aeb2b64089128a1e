"""The sound's treatment of one stream: what is put into its filter graph, and by how much it moves."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

import av

from yomikomi.core.treatment.audio_steps import AudioStep
from yomikomi.core.treatment.audio_steps.step import Filters
from yomikomi.core.treatment.joined import JoinedSound
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Fade

# Filters pass by channels of which a file does not say where they belong: such streams are taken for what is usual of their number.
_USUAL = {1: "mono", 2: "stereo", 6: "5.1", 8: "7.1"}


@dataclass(frozen=True)
class SoundPlan:
    """``later``: seconds; ``gain_db``: by how much peaks rise; ``stretch``: seconds of the result for a second of the take, about the first
    picture; ``channels``: of the result."""

    filters: tuple[tuple[str, str], ...]
    later: Fraction
    gain_db: float
    stretch: float
    channels: int
    mixed: bool = False

    def place(self, seconds: Fraction) -> Fraction:
        """Where a moment of the sound comes, both counted from the first picture."""
        stretch = Fraction(self.stretch).limit_denominator(10**12) if self.stretch != 1 else 1
        return seconds * stretch + self.later

    @property
    def layout(self) -> str:
        """The library's name of the result's channels; empty where they are those of the source."""
        return _USUAL[self.channels] if self.mixed else ""


def sound_plan(treatment: Treatment, track: int, layout: av.AudioLayout, seconds: Fraction) -> SoundPlan:
    """For the sound stream number ``track`` of a take; ``layout``: of its channels; ``seconds``: length of what comes out."""
    channels = layout.nb_channels
    steps: list[AudioStep] = [one for one in treatment.sound if one.track in {None, track}]
    filters: Filters = []
    left = channels
    for one in steps:
        filters += one.filters(left)
        left = one.channels_after(left)
    if filters and layout.name.endswith("channels") and channels in _USUAL:
        filters = [("aformat", f"channel_layouts={_USUAL[channels]}"), *filters]
    fade = treatment.get(Fade)
    filters = [*filters, *(fade.sound_filters(seconds) if fade is not None else [])]
    later = sum((Fraction(one.later_s).limit_denominator(1_000_000) for one in steps), Fraction(0))
    stretch = math.prod(one.stretch for one in steps)
    return SoundPlan(tuple(filters), later, sum(one.gain_db for one in steps), stretch, left, mixed=left != channels)


def channels_after(treatment: Treatment, track: int, channels: int) -> int:
    """Of a sound stream that had so many."""
    for one in treatment.sound:
        if one.track in {None, track}:
            channels = one.channels_after(channels)
    return channels


def joined_plan(joined: JoinedSound, channels: int) -> SoundPlan:
    """For a separately recorded sound of so many channels: its seconds count from the file's beginning."""
    later = Fraction(joined.later_ms).limit_denominator(10**6) / 1000
    return SoundPlan((), later, 0.0, 1 + joined.longer_ppm / 1e6, channels)
