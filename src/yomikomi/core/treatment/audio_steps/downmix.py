"""Surround sound for two loudspeakers."""

from __future__ import annotations

from typing import ClassVar, Literal

from yomikomi.core.treatment.audio_steps.step import AudioStep, Filters

# Centre and surrounds go to both sides 3 dB lower; the low-frequency channel is left out (ITU-R BS.775-3 annex 4 table 2).
_MINUS_3_DB = 0.7071
# Of channels in the usual order: front left, front right, centre, low frequencies, then pairs of surrounds.
_SURROUNDS = {6: 1, 8: 2}


class Downmix(AudioStep):
    """5.1 and 7.1 to stereo. ``even``: lowered so that no sum can clip; else as loud as the standard has it."""

    title: ClassVar[str] = "Downmix"

    step: Literal["downmix"] = "downmix"
    even: bool = True

    def filters(self, channels: int) -> Filters:
        pairs = _SURROUNDS.get(channels)
        if pairs is None:
            return []
        scale = 1 / (1 + _MINUS_3_DB * (1 + pairs)) if self.even else 1.0
        sides = []
        for side in (0, 1):
            parts = [(1.0, side), (_MINUS_3_DB, 2), *((_MINUS_3_DB, 4 + 2 * pair + side) for pair in range(pairs))]
            sides.append("+".join(f"{scale * gain:.6f}*c{number}" for gain, number in parts))
        return [("pan", f"stereo|c0={sides[0]}|c1={sides[1]}")]

    def channels_after(self, channels: int) -> int:
        return 2 if channels in _SURROUNDS else channels

    @property
    def words(self) -> str:
        return "mixed to stereo"
