"""What a step of the sound's treatment is: settings, and the library's filters that do it."""

from __future__ import annotations

from typing import ClassVar

from pydantic import BaseModel, ConfigDict, Field

Filters = list[tuple[str, str]]


class AudioStep(BaseModel):
    """``track``: number of the sound stream in the take, from 0; None: all of them."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    title: ClassVar[str] = ""

    track: int | None = Field(default=None, ge=0)

    def filters(self, channels: int) -> Filters:
        """``channels``: of the stream."""
        raise NotImplementedError

    @property
    def words(self) -> str:
        raise NotImplementedError

    @property
    def later_s(self) -> float:
        """By how much the sound comes later, seconds."""
        return 0.0

    @property
    def stretch(self) -> float:
        """Seconds of the result for a second of the take."""
        return 1.0

    def channels_after(self, channels: int) -> int:
        """Of a stream that had so many."""
        return channels

    @property
    def gain_db(self) -> float:
        """By how much its peak rises, dB."""
        return 0.0
