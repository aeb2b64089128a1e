"""Judging copies of one stretch: the detail they keep at each way of watching, and the noise."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.balance.detail import BLOCK, Blocks, Weights, seen_error, weights_at
from yomikomi.core.balance.viewing import VIEWINGS, Viewing, samples_as_seen
from yomikomi.core.reading.measures.noise import still_energy
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.planes import bits, luma

# Noise is measured against the picture so many frames before: where each field became a frame, that one has the same lines.
BEFORE = 2
# A difference of so many standard deviations of the noise at its frequency is hidden by it. Of 1, 2 and 3 the one that
# strayed least from what was lost of the clean picture (docs/science.md).
_DEVIATIONS = 2.0
# Code values, rms: more is not believed, it would be texture that moves.
_MOST_NOISE = 6.0
# The part of all blocks that changed least, from which the noise of each frequency is taken.
_STILL = 0.2
# Below this many code values, rms, noise is not told apart from rounding.
LEAST_NOISE = 0.7
# The part of blocks with the least detail, in which noise is held against noise.
_FLAT = 0.15
# A frequency whose power in those is noise to this part shows how much of it is kept.
_MOSTLY = 0.6


def to_plane(samples: NDArray[Any], bits: int) -> NDArray[np.float32]:
    """Luma samples of any depth as 8-bit code values with their fraction; shape=(lines, columns), float32, at least 8 × 8."""
    plane = samples.astype(np.float32) / 2.0 ** (bits - 8)
    lines, columns = (max(0, BLOCK - size) for size in plane.shape)
    return np.pad(plane, ((0, lines), (0, columns)), mode="edge") if lines or columns else plane


def plane_of(frame: av.VideoFrame) -> NDArray[np.float32]:
    """Luma of a frame; shape=(lines, columns), float32, 8-bit code values with their fraction, at least 8 × 8."""
    return to_plane(luma(frame), bits(frame))


def as_played(frame: av.VideoFrame, shape: Geometry) -> av.VideoFrame:
    """A copy's frame, enlarged as a player would where its recipe made it smaller."""
    if (frame.width, frame.height) == (shape.width, shape.height):
        return frame
    return frame.reformat(width=shape.width, height=shape.height, interpolation="BICUBIC")


@dataclass(frozen=True)
class Judged:
    """``seen``: mean square difference that is seen at each way of watching, squared 8-bit code values; ``noise_kept``: rms of the
    copy's noise over that of the source, None where the source has next to none."""

    seen: dict[Viewing, float]
    noise_kept: float | None


@dataclass(frozen=True)
class _View:
    size: tuple[int, int] | None  # columns, lines
    weights: Weights
    noise: NDArray[np.float32] | None

    def shown(self, plane: NDArray[np.float32]) -> NDArray[np.float32]:
        return plane if self.size is None else np.asarray(cv2.resize(plane, self.size, interpolation=cv2.INTER_AREA), np.float32)

    def blocks(self, plane: NDArray[np.float32]) -> Blocks:
        return Blocks.of(self.shown(plane))


class DetailJudge:
    """Holds copies of a few pictures against these.

    Parameters
    ----------
    samples : by its number, each picture and, where there is one, that ``BEFORE`` frames earlier; shape=(lines, columns),
        float32, luma in 8-bit code values.
    shape : of the pictures as they are stored.
    """

    def __init__(self, samples: dict[int, tuple[NDArray[np.float32], NDArray[np.float32] | None]], shape: Geometry) -> None:
        pairs = [(now, before) for now, before in samples.values() if before is not None]
        self.noise, calmest = _calmest(pairs)
        if self.noise < LEAST_NOISE:
            calmest = None
        understated = 1.0
        if calmest is not None:  # how much the calmest blocks understate the noise is known from the picture at its own size
            understated = self.noise**2 / max(float(_calm_spectrum(calmest).mean()), 1e-9)
        self._views = {viewing: _view(shape, viewing, calmest, understated) for viewing in VIEWINGS}
        self._sources = {number: {v: view.blocks(now) for v, view in self._views.items()} for number, (now, _) in samples.items()}
        self._flat: dict[int, _Flat] = {}
        near = self._views["desk"]
        if near.noise is not None:
            for number, sources in self._sources.items():
                flat = _Flat.of(sources["desk"], near.noise / _DEVIATIONS)
                if flat is not None:
                    self._flat[number] = flat

    @classmethod
    def of(cls, frames: Iterable[tuple[int, av.VideoFrame]], numbers: Collection[int], shape: Geometry) -> DetailJudge:
        """Of some of the numbered ``frames`` that go by; those that are missing are left out."""
        needed = {wanted for number in numbers for wanted in (number, number - BEFORE)}
        planes = {number: plane_of(frame) for number, frame in frames if number in needed}
        return cls({number: (planes[number], planes.get(number - BEFORE)) for number in numbers if number in planes}, shape)

    @property
    def numbers(self) -> frozenset[int]:
        return frozenset(self._sources)

    def judge(self, copies: dict[int, NDArray[np.float32]]) -> Judged | None:
        """Of pictures by their numbers, each shape=(lines, columns), float32, luma in 8-bit code values; None where there is none."""
        errors: dict[Viewing, list[float]] = {viewing: [] for viewing in VIEWINGS}
        kept: list[float] = []
        for number, plane in copies.items():
            shown = {viewing: view.blocks(plane) for viewing, view in self._views.items()}
            for viewing, view in self._views.items():
                errors[viewing].append(seen_error(self._sources[number][viewing], shown[viewing], view.weights, noise=view.noise))
            if number in self._flat:
                kept.append(self._flat[number].kept(shown["desk"]))
        if not copies:
            return None
        seen = {viewing: float(np.mean(values)) for viewing, values in errors.items()}
        return Judged(seen, float(np.mean(kept)) if kept else None)


def _calmest(pairs: Sequence[tuple[NDArray[np.float32], NDArray[np.float32]]]) -> tuple[float, NDArray[np.float32] | None]:
    """The least noise of all pairs, rms in code values, and the difference that shows it: motion only ever adds to it."""
    found: list[tuple[float, NDArray[np.float32]]] = []
    for now, before in pairs:
        change = now - before
        if not change.any():
            continue  # the same picture again says nothing of noise
        energies = [still_energy(before[first::2], now[first::2]) for first in (0, 1)]
        known = [one.energy for one in energies if one is not None]
        if known:
            found.append((min(_MOST_NOISE, float(np.sqrt(np.mean(known) / 2))), change))
    return min(found, key=lambda one: one[0]) if found else (0.0, None)


def _view(shape: Geometry, viewing: Viewing, change: NDArray[np.float32] | None, understated: float) -> _View:
    """``change``: between two pictures, None where noise is next to nothing; ``understated``: true noise power over that of its calmest
    blocks."""
    down, across = samples_as_seen(shape, viewing)
    small = (round(shape.width / max(1.0, across)), round(shape.height / max(1.0, down)))
    size = None if small == (shape.width, shape.height) else (max(BLOCK, small[0]), max(BLOCK, small[1]))
    weights = weights_at(down=min(1.0, down), across=min(1.0, across))
    view = _View(size, weights, None)
    if change is None:
        return view
    spectrum = understated * _calm_spectrum(view.shown(change))
    return replace(view, noise=np.asarray(_DEVIATIONS * np.sqrt(spectrum), np.float32))


def _calm_spectrum(change: NDArray[np.float32]) -> NDArray[np.float32]:
    """Mean square of each frequency over the blocks that changed least, shape=(64,), squared code values."""
    power = Blocks.of(change).waves ** 2
    total = power.mean(axis=1)
    calm = total <= np.quantile(total, _STILL)
    return np.asarray(power[calm].mean(axis=0), np.float32)


@dataclass(frozen=True)
class _Flat:
    """Where a picture shows its noise: ``where``: shape=(blocks,), the blocks that hold least besides; ``waves``: shape=(64,), the
    frequencies that are mostly noise in them; ``detail`` and ``noise``: mean squares of both there, squared code values."""

    where: NDArray[np.bool_]
    waves: NDArray[np.bool_]
    detail: float
    noise: float

    @classmethod
    def of(cls, source: Blocks, sigma: NDArray[np.float32]) -> _Flat | None:
        """``sigma``: the noise of each frequency, rms, shape=(64,). None where nothing is mostly noise."""
        noise = sigma**2
        detail = (np.maximum(np.abs(source.waves[:, 1:]) - _DEVIATIONS * sigma[1:], 0) ** 2).sum(axis=1)
        where = detail <= np.quantile(detail, _FLAT)
        power = (source.waves[where] ** 2).mean(axis=0)
        waves = noise >= _MOSTLY * power
        waves[: 2 * BLOCK] = False  # blocks and bands of compression lie in the low ones
        if waves.sum() < BLOCK:
            return None
        found = min(float(noise[waves].mean()), float(power[waves].mean()))
        return cls(where, waves, float(power[waves].mean()) - found, max(1e-3, found))

    def kept(self, copy: Blocks) -> float:
        """How much of the noise a copy has, rms; 1 is all."""
        power = float((copy.waves[self.where][:, self.waves] ** 2).mean())
        return float(np.sqrt(max(0.0, power - self.detail) / self.noise))
