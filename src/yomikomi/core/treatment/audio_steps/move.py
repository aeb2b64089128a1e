"""Sound moved against the picture."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from yomikomi.core.treatment.audio_steps.step import AudioStep, Filters
from yomikomi.core.video.units import number_text


class Move(AudioStep):
    """``later_ms``: so much later; negative: sooner. What lies before the first picture is cut off, what is missing is silent."""

    title: ClassVar[str] = "Sync"

    step: Literal["move"] = "move"
    later_ms: float = Field(ge=-60_000, le=60_000, allow_inf_nan=False)

    def filters(self, channels: int) -> Filters:
        return []

    @property
    def words(self) -> str:
        return f"sound {number_text(abs(self.later_ms), places=0)} ms {'later' if self.later_ms >= 0 else 'sooner'}"

    @property
    def later_s(self) -> float:
        return self.later_ms / 1000
