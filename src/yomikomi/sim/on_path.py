"""A simulated source at the far end of a path: what the path does to picture and sound, done to them.

``Delivery`` says what is done; the trace of a path predicts one, so prediction and picture can be compared.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.errors import SourceLostError
from yomikomi.core.video.clocked import SoundByNumber
from yomikomi.core.video.delivery import Delivery
from yomikomi.core.video.source import Picture, Samples, SoundBlock, SourceFormat
from yomikomi.sim.player import TapePlayerSpec

_ROLL_LINES = 37  # a torn picture rolls by so many lines a frame
_DROP_ONE_IN = 9
_HOT, _QUIET = 8.0, 0.03  # gain of a sound level set wrong: +18 dB into clipping, −30 dB
_DRIFT = 0.004  # seconds a second: much, so that it shows in a short proof
_SUBCARRIER_SAMPLES = 3.77  # period of the 3.58 MHz colour carrier at 13.5 MHz (ITU-R BT.470, BT.601)
_NOISE_BAR_LINES = 0.12  # height of a noise bar, of the picture
# BT.601 blue in limited range, rounded.
_BLUE = (41, 240, 110)


class Player(Protocol):
    """What a simulated source has besides the protocol of sources: sound by sample number."""

    @property
    def sound(self) -> SoundByNumber: ...

    @property
    def format(self) -> SourceFormat: ...

    def read(self) -> tuple[Picture, SoundBlock]: ...

    def close(self) -> None: ...


class PlayerSpec(Protocol):
    def open(self) -> Player: ...

    @property
    def format(self) -> SourceFormat: ...


@dataclass(frozen=True)
class OnPathSpec:
    """A source as it arrives over a path."""

    player: TapePlayerSpec | PlayerSpec
    delivery: Delivery

    def open(self) -> OnPath:
        player = self.player
        if isinstance(player, TapePlayerSpec):
            player = replace(player, corrector=not self.delivery.wobble)
        return OnPath(player.open(), self.delivery)

    @property
    def format(self) -> SourceFormat:
        return _arrives_as(self.player.format, self.delivery)


class OnPath:
    """The opened source. A path that carries nothing loses the source at the first reading."""

    def __init__(self, player: Player, delivery: Delivery) -> None:
        self._player, self._delivery = player, delivery
        inner = player.format
        self._mixes_in = inner.commentary_channels > 0 and delivery.commentary == "mixed"
        self.format = _arrives_as(inner, delivery)
        self._steps = _steps_for(delivery)

    def read(self) -> tuple[Picture, SoundBlock]:
        delivery = self._delivery
        if delivery.picture == "none":
            raise SourceLostError("Nothing answers at the recorder.", remedy="See Path for where the picture is lost.")
        picture, sound = self._player.read()
        while delivery.drops and _dropped(picture.number):
            picture, more = self._player.read()
            sound = SoundBlock(sound.start, np.concatenate([sound.samples, more.samples]), sound.stamp_us)
        if delivery.stops_after is not None and picture.number >= delivery.stops_after * float(self.format.standard.rate):
            raise SourceLostError(
                f"The source stopped by itself after {delivery.stops_after:.0f} s.", remedy="See Path for what switches it off."
            )
        planes = (picture.y, picture.u, picture.v)
        deep = self.format.bits - 8
        if deep and self._steps:  # what a path does is told in codes of 8 bits
            planes = tuple((plane >> deep).astype(np.uint8) for plane in planes)  # type: ignore[assignment]
        for step in self._steps:
            planes = step(planes, picture.number)
        if deep and self._steps:
            planes = tuple(plane.astype(np.uint16) << deep for plane in planes)  # type: ignore[assignment]
        return replace(picture, y=planes[0], u=planes[1], v=planes[2]), self._heard(sound)

    def close(self) -> None:
        self._player.close()

    def _heard(self, block: SoundBlock) -> SoundBlock:
        """The sound as the path leaves it. Its stamps stay those of the picture clock: a drift shows against them."""
        delivery = self._delivery
        shift = round(delivery.sound_lead_ms / 1000 * self.format.sound_rate)
        shift += round(_DRIFT * block.start) if delivery.drift else 0
        samples = self._tracks(self._shifted(block, shift) if shift else block.samples)
        if delivery.sound == "none":
            samples = np.concatenate([np.zeros_like(samples[:, : self._programme]), samples[:, self._programme :]], axis=1)
        gain = {"hot": _HOT, "quiet": _QUIET}.get(delivery.level)
        if gain is not None:
            samples = _limited(samples * gain, samples.dtype)
        return SoundBlock(block.start, samples, block.stamp_us)

    @property
    def _programme(self) -> int:
        return self.format.sound_channels - self.format.commentary_channels

    def _tracks(self, samples: NDArray[Any]) -> NDArray[Any]:
        """The commentary apart, mixed into the programme, or gone."""
        if self._mixes_in:
            return _limited(samples[:, : self._programme].astype(np.float64) + samples[:, -1:], samples.dtype)
        return samples[:, : self.format.sound_channels]

    def _shifted(self, block: SoundBlock, shift: int) -> NDArray[Any]:
        """The programme's sound of another moment; before its beginning there is silence."""
        start, count = block.start + shift, len(block.samples)
        early = min(count, max(0, -start))
        sound = self._player.sound.samples(max(0, start), count - early)
        return np.concatenate([np.zeros((early, sound.shape[1]), sound.dtype), sound])


def _limited(wave: NDArray[np.float64], kind: np.dtype[Any]) -> NDArray[Any]:
    """Samples of a kind, cut off where it ends."""
    ends = np.iinfo(kind)
    return np.clip(wave, ends.min, ends.max).astype(kind)


def _arrives_as(inner: SourceFormat, delivery: Delivery) -> SourceFormat:
    """What the recorder takes a source for at the end of its path."""
    aspect = inner.sample_aspect * (Fraction(4, 3) if delivery.shape == "stretched" else 1)
    order = inner.field_order
    if order is not None and delivery.order == "swapped":
        order = order.other
    commentary = inner.commentary_channels if delivery.commentary == "own" else 0
    channels = inner.sound_channels - inner.commentary_channels + commentary
    return replace(inner, sample_aspect=aspect, field_order=order, sound_channels=channels, commentary_channels=commentary)


Planes = tuple[Samples, Samples, Samples]
Step = Callable[[Planes, int], Planes]


def _dropped(number: int) -> bool:
    """Which frames a path that loses some loses: irregular, and the same every time."""
    return number % _DROP_ONE_IN == (number // _DROP_ONE_IN * 5) % _DROP_ONE_IN


def _steps_for(delivery: Delivery) -> list[Step]:
    """What has to be done, in the order in which it happens on a path."""
    wanted: list[tuple[bool, Step]] = [
        (bool(delivery.marks), lambda planes, _n: _draw_marks(planes, delivery.marks)),
        (delivery.noise_bars, _noise_bar),
        (delivery.detail == "soft", lambda planes, _n: _soften(planes)),
        (delivery.crawl, _crawl),
        (delivery.fields == "blended", lambda planes, _n: _each(planes, _blend)),
        (delivery.fields == "combed", lambda planes, _n: _each(planes, _mix_lines)),
        (delivery.levels != "right", lambda planes, _n: _misread_levels(planes, delivery.levels)),
        (delivery.colours == "wrong", lambda planes, _n: _wrong_matrix(planes)),
        (delivery.colours == "none", lambda planes, _n: (planes[0], np.full_like(planes[1], 128), np.full_like(planes[2], 128))),
        (delivery.picture == "torn", _tear),
        (delivery.picture == "black", lambda planes, _n: _flat(planes, (16, 128, 128))),
        (delivery.picture == "blue", lambda planes, _n: _flat(planes, _BLUE)),
    ]
    return [step for on, step in wanted if on]


def _each(planes: Planes, change: Callable[[Samples], Samples]) -> Planes:
    return change(planes[0]), change(planes[1]), change(planes[2])


def _flat(planes: Planes, codes: tuple[int, int, int]) -> Planes:
    return tuple(np.full_like(plane, code) for plane, code in zip(planes, codes, strict=True))  # type: ignore[return-value]


def _draw_marks(planes: Planes, marks: tuple[str, ...]) -> Planes:
    y, u, v = planes[0].copy(), planes[1].copy(), planes[2].copy()
    lines, columns = y.shape
    if "information" in marks:  # a battery, a counter, a line of figures
        top, left = int(lines * 0.06), int(columns * 0.07)
        cv2.rectangle(y, (left, top), (left + columns // 14, top + lines // 24), 225, 2)
        cv2.putText(y, "0:12:47  72%  STBY", (left, int(lines * 0.93)), cv2.FONT_HERSHEY_SIMPLEX, lines / 480, 225, 2)
    if "focus squares" in marks:
        side = lines // 7
        for place in (0.42, 0.58):
            x, at = int(columns * place) - side // 2, (lines - side) // 2
            cv2.rectangle(y, (x, at), (x + side, at + side), 200, 2)
    if "grid" in marks:
        for third in (1, 2):
            y[lines * third // 3 - 1 : lines * third // 3 + 1] = 210
            y[:, columns * third // 3 - 1 : columns * third // 3 + 1] = 210
    return y, u, v


def _noise_bar(planes: Planes, number: int) -> Planes:
    y = planes[0].copy()
    height = int(y.shape[0] * _NOISE_BAR_LINES)
    top = (y.shape[0] // 3 + 3 * number) % (y.shape[0] - height)
    rng = np.random.default_rng([77, number])
    y[top : top + height] = rng.integers(16, 236, (height, y.shape[1]), np.uint8)
    return y, planes[1], planes[2]


def _soften(planes: Planes) -> Planes:
    """Detail above about a quarter of what the raster holds is gone; only along lines, so that fields stay apart."""
    return np.asarray(cv2.blur(planes[0], (5, 1)), np.uint8), planes[1], planes[2]


def _crawl(planes: Planes, number: int) -> Planes:
    """Colour that leaked into brightness: the carrier's pattern where colour changes, moving up line by line."""
    y, u, v = planes
    edges = np.abs(cv2.Sobel(u, cv2.CV_32F, 1, 0)) + np.abs(cv2.Sobel(v, cv2.CV_32F, 1, 0))
    strength = np.repeat(np.minimum(edges, 60), 2, axis=1)[:, : y.shape[1]] * 0.4
    columns = np.arange(y.shape[1]) / _SUBCARRIER_SAMPLES
    phase = 2 * np.pi * (columns[None] + 0.5 * (np.arange(y.shape[0])[:, None] + number))
    leaked = y + strength * np.sin(phase)
    return np.clip(leaked, 1, 254).astype(np.uint8), u, v


def _blend(plane: Samples) -> Samples:
    """Both fields over each other: every pair of lines becomes its mean."""
    pairs = plane[: len(plane) // 2 * 2].reshape(-1, 2, plane.shape[1]).astype(np.uint16)
    mean = ((pairs[:, 0] + pairs[:, 1] + 1) // 2).astype(np.uint8)
    out = plane.copy()
    out[: len(mean) * 2] = np.repeat(mean, 2, axis=0)
    return out


def _mix_lines(plane: Samples) -> Samples:
    """Whole frames enlarged without regard for fields, and brought back: teeth remain, but no field can be taken out again."""
    lines, columns = plane.shape
    larger = cv2.resize(plane, (columns, round(lines * 1.37)), interpolation=cv2.INTER_LINEAR)
    return np.asarray(cv2.resize(larger, (columns, lines), interpolation=cv2.INTER_LINEAR), np.uint8)


def _misread_levels(planes: Planes, how: str) -> Planes:
    """Limited range taken for full and squeezed again, or full taken for limited and spread."""
    y, u, v = (plane.astype(np.float32) for plane in planes)
    if how == "washed out":
        y, u, v = 16 + y * (219 / 255), 128 + (u - 128) * (224 / 255), 128 + (v - 128) * (224 / 255)
    else:
        y, u, v = (y - 16) * (255 / 219), 128 + (u - 128) * (255 / 224), 128 + (v - 128) * (255 / 224)
    return tuple(np.clip(np.round(plane), 0, 255).astype(np.uint8) for plane in (y, u, v))  # type: ignore[return-value]


def _wrong_matrix(planes: Planes) -> Planes:
    """What BT.601 samples look like when they are taken for BT.709 (both: ITU-R), brought back to BT.601."""
    u, v = planes[1].astype(np.float32) - 128, planes[2].astype(np.float32) - 128
    # R−Y = 2(1−Kr)·Cr, B−Y = 2(1−Kb)·Cb, with Kr, Kb of 601 (0.299, 0.114) and 709 (0.2126, 0.0722).
    red, blue = 2 * (1 - 0.2126) * v, 2 * (1 - 0.0722) * u
    green = -(0.2126 * red + 0.0722 * blue) / 0.7152
    luma = 0.299 * red + 0.587 * green + 0.114 * blue
    new_u, new_v = (blue - luma) / (2 * (1 - 0.114)), (red - luma) / (2 * (1 - 0.299))
    y = planes[0] + np.repeat(luma, 2, axis=1)[:, : planes[0].shape[1]] * (219 / 224)
    return tuple(np.clip(np.round(plane), 0, 255).astype(np.uint8) for plane in (y, new_u + 128, new_v + 128))  # type: ignore[return-value]


def _tear(planes: Planes, number: int) -> Planes:
    """Lines that do not meet: every line begins later than the one before, and the whole rolls."""

    def torn(plane: Samples) -> Samples:
        lines, columns = plane.shape
        rolled = np.roll(plane, _ROLL_LINES * number % lines, axis=0)
        starts = (np.arange(lines) * columns // 90)[:, None]
        return np.take_along_axis(rolled, (np.arange(columns)[None] + starts) % columns, axis=1)

    return _each(planes, torn)
