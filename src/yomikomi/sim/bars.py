"""Colour bars with a tone, as a player or a generator sends them, and what may be set wrong with them."""

from __future__ import annotations

import time
from dataclasses import asdict, dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.video.bars import BT601_WEIGHTS, BT709_WEIGHTS, colour_bars
from yomikomi.core.video.clocked import ClockedSource, frames_in
from yomikomi.core.video.colour import BT709
from yomikomi.core.video.source import Picture, SourceFormat
from yomikomi.core.video.standards import STANDARDS
from yomikomi.sim.sound import SAMPLE_RATE
from yomikomi.sim.tape import FORMATS, Tape

# The tone's usual level: 18 dB below full scale (EBU R 68; from memory).
TONE_DB, TONE_HZ = -18.0, 1000.0
# The left channel is told by interruptions of a quarter second every three seconds (EBU stereo identification; from memory).
_INTERRUPTED_EVERY_S, _INTERRUPTED_S = 3.0, 0.25


@dataclass(frozen=True)
class BarsSpec:
    """Parameters
    ----------
    lift, gain : added to and multiplied with luma above black (codes of 219).
    chroma_gain, chroma_degrees : of the colour vectors.
    tone_db : level of the tone.
    channels : how the two channels arrive.
    """

    standard: str = "525i"
    lift: float = 0.0
    gain: float = 1.0
    chroma_gain: float = 1.0
    chroma_degrees: float = 0.0
    tone_db: float = TONE_DB
    channels: Literal["right", "swapped", "left only", "same"] = "right"
    hd_matrix: bool = False
    tape: str = "perfect"
    seed: int = 1
    seconds: float | None = 8.0
    real_time: bool = False

    def open(self) -> Bars:
        return Bars(self)

    @property
    def format(self) -> SourceFormat:
        standard = STANDARDS[self.standard]
        if self.hd_matrix:
            standard = replace(standard, colour=BT709)
        return SourceFormat(standard, standard.first_field, standard.sample_aspect_4_3, SAMPLE_RATE, 2)

    def truth(self) -> dict[str, Any]:
        return {"kind": "bars", **asdict(self)}


class BarsSound:
    def __init__(self, spec: BarsSpec) -> None:
        self._spec = spec

    def samples(self, start: int, count: int) -> NDArray[np.int16]:
        """Shape (count, 2)."""
        t = (start + np.arange(count)) / SAMPLE_RATE
        tone = 32767 * 10 ** (self._spec.tone_db / 20) * np.sin(2 * np.pi * TONE_HZ * t)
        left = tone * (t % _INTERRUPTED_EVERY_S >= _INTERRUPTED_S)
        pair = {"right": (left, tone), "swapped": (tone, left), "left only": (left, 0 * tone), "same": (left, left)}[self._spec.channels]
        hiss = np.random.default_rng([self._spec.seed, 60, start % 2**31]).standard_normal((count, 2)) * 20
        return np.clip(np.round(np.stack(pair, axis=1) + hiss), -32768, 32767).astype(np.int16)


class Bars(ClockedSource):
    """The opened source."""

    def __init__(self, spec: BarsSpec) -> None:
        self.spec = spec
        standard = spec.format.standard
        super().__init__(spec.format, frames=frames_in(spec.seconds, standard.rate), real_time=spec.real_time)
        self.sound = BarsSound(spec)
        self._tape = Tape(FORMATS[spec.tape], seed=spec.seed, field_rate=float(standard.field_rate))
        self._image = self._draw()

    def picture(self, number: int) -> Picture:
        y, u, v = np.empty_like(self._image[..., 0]), *(np.empty_like(self._image[:, ::2, 1]) for _ in range(2))
        for first in (0, 1):
            y[first::2], u[first::2], v[first::2] = self._tape.play(self._image[first::2], 2 * number + first)
        return Picture(number, y, u, v, time.monotonic())

    def _draw(self) -> NDArray[np.uint8]:
        spec, standard = self.spec, self.format.standard
        image = np.empty((standard.height, standard.width, 3), np.uint8)
        turn = spec.chroma_gain * np.exp(1j * np.radians(spec.chroma_degrees))
        bars = colour_bars(BT709_WEIGHTS if spec.hd_matrix else BT601_WEIGHTS)
        for number, bar in enumerate(bars):
            vector = (bar.cb - 128 + 1j * (bar.cr - 128)) * turn
            codes = (16 + spec.lift + spec.gain * (bar.y - 16), 128 + vector.real, 128 + vector.imag)
            first, last = (standard.width * n // len(bars) for n in (number, number + 1))
            image[:, first:last] = np.clip(np.round(codes), 1, 254)
        return image
