"""Sound that runs away from its picture."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from yomikomi.core.treatment.audio_steps.step import AudioStep, Filters
from yomikomi.core.video.units import number_text

_MS_PER_HOUR = 3_600_000


class Drift(AudioStep):
    """``ms_per_hour``: by so much more the sound comes after its picture with every hour; negative: before it. The sound is resampled
    evenly, so that its pitch changes with it, by less than anyone hears."""

    title: ClassVar[str] = "Drift"

    step: Literal["drift"] = "drift"
    ms_per_hour: float = Field(ge=-100_000, le=100_000, allow_inf_nan=False)

    def filters(self, channels: int) -> Filters:
        return []

    @property
    def words(self) -> str:
        return f"drift of {number_text(self.ms_per_hour, places=0)} ms an hour taken out"

    @property
    def stretch(self) -> float:
        return 1 / (1 + self.ms_per_hour / _MS_PER_HOUR)
