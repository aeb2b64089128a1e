"""Which channel goes where."""

from __future__ import annotations

from typing import ClassVar, Literal

from yomikomi.core.treatment.audio_steps.step import AudioStep, Filters

How = Literal["left to both", "right to both", "swap", "invert left", "invert right", "mono"]
# Of two channels what becomes of each.
_PAN: dict[str, str] = {
    "left to both": "stereo|c0=c0|c1=c0", "right to both": "stereo|c0=c1|c1=c1", "swap": "stereo|c0=c1|c1=c0",
    "invert left": "stereo|c0=-1*c0|c1=c1", "invert right": "stereo|c0=c0|c1=-1*c1", "mono": "stereo|c0=0.5*c0+0.5*c1|c1=0.5*c0+0.5*c1",
}  # fmt: skip
_WORDS: dict[str, str] = {
    "left to both": "left channel to both", "right to both": "right channel to both", "swap": "channels swapped",
    "invert left": "left channel inverted", "invert right": "right channel inverted", "mono": "both channels mixed",
}  # fmt: skip


class Channels(AudioStep):
    """Of stereo streams; others are left alone."""

    title: ClassVar[str] = "Channels"

    step: Literal["channels"] = "channels"
    how: How

    def filters(self, channels: int) -> Filters:
        return [("pan", _PAN[self.how])] if channels == 2 else []

    @property
    def words(self) -> str:
        return _WORDS[self.how]
