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
from yomikomi.core.treatment.stretching import exact_stretch

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
        return seconds * exact_stretch(self.stretch) + self.later

    @property
    def layout(self) -> str:
        """The library's name of the result's channels; empty where they are those of the source."""
        return _USUAL[self.channels] if self.mixed else ""


def plan_of(treatment: Treatment, track: int | JoinedSound, layout: av.AudioLayout, seconds: Fraction) -> SoundPlan:
    """For a sound stream of the take by its number, or for one recorded separately; ``seconds``: length of what comes out."""
    if isinstance(track, JoinedSound):
        return joined_plan(track, treatment, layout, seconds)
    return sound_plan(treatment, track, layout, seconds)


def sound_plan(treatment: Treatment, track: int, layout: av.AudioLayout, seconds: Fraction) -> SoundPlan:
    """For the sound stream number ``track`` of a take; ``layout``: of its channels; ``seconds``: length of what comes out."""
    channels = layout.nb_channels
    steps = _steps_of(treatment, track)
    filters: Filters = []
    left = channels
    for one in steps:
        filters += one.filters(left)
        left = one.channels_after(left)
    later = sum((Fraction(one.later_s).limit_denominator(1_000_000) for one in steps), Fraction(0))
    stretch = math.prod(one.stretch for one in steps)
    filters = _named(filters, layout) + _fades(treatment, seconds)
    return SoundPlan(tuple(filters), later, sum(one.gain_db for one in steps), stretch, left, mixed=left != channels)


def joined_plan(joined: JoinedSound, treatment: Treatment, layout: av.AudioLayout, seconds: Fraction) -> SoundPlan:
    """For a separately recorded sound: its seconds count from the file's beginning."""
    later = Fraction(joined.later_ms).limit_denominator(10**6) / 1000
    return SoundPlan(tuple(_fades(treatment, seconds)), later, 0.0, 1 + joined.longer_ppm / 1e6, layout.nb_channels)


def channels_after(treatment: Treatment, track: int, channels: int) -> int:
    """Of a sound stream that had so many."""
    for one in _steps_of(treatment, track):
        channels = one.channels_after(channels)
    return channels


def _steps_of(treatment: Treatment, track: int) -> list[AudioStep]:
    return [one for one in treatment.sound if one.track in {None, track}]


def _named(filters: Filters, layout: av.AudioLayout) -> Filters:
    """With the usual places of the channels before them, where a file does not say where they belong."""
    if filters and layout.name.endswith("channels") and layout.nb_channels in _USUAL:
        return [("aformat", f"channel_layouts={_USUAL[layout.nb_channels]}"), *filters]
    return filters


def _fades(treatment: Treatment, seconds: Fraction) -> Filters:
    fade = treatment.get(Fade)
    return fade.sound_filters(seconds) if fade is not None else []
