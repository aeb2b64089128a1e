"""The steps there are for the sound, in the order in which a treatment takes them. To add one: a file here, its class in the table."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from yomikomi.core.treatment.audio_steps.channels import Channels
from yomikomi.core.treatment.audio_steps.downmix import Downmix
from yomikomi.core.treatment.audio_steps.drift import Drift
from yomikomi.core.treatment.audio_steps.level import Gain, Hum, Offset
from yomikomi.core.treatment.audio_steps.move import Move
from yomikomi.core.treatment.audio_steps.step import AudioStep

AnyAudioStep = Annotated[Offset | Hum | Channels | Downmix | Gain | Drift | Move, Field(discriminator="step")]
ORDER: tuple[str, ...] = ("dc", "hum", "channels", "downmix", "gain", "drift", "move")

__all__ = ["ORDER", "AnyAudioStep", "AudioStep", "Channels", "Downmix", "Drift", "Gain", "Hum", "Move", "Offset"]
