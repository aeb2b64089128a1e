"""How loud, and what hums."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from yomikomi.core.treatment.audio_steps.step import AudioStep, Filters
from yomikomi.core.video.units import number_text

# Notches as narrow as this leave speech alone (our own choice; heard by nobody else yet).
_NOTCH_Q = 30


class Gain(AudioStep):
    """Plain gain: nothing is compressed or limited."""

    title: ClassVar[str] = "Loudness"

    step: Literal["gain"] = "gain"
    db: float = Field(ge=-60, le=60, allow_inf_nan=False)

    def filters(self, channels: int) -> Filters:
        return [("volume", f"{self.db:.4f}dB:precision=double")]

    @property
    def words(self) -> str:
        return f"{number_text(self.db, places=1)} dB"

    @property
    def gain_db(self) -> float:
        return self.db


class Hum(AudioStep):
    """The hum of the mains and its overtones, notched."""

    title: ClassVar[str] = "Hum"

    step: Literal["hum"] = "hum"
    hz: float = Field(gt=20, lt=130)
    overtones: int = Field(default=4, ge=1, le=12)

    def filters(self, channels: int) -> Filters:
        tones = (self.hz * number for number in range(1, self.overtones + 1))
        return [("bandreject", f"f={tone:.3f}:width_type=q:w={_NOTCH_Q}:precision=f64") for tone in tones]

    @property
    def words(self) -> str:
        return f"hum of {self.hz:.0f} Hz filtered"


class Offset(AudioStep):
    """A constant voltage taken off. ``dc``: the mean as measured, full scale 1."""

    title: ClassVar[str] = "DC offset"

    step: Literal["dc"] = "dc"
    dc: float = Field(ge=-0.9, le=0.9, allow_inf_nan=False)

    def filters(self, channels: int) -> Filters:
        return [("dcshift", f"shift={-self.dc:.6f}")]

    @property
    def words(self) -> str:
        return "DC offset removed"
