"""Fields that somebody blended into whole pictures: every picture shows two moments.

What moves by v from frame to frame stands twice in a blended picture, v/2 apart. An echo of equal strength puts ripples into
the spectrum along the motion, and so a peak into the cepstrum at v/2; motion blur puts a trough there. Blocks that move
sideways as a whole are looked at; the share of them with the peak tells. Source of the cepstrum of an echo: Bogert, Healy and
Tukey (1963) (from memory). Thresholds measured in docs/science.md.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from yomikomi.core.reading.sight import Field, Sight

_LINES, _COLUMNS = 32, 96
# Motion, samples a frame, at which the two images can be told apart and still lie in one block.
_LEAST_MOVE, _MOST_MOVE = 5.0, 40.0
_PLACES = np.array([0.25, 0.3, 0.35, 0.45, 0.5, 0.55, 0.65, 0.7, 0.75])
_PEAK = 0.4
# Blocks needed for a word, and the share of them with a peak from which it is "blended" and up to which it is "not".
_FEWEST, _SHARE, _NOT = 16, 0.4, 0.25
_LEAST_DETAIL = 6.0
_MOST_BLOCKS_A_LOOK = 40


@dataclass(frozen=True)
class BlendVerdict:
    """``blended``: None for "cannot tell". ``share`` of ``blocks`` show two images; ``at_frame`` shows it best."""

    blended: bool | None
    share: float
    blocks: int
    at_frame: int | None


class BlendMeter:
    def __init__(self) -> None:
        self._flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
        self._peaks: list[float] = []
        self._best: tuple[float, int] | None = None

    def look(self, before: Sight, now: Sight) -> None:
        one, two = before.codes, now.codes
        if one.shape != two.shape or one.shape[0] < 2 * _LINES or one.shape[1] < 2 * _COLUMNS:
            return
        if one.shape[0] > 1.5 * 576:  # large pictures at half size: motion stays within reach
            one, two = (cv2.resize(x, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA) for x in (one, two))
        # Motion at half size is a quarter of the work and exact enough.
        half = [cv2.resize(x, (one.shape[1] // 2, one.shape[0] // 2), interpolation=cv2.INTER_AREA) for x in (one, two)]
        flow = 2 * cv2.resize(self._flow.calc(half[0], half[1], None), (one.shape[1], one.shape[0]), interpolation=cv2.INTER_LINEAR)
        peaks = _peaks(one.astype(np.float32), np.asarray(flow, np.float32))
        self._peaks += peaks
        if peaks:
            strength = float(np.mean(np.asarray(peaks) > _PEAK)) * len(peaks)
            if self._best is None or strength > self._best[0]:
                self._best = (strength, before.number)

    def verdict(self) -> BlendVerdict:
        share = float(np.mean(np.asarray(self._peaks) > _PEAK)) if self._peaks else 0.0
        count = len(self._peaks)
        if count < _FEWEST:
            return BlendVerdict(None, share, count, None)
        blended = True if share >= _SHARE else False if share <= _NOT else None
        return BlendVerdict(blended, share, count, self._best[1] if self._best and blended else None)


def _peaks(picture: Field, flow: Field) -> list[float]:
    """Height of the cepstrum at half the motion over its surroundings, of each block that moves sideways as a whole."""
    found: list[float] = []
    gradient = np.diff(picture, axis=1)
    window = np.hanning(_COLUMNS).astype(np.float32)
    for y in range(0, picture.shape[0] - _LINES + 1, _LINES):
        for x in range(0, gradient.shape[1] - _COLUMNS + 1, _COLUMNS // 2):
            move = flow[y : y + _LINES, x : x + _COLUMNS]
            sideways, up = float(np.median(move[..., 0])), float(np.median(move[..., 1]))
            pace = abs(sideways)
            if not _LEAST_MOVE <= pace <= _MOST_MOVE or abs(up) > 0.15 * pace:
                continue
            if np.mean(np.abs(move[..., 0] - sideways) < 0.15 * pace) < 0.7:
                continue
            block = gradient[y : y + _LINES, x : x + _COLUMNS]
            if float((block * block).mean()) > _LEAST_DETAIL:
                found.append(_cepstral_peak(block * window, pace))
            if len(found) >= _MOST_BLOCKS_A_LOOK:
                return found
    return found


def _cepstral_peak(block: Field, pace: float) -> float:
    power = (np.abs(np.fft.rfft(block, 2 * _COLUMNS, axis=1)) ** 2).mean(axis=0)
    # The top of the band holds little but noise.
    used = int(0.7 * len(power))
    place, unit = np.arange(used), np.linspace(-1, 1, used)
    level = np.log(power[:used] + 1e-3 * power.max())
    level = level - np.polyval(np.polyfit(unit, level, 3), unit)
    weight = np.hanning(used)
    waves = np.cos(2 * np.pi * np.outer(pace * _PLACES, place) / (2 * _COLUMNS))
    ripple = 2 * (waves * (level * weight)).sum(axis=1) / weight.sum()
    return float(ripple[3:6].max() - 0.5 * (ripple[:3].max() + ripple[6:].max()))
