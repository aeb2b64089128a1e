"""Where a separately recorded sound belongs: against the take's own sound, along the whole length.

First coarse, by how the loudness changes (200 values a second, all of both at once); then windows of some seconds along the common
length, each by the cross-correlation of whitened samples around what was found; at last a line through the windows (Theil and Sen),
whose slope is the drift of the two clocks. Our own composition of well-known parts.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.errors import UnreadableError
from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.joined import JoinedSound
from yomikomi.core.video.identity import content_hash
from yomikomi.core.video.media import heard_streams, open_sound
from yomikomi.core.video.packets import frames_of
from yomikomi.core.work import Reporter

# shape=(samples,).
Wave = NDArray[np.float32]

_RATE, _COARSE = 8000, 200
_WINDOW_S, _WINDOWS, _LEAST_WINDOWS = 4.0, 24, 4
# Around the coarse place, seconds; and how far windows may lie from their line, to count for it.
_SEARCH_S, _NEAR_S = 0.4, 0.004
# A window tells something where its best place is so much better than any other (of 400 windows of unlike sounds 1 in 100 is); so many of
# all windows have to lie on the line.
_CLEAR, _SURE_PART = 1.35, 0.6
_LONGEST_S = 6 * 3600


@dataclass(frozen=True)
class Alignment:
    """``joined``: None where the sounds do not belong together; ``near``: windows that lie on the line, of ``windows``; ``worst_ms``: the
    farthest of those from it."""

    joined: JoinedSound | None
    windows: int
    near: int
    worst_ms: float

    @property
    def words(self) -> str:
        if self.joined is None:
            return f"The sound does not match that of the take: {self.near} of {self.windows} places agree."
        return f"{self.joined.words}; {self.near} of {self.windows} places agree within {self.worst_ms:.1f} ms."


def align_sound(path: Path, reading: Reading, other: Path, reporter: Reporter) -> Alignment:
    """Raises UnreadableError (no sound in one of them), CancelledError."""
    take, _ = _wave(path, reporter, first=Fraction(reading.first_seconds))
    sound, channels = _wave(other, reporter)
    lag = _coarse(take, sound)
    places, lags = _windows(take, sound, lag, reporter)
    if len(places) < _LEAST_WINDOWS:
        return Alignment(None, len(places), 0, 0.0)
    slope, begin = _line(places, lags)
    off = np.abs(lags - begin - slope * places)
    near = off < _NEAR_S
    if near.sum() < max(_LEAST_WINDOWS, _SURE_PART * len(places)):
        return Alignment(None, len(places), int(near.sum()), 0.0)
    # A moment t of the take sounds at t − lag(t) of the file: solved for t, the file is longer by 1 / (1 − slope).
    longer, later = 1 / (1 - slope), begin / (1 - slope)
    joined = JoinedSound(
        file=str(other.absolute()), content=content_hash(other, reporter.check), later_ms=round(1000 * later, 3),
        longer_ppm=round(1e6 * (longer - 1), 2), channels=channels,
    )  # fmt: skip
    return Alignment(joined, len(places), int(near.sum()), float(1000 * off[near].max()))


def _wave(path: Path, reporter: Reporter, *, first: Fraction = Fraction(0)) -> tuple[Wave, int]:
    """All of the first sound, mono at 8 kHz, from the first picture on; and how many channels it has."""
    with open_sound(path) as container:
        streams = heard_streams(container)
        if not streams:
            raise UnreadableError(f"{path.name} has no sound.", remedy="Give the file that holds it.", path=path)
        channels = streams[0].codec_context.channels
        resampler = av.AudioResampler(format="flt", layout="mono", rate=_RATE)
        parts: list[Wave] = []
        start: Fraction | None = None
        for block in frames_of(container, streams[0], path):
            reporter.check()
            if start is None:
                start = (block.pts or 0) * Fraction(block.time_base or Fraction(1, block.sample_rate)) - first
            block.pts = None
            parts += [np.asarray(made.to_ndarray(), np.float32).reshape(-1) for made in resampler.resample(block)]
            if len(parts) > _LONGEST_S * 50:
                break
    if not parts or start is None:
        raise UnreadableError(f"No sound of {path.name} can be decoded.", remedy="Copy it again.", path=path)
    whole = np.concatenate(parts)
    skip = round(start * _RATE)
    return (whole[-skip:] if skip < 0 else np.concatenate([np.zeros(skip, np.float32), whole])), channels


def _loudness(wave: Wave) -> NDArray[np.float64]:
    """ndarray [shape=(values,)]: how the level changes, 200 values a second."""
    each = _RATE // _COARSE
    cells = wave[: len(wave) // each * each].reshape(-1, each).astype(np.float64)
    level = np.log10(np.sqrt((cells**2).mean(axis=1)) + 1e-4)
    change = np.diff(level, prepend=level[:1])
    return np.clip(change, 0, None) - np.clip(change, 0, None).mean()


def _coarse(take: Wave, sound: Wave) -> float:
    """Seconds by which the file's beginning comes after the take's."""
    one, two = _loudness(take), _loudness(sound)
    size = 1 << (len(one) + len(two)).bit_length()
    found = np.fft.irfft(np.fft.rfft(one, size) * np.conj(np.fft.rfft(two, size)), size)
    best = int(np.argmax(found))
    return (best if best < len(one) else best - size) / _COARSE


def _windows(take: Wave, sound: Wave, lag: float, reporter: Reporter) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Middles of windows of the take that tell something, seconds, and the lag in each."""
    begin, end = max(0.0, lag), min(len(take) / _RATE, lag + len(sound) / _RATE)
    span = min(_WINDOW_S, (end - begin) / _LEAST_WINDOWS)
    if span < 0.3:
        return np.zeros(0), np.zeros(0)
    places: list[float] = []
    lags: list[float] = []
    # The drift is followed: each window searches around what the one before found.
    for at in np.linspace(begin, end - span, _WINDOWS):
        reporter.check()
        guess = lag if not lags else lags[-1]
        found = _lag_at(take, sound, float(at), span, guess)
        if found is not None:
            places.append(at + span / 2)
            lags.append(found)
    return np.array(places), np.array(lags)


def _lag_at(take: Wave, sound: Wave, at: float, span: float, guess: float) -> float | None:
    """In one window; None where no place is clearly the best."""
    first, count, reach = round(at * _RATE), round(span * _RATE), round(_SEARCH_S * _RATE)
    piece = take[first : first + count]
    begin = first - round(guess * _RATE) - reach
    around = np.zeros(count + 2 * reach, np.float32)
    low, high = max(0, begin), min(len(sound), begin + len(around))
    if high - low < count or np.abs(piece).max(initial=0) < 1e-4:
        return None
    around[low - begin : high - begin] = sound[low:high]
    size = 1 << (len(around) + count).bit_length()
    cross = np.fft.rfft(around, size) * np.conj(np.fft.rfft(piece, size))
    whitened = np.fft.irfft(cross / np.maximum(np.abs(cross), 1e-9) * (np.abs(cross) > 1e-6 * np.abs(cross).max()), size)[: 2 * reach + 1]
    best = int(np.argmax(whitened))
    others = whitened.copy()
    others[max(0, best - 16) : best + 17] = 0
    if not 0 < best < 2 * reach or whitened[best] < _CLEAR * others.max():
        return None
    left, middle, right = whitened[best - 1 : best + 2]
    fine = 0.5 * (left - right) / (left - 2 * middle + right)
    return float((first - begin - best - fine) / _RATE)


def _line(places: NDArray[np.float64], lags: NDArray[np.float64]) -> tuple[float, float]:
    """Slope and lag at 0: medians of all pairs, so that single windows that went wrong do not count (Theil 1950, Sen 1968)."""
    one, two = np.triu_indices(len(places), 1)
    slope = float(np.median((lags[two] - lags[one]) / (places[two] - places[one])))
    return slope, float(np.median(lags - slope * places))
