"""The sound's treatment of one stream: what is put into its filter graph, and by how much it moves."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import av

from yomikomi.core.treatment.audio_steps import AudioStep
from yomikomi.core.treatment.audio_steps.step import Filters
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Fade


@dataclass(frozen=True)
class SoundPlan:
    """``later``: seconds; ``gain_db``: by how much peaks rise."""

    filters: tuple[tuple[str, str], ...]
    later: Fraction
    gain_db: float


# Filters pass by channels of which a file does not say where they belong: such streams are taken for what is usual of their number.
_USUAL = {1: "mono", 2: "stereo", 6: "5.1", 8: "7.1"}


def sound_plan(treatment: Treatment, track: int, layout: av.AudioLayout, seconds: Fraction) -> SoundPlan:
    """For the sound stream number ``track`` of a take; ``layout``: of its channels; ``seconds``: length of what comes out."""
    channels = layout.nb_channels
    steps: list[AudioStep] = [one for one in treatment.sound if one.track in {None, track}]
    filters: Filters = [made for one in steps for made in one.filters(channels)]
    if filters and layout.name.endswith("channels") and channels in _USUAL:
        filters = [("aformat", f"channel_layouts={_USUAL[channels]}"), *filters]
    fade = treatment.get(Fade)
    filters = [*filters, *(fade.sound_filters(seconds) if fade is not None else [])]
    later = sum((Fraction(one.later_s).limit_denominator(1_000_000) for one in steps), Fraction(0))
    return SoundPlan(tuple(filters), later, sum(one.gain_db for one in steps))
