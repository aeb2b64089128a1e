"""What a composite cable and a tape do to colour: chroma that comes late, dot crawl, cross-colour."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.measures.samples import median_of
from yomikomi.core.reading.models import Measured
from yomikomi.core.reading.sight import Sight

# Subcarriers at 13.5 MHz sampling, cycles a sample: 3.579545 MHz (SMPTE ST 170) and 4.43361875 MHz (ITU-R BT.1700).
_SUBCARRIER = {480: 3.579545 / 13.5, 486: 3.579545 / 13.5, 576: 4.43361875 / 13.5}
_LAGS = np.arange(-16, 17)
_STILL = 12.0  # codes squared: blocks that change less than this from frame to frame stand still
_STANDS_OUT = 0.25


class CompositeMeter:
    def __init__(self) -> None:
        self._delays: list[float] = []
        self._crawl: list[NDArray[np.float64]] = []
        self._cross: list[float] = []
        self._lines = 0

    def look(self, before: Sight, now: Sight) -> None:
        if now.chroma is None or before.chroma is None or before.codes.shape != now.codes.shape or now.codes.shape[0] < 200:
            return
        self._lines = now.codes.shape[0]
        delay = chroma_delay(now.codes, now.chroma)
        if delay is not None:
            self._delays.append(delay)
        if self._lines in _SUBCARRIER:
            crawl = _still_spectrum(before.codes, now.codes)
            if crawl is not None:
                self._crawl.append(crawl)
            cross = _cross_colour(before, now)
            if cross is not None:
                self._cross.append(cross)

    def result(self) -> tuple[Measured | None, float | None, float | None]:
        """Chroma delay; dot crawl in dB over its surroundings; cross-colour in codes."""
        crawl = None
        if len(self._crawl) >= 3:
            crawl = _peak_db(np.mean(self._crawl, axis=0), _SUBCARRIER[self._lines])
        cross = round(float(np.median(self._cross)), 2) if len(self._cross) >= 3 else None
        return median_of(self._delays, "samples"), crawl, cross


def chroma_delay(luma: NDArray[np.uint8], chroma: tuple[NDArray[np.float32], NDArray[np.float32]]) -> float | None:
    """How many luma samples chroma edges come after luma edges; None where too few edges belong together.

    The strengths of the edges of luma, brought to the bandwidth of chroma, and of chroma are correlated; the peak is placed
    between samples by a parabola.

    ``luma``: shape=(lines, columns), codes; ``chroma``: Cb and Cr, shape=(lines, columns / 2 or columns), codes.
    """
    # Every fourth line of the chroma is plenty; the luma line it belongs to goes with it.
    chroma = (chroma[0][::4], chroma[1][::4])
    step = max(1, round(luma.shape[0] / chroma[0].shape[0]))
    # Wide enough that the narrow band of taped chroma and luma make edges of the same width.
    width = 25
    lines = min(chroma[0].shape[0], -(-luma.shape[0] // step))
    y = cv2.GaussianBlur(luma[::step][:lines].astype(np.float32), (width, 1), width / 5)
    wide = [cv2.resize(plane[:lines], (luma.shape[1], lines), interpolation=cv2.INTER_LINEAR) for plane in chroma]
    rows = slice(y.shape[0] // 10, y.shape[0] - y.shape[0] // 10)
    luma_edges = np.abs(np.diff(y[rows], axis=1))
    soft = [cv2.GaussianBlur(plane, (width, 1), width / 8) for plane in wide]
    chroma_edges = np.hypot(*(np.diff(plane[rows], axis=1) for plane in soft))
    # Samples of subsampled chroma lie with the first of each pair; enlarging puts them between: a quarter of a chroma sample.
    offset = 0.5 * (luma.shape[1] / chroma[0].shape[1] - 1)
    luma_edges, chroma_edges = luma_edges - luma_edges.mean(axis=1, keepdims=True), chroma_edges - chroma_edges.mean(axis=1, keepdims=True)
    used = (luma_edges.std(axis=1) > 0.4) & (chroma_edges.std(axis=1) > 0.25)
    if np.count_nonzero(used) < 12:
        return None
    a, b = luma_edges[used], chroma_edges[used]
    edge = int(_LAGS[-1])
    core = a[:, edge:-edge]
    scores = np.array([float(np.mean(core * b[:, edge + lag : b.shape[1] - edge + lag])) for lag in _LAGS])
    scores /= float(a.std() * b.std()) or 1.0
    at = int(scores.argmax())
    if not 0 < at < len(_LAGS) - 1 or scores[at] < _STANDS_OUT:
        return None
    left, top, right = scores[at - 1 : at + 2]
    bend = left - 2 * top + right
    return float(_LAGS[at] + (0.5 * (left - right) / bend if bend else 0.0) - offset)


def _still_spectrum(before: NDArray[np.uint8], now: NDArray[np.uint8]) -> NDArray[np.float64] | None:
    """Mean power, by cycles a sample, of what changes from frame to frame in lines that stand still: the subcarrier turns
    its phase from frame to frame, noise is broad."""
    change = now[::2].astype(np.float32) - before[::2].astype(np.float32)
    pieces = change[:, : change.shape[1] // 128 * 128].reshape(-1, 128)
    energy = (pieces * pieces).mean(axis=1)
    still = pieces[energy < max(_STILL, 1.5 * float(np.quantile(energy, 0.1)))]
    if len(still) < 200:
        return None
    return np.asarray((np.abs(np.fft.rfft(still[:2000] * np.hanning(128), axis=1)) ** 2).mean(axis=0))


def _peak_db(power: NDArray[np.float64], place: float) -> float:
    at = round(place * 128)
    tooth = float(power[at - 1 : at + 2].max())
    beside = float(np.median(np.concatenate([power[at - 9 : at - 3], power[at + 4 : at + 10]])))
    return round(float(10 * np.log10(max(tooth, 1e-9) / max(beside, 1e-9))), 1)


def _cross_colour(before: Sight, now: Sight) -> float | None:
    """How much stronger chroma alternates from frame to frame where luma has fine upright detail than where it is plain."""
    assert now.chroma is not None
    assert before.chroma is not None
    cb_change = np.abs(now.chroma[0] - before.chroma[0])[::2]
    luma = cv2.resize(now.codes, (cb_change.shape[1] * 2, cb_change.shape[0]), interpolation=cv2.INTER_AREA).astype(np.float32)
    fine = np.abs(luma[:, 1:-1:2] - 0.5 * (luma[:, 0:-2:2] + luma[:, 2::2]))
    width = fine.shape[1]
    change = cb_change[:, :width]
    moved = cv2.resize(cv2.absdiff(now.codes, before.codes), (width, change.shape[0]), interpolation=cv2.INTER_AREA)
    still = cv2.blur(moved, (9, 9)) < _STILL
    detailed, plain = still & (fine > 12), still & (fine < 3)
    if np.count_nonzero(detailed) < 200 or np.count_nonzero(plain) < 200:
        return None
    return float(max(0.0, change[detailed].mean() - change[plain].mean()))
