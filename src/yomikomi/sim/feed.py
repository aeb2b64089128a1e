"""A simulated camera or console: a programme in any size and rate, whole pictures or fields, without a tape's faults."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.video.clocked import ClockedSource, frames_in
from yomikomi.core.video.colour import BT601_525, BT709, BT2020_PQ
from yomikomi.core.video.source import Picture, SourceFormat
from yomikomi.core.video.standards import FieldOrder, Standard
from yomikomi.sim.canvas import Raster
from yomikomi.sim.programme import Programme
from yomikomi.sim.sound import SAMPLE_RATE, FeedSound
from yomikomi.sim.textures import Image

# Scenes are made for a standard-definition picture; larger ones are drawn on so many lines and enlarged.
_DRAWN_LINES = 480
_FILM_RATE = Fraction(24000, 1001)


@dataclass(frozen=True)
class FeedSpec:
    """``width`` x ``height`` samples at ``rate`` frames a second; ``seconds``: None for ever.

    Parameters
    ----------
    cadence : ``film``: the pictures are those of 23.976 frames a second, spread over fields or frames by 2:3.
    shape : ``3:2``: a sensor's picture between black sides.
    hdr : 10 bits, PQ, BT.2020.
    channels : of the programme; 0: silent.
    commentary : a voice on a channel of its own, after the programme's.
    sound_lead_ms : how much sooner the sound is than its picture.
    deep_sound : 24 bits instead of 16, as digital links carry it.
    """

    width: int
    height: int
    rate: Fraction
    interlaced: bool = False
    seed: int = 1
    mixture: str = "mixed"
    seconds: float | None = None
    real_time: bool = True
    cadence: Literal["video", "film"] = "video"
    shape: Literal["full", "3:2"] = "full"
    hdr: bool = False
    channels: int = 2
    commentary: bool = False
    sound_lead_ms: int = 0
    deep_sound: bool = False

    def open(self) -> Feed:
        return Feed(self)

    @property
    def format(self) -> SourceFormat:
        colour = BT2020_PQ if self.hdr else BT709 if self.height >= 720 else BT601_525
        words = f"{self.height} lines, {float(self.rate):.2f}"
        one = Fraction(1)
        standard = Standard("feed", self.width, self.height, self.rate, one, one, colour, words, interlaced=self.interlaced)
        return SourceFormat(
            standard, FieldOrder.TFF if self.interlaced else None, one, SAMPLE_RATE, self.channels + int(self.commentary),
            commentary_channels=int(self.commentary), bits=10 if self.hdr else 8, sound_bits=24 if self.deep_sound else 16,
        )  # fmt: skip

    def to_json(self) -> dict[str, Any]:
        return {**asdict(self), "rate": str(self.rate), "kind": "feed"}

    @classmethod
    def from_json(cls, document: dict[str, Any]) -> FeedSpec:
        fields = {key: value for key, value in document.items() if key != "kind"}
        return cls(**{**fields, "rate": Fraction(fields["rate"])})


class Feed(ClockedSource):
    """The opened source; pictures depend on the seed and the frame number alone."""

    def __init__(self, spec: FeedSpec, *, now: Callable[[], float] = time.monotonic) -> None:
        self.spec = spec
        super().__init__(spec.format, frames=frames_in(spec.seconds, spec.rate), real_time=spec.real_time, now=now)
        self.sound = FeedSound(spec.seed, spec.channels, commentary=spec.commentary, lead_ms=spec.sound_lead_ms, deep=spec.deep_sound)
        self.programme = Programme(spec.seed, mixture=spec.mixture, rate=spec.rate)
        self._drawn: tuple[Fraction, Image] | None = None

    def picture(self, number: int) -> Picture:
        spec = self.spec
        step = 2 if spec.interlaced else 1
        image = np.empty((spec.height, spec.width, 3), np.uint8)
        for first in range(step):
            image[first::step] = self._at(number, number * step + first)[first::step]
        if spec.shape == "3:2":
            side = (spec.width - spec.height * 3 // 2) // 2
            image[:, :side] = image[:, spec.width - side :] = (16, 128, 128)
        y, u, v = image[..., 0], image[:, ::2, 1], image[:, ::2, 2]
        if spec.hdr:
            luma, chroma = _pq_tables()
            return Picture(number, luma[y], chroma[u], chroma[v], self._now())
        return Picture(number, np.ascontiguousarray(y), np.ascontiguousarray(u), np.ascontiguousarray(v), self._now())

    def _at(self, number: int, unit: int) -> Image:
        """The whole picture of a field or frame ``unit``, in full size; film pictures stay for two and three units in turn."""
        spec = self.spec
        unit_rate = spec.rate * (2 if spec.interlaced else 1)
        instant = unit / unit_rate if spec.cadence == "video" else _film_picture(unit, unit_rate) / _FILM_RATE
        if self._drawn is None or self._drawn[0] != instant:
            width = round(_DRAWN_LINES * spec.width / spec.height / 2) * 2 if spec.height > _DRAWN_LINES else spec.width
            lines = min(spec.height, _DRAWN_LINES)
            small = self.programme.draw(number, instant, Raster(width, lines))
            whole = small if lines == spec.height else cv2.resize(small, (spec.width, spec.height), interpolation=cv2.INTER_LINEAR)
            self._drawn = (instant, np.asarray(whole, np.uint8))
        return self._drawn[1]


def _film_picture(unit: int, unit_rate: Fraction) -> int:
    """Which film picture a field (or frame of 59.94) shows: a new one at units 0, 2, 5, 7 of every 10, as 2:3 does; at lower
    unit rates each picture for as long as it takes."""
    if unit_rate == Fraction(60000, 1001):
        group, place = divmod(unit, 10)
        return 4 * group + (0, 0, 1, 1, 1, 2, 2, 3, 3, 3)[place]
    return int(unit * _FILM_RATE / unit_rate)


@lru_cache(maxsize=1)
def _pq_tables() -> tuple[NDArray[np.uint16], NDArray[np.uint16]]:
    """From 8-bit codes of a display at 203 cd/m² (reference white of ITU-R BT.2408) and gamma 2.4 (ITU-R BT.1886) to 10-bit PQ
    (SMPTE ST 2084); chroma shrinks as the wider primaries and the curve make it, roughly."""
    light = 203 / 10_000 * np.clip((np.arange(256) - 16) / 219, 0, None) ** 2.4
    m1, m2, c1, c2, c3 = 2610 / 16384, 2523 / 4096 * 128, 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
    power = light**m1
    signal = ((c1 + c2 * power) / (1 + c3 * power)) ** m2
    luma = np.round(64 + 876 * signal).astype(np.uint16)
    chroma = np.round(512 + (np.arange(256) - 128) * 4 * 0.45).astype(np.uint16)
    return luma, chroma
