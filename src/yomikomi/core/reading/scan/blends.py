"""Fields that somebody blended into whole pictures: every picture shows two moments.

What moves by v from frame to frame stands twice in a blended picture, v/2 apart, whether the fields were averaged or mixed by a
vertical filter. An echo of equal strength puts ripples into the spectrum along the motion, and so a peak into the cepstrum at v/2;
motion blur puts a trough there. Blocks that move as a whole, in whatever direction, are looked at; the share of them with the peak
tells. Source of the cepstrum of an echo: Bogert, Healy and Tukey (1963) (from memory). Thresholds measured in docs/science.md.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from yomikomi.core.reading.sight import Field, Sight

_SIDE = 64  # lines and columns of a block
# Motion, samples a frame, at which the two images can be told apart and still lie in one block.
_LEAST_MOVE, _MOST_MOVE = 4.5, 40.0
# How far the motion within a block may stray: a part of it, and samples.
_STRAY_PART, _STRAY = 0.15, 0.3
# Blocks needed for a word; how much of an echo's ripple there must be for "blended", at most for "not", by so many standard errors.
_FEWEST, _SHARE, _NOT, _ERRORS = 16, 0.3, 0.15, 4.0
_OVERLAP = 4.0
# Of the power of noise at one frequency (exponentially distributed): its median, and the exponential of its mean logarithm.
_MEDIAN_OF_POWER, _MEAN_LOG_OF_POWER = 0.693, 0.561
# Power that rounding to whole code values leaves everywhere: a twelfth for each sample under the window.
_ROUNDING = np.float32(_SIDE * _SIDE * 0.375**2 / 12)
# Strength of the ripple that an echo would make, on the mean of all blocks, from which its presence or absence can be seen.
_LEAST_RIPPLE = 14.0
# The ripple of an echo reaches down to so much of its height, noise and coding filling it up.
_DEPTH = 0.05
_LEAST_DETAIL = 6.0
_MOST_BLOCKS_A_LOOK = 40
# A roll at whole lines a field looks alike however its fields were treated: how straight and whole it must be; share of such blocks.
_ROLL, _MOST_ROLLING = 0.25, 0.7
# Frequencies looked at, cycles a sample: below lies what every picture holds most of, above little but noise.
_LOWEST, _HIGHEST = 0.02, 0.36


# Of a block: how much of the ripple is there, what it weighs, and 1.0 where it rolls.
_Row = tuple[float, float, float]


@dataclass(frozen=True)
class BlendVerdict:
    """``blended``: None for "undetermined". ``share`` of ``blocks`` show two images; ``at_frame`` shows it best."""

    blended: bool | None
    share: float
    blocks: int
    at_frame: int | None


class BlendMeter:
    def __init__(self) -> None:
        self._flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
        self._looks: list[tuple[int, list[_Row]]] = []

    def look(self, before: Sight, now: Sight) -> None:
        one, two = before.codes, now.codes
        if one.shape != two.shape or min(one.shape) < 2 * _SIDE:
            return
        if one.shape[0] > 1.5 * 576:  # large pictures at half size: motion stays within reach
            one, two = (cv2.resize(x, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA) for x in (one, two))
        # Motion at half size is a quarter of the work and exact enough.
        half = [cv2.resize(x, (one.shape[1] // 2, one.shape[0] // 2), interpolation=cv2.INTER_AREA) for x in (one, two)]
        flow = 2 * cv2.resize(self._flow.calc(half[0], half[1], None), (one.shape[1], one.shape[0]), interpolation=cv2.INTER_LINEAR)
        found = _echoes(one.astype(np.float32), np.asarray(flow, np.float32))
        if found:
            self._looks.append((before.number, found))

    def verdict(self) -> BlendVerdict:
        rows = np.array([row for _, found in self._looks for row in found]).reshape(-1, 3)
        if len(rows) < _FEWEST or float(rows[:, 2].mean()) > _MOST_ROLLING:
            return BlendVerdict(None, 0.0, len(rows), None)
        weight = rows[:, 1] / rows[:, 1].sum()
        share = float(rows[:, 0] @ weight)
        # Blocks of one look overlap by half and err alike.
        error = float(np.sqrt(np.sum((weight * (rows[:, 0] - share)) ** 2) * _OVERLAP))
        clear = float(rows[:, 1].mean()) > _LEAST_RIPPLE
        if clear and share > _SHARE and share - _ERRORS * error > 0.5 * _SHARE:
            blended: bool | None = True
        else:
            blended = False if clear and share < _NOT and share + _ERRORS * error < _SHARE else None
        best = max(self._looks, key=lambda look: sum(part * weight for part, weight, _ in look[1]))[0]
        return BlendVerdict(blended, share, len(rows), best if blended else None)


def _echoes(picture: Field, flow: Field) -> list[_Row]:
    """Of blocks that move as a whole, evenly from the whole picture, see :func:`_echo`; and whether it rolls, straight up or down by
    whole lines a field.

    Parameters
    ----------
    picture : ndarray [shape=(lines, columns), float32, 8-bit code values]
    flow : ndarray [shape=(lines, columns, 2), float32, samples a frame: to the right, down]
    """
    found: list[tuple[Field, Field, float]] = []
    step, thin = _SIDE // 2, 4
    # Of every block the motion at one sample in sixteen, all of them at once: shape=(blocks down, blocks across, 2, samples).
    windows = sliding_window_view(flow[::thin, ::thin], (_SIDE // thin, _SIDE // thin), axis=(0, 1))[:: step // thin, :: step // thin]
    windows = windows[: (picture.shape[0] - _SIDE) // step + 1, : (picture.shape[1] - _SIDE) // step + 1]
    moves = windows.reshape(*windows.shape[:3], -1)
    middles = np.median(moves, axis=3)
    paces = np.hypot(middles[..., 0], middles[..., 1])
    strays = np.hypot(*np.moveaxis(moves - middles[..., None], 2, 0)) >= _STRAY_PART * paces[..., None] + _STRAY
    steady = (paces >= _LEAST_MOVE) & (paces <= _MOST_MOVE) & (strays.mean(axis=2) <= 0.3)
    for row, column in np.argwhere(steady):
        block, middle = picture[row * step :, column * step :][:_SIDE, :_SIDE], middles[row, column]
        along = np.diff(block, axis=int(abs(middle[0]) > abs(middle[1])))
        if float((along * along).mean()) > _LEAST_DETAIL:
            rolls = abs(middle[0]) < _ROLL and abs(middle[1] / 2 - round(middle[1] / 2)) < _ROLL
            found.append((block, middle, float(rolls)))
    some = found[:: max(1, -(-len(found) // _MOST_BLOCKS_A_LOOK))]
    return [(*_echo(block, middle), rolls) for block, middle, rolls in some]


def _echo(block: Field, move: Field) -> tuple[float, float]:
    """How much of the spectrum's ripple that two equal pictures half the motion apart would make is there, as (part, weight): the
    logarithm of the spectrum, what varies slowly taken off, held against that of such an echo, treated alike."""
    spectrum = np.fft.rfft2((block - block.mean()) * _WINDOW)
    power = spectrum.real**2 + spectrum.imag**2
    noise = float(np.median(power[_BEYOND])) / _MEDIAN_OF_POWER
    level = _TAPER * np.log(power[_USED] + _ROUNDING)
    slow = _TREND @ (_TREND.T @ level)
    # Where noise is as strong as the picture, the ripple is filled up, and its absence says nothing.
    picture = np.exp(slow / _TAPER) / _MEAN_LOG_OF_POWER
    depth = np.clip(noise / np.maximum(picture - noise, 0.02 * picture), _DEPTH, None)
    wave = np.cos(0.5 * np.pi * (_FREQUENCIES @ move[::-1])) ** 2
    ripple = _TAPER * np.log((wave + depth) / (1 + depth))
    ripple = ripple - _TREND @ (_TREND.T @ ripple)
    weight = float(ripple @ ripple)
    return float(level @ ripple) / max(weight, 1e-9), weight


def _grid() -> tuple[Field, Field, Field, Field, Field, Field]:
    """Window of a block; masks of its spectrum: what is used, and what holds little but noise; the used frequencies, down and across
    slowly over them, orthonormal; and the weight of each."""
    window = np.outer(np.hanning(_SIDE), np.hanning(_SIDE)).astype(np.float32)
    down, across = np.meshgrid(np.fft.fftfreq(_SIDE), np.fft.rfftfreq(_SIDE), indexing="ij")
    far = np.hypot(down, across)
    used = (far > _LOWEST) & (far < 0.95 * _HIGHEST)
    v, u, r = down[used], across[used], far[used]
    slow = np.stack([np.ones_like(r), r, r * r, r**3, u * v, u * u - v * v, (u * u - v * v) * r, u * v * r], axis=1)
    taper = np.cos(0.5 * np.pi * r / _HIGHEST)
    trend, _ = np.linalg.qr(taper[:, None] * slow)
    return window, used, far > 0.42, np.stack([v, u], axis=1), trend, taper


_WINDOW, _USED, _BEYOND, _FREQUENCIES, _TREND, _TAPER = _grid()
