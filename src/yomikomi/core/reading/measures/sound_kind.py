"""Whether a sound is speech alone, or has music in it: from pauses and from tones that stay where they are.

Speech pauses several times a second, and its tones glide; music fills its pauses and holds its tones. What is neither one nor the other
clearly (a crowd, water, speech in a loud room) is not told.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

SoundKind = Literal["speech", "music"]

# Everything is judged at this rate: neither pauses nor the tones that count need more. Stretches are judged one by one.
_RATE = 8000
_STRETCH = 10 * _RATE
_WINDOW, _HOP = 512, 128
# Taps of the filter before samples are left out.
_TAPS = 48
# Tones are looked for here, hertz; so many decibels above what lies around them, in so many bins to either side.
_LOW_HZ, _HIGH_HZ, _ABOVE_DB, _AROUND = 400, 3500, 8.0, 8
# Hops in a row (a fifth of a second and more) that make a tone one that stays.
_STAYS = 14
# A moment is a pause with less than this part of the power of the second around it.
_PAUSE = 0.1
# Parts of the time that are pauses, and of the tones that stay, from which on a stretch is speech, or music. Between them it is neither.
# (Chosen on two speakers and two games' music, held against others; docs/science.md.)
_SPEECH_PAUSES, _SPEECH_TONES = 0.18, 0.012
_MUSIC_PAUSES, _MUSIC_TONES = 0.14, 0.02
# A stretch with less than this, rms, says nothing. (−60 dB below full scale.)
_SILENT = 1e-3
# Of the stretches that sound: so many have to be speech, and none music; or so many music. And so many have to be there.
_MOSTLY_SPEECH, _SOME_MUSIC, _FEWEST = 0.8, 0.2, 2


@dataclass(frozen=True)
class Stretch:
    """``pauses``: part of the time, 0…1; ``tones``: part of what stands out of the spectrum that stays where it is, 0…1."""

    pauses: float
    tones: float

    @property
    def kind(self) -> SoundKind | None:
        if self.pauses >= _SPEECH_PAUSES and self.tones <= _SPEECH_TONES:
            return "speech"
        return "music" if self.pauses <= _MUSIC_PAUSES and self.tones >= _MUSIC_TONES else None


class SoundKindMeter:
    """Fed with one channel, block by block. ``rate``: hertz."""

    def __init__(self, rate: int) -> None:
        self._step = max(1, round(rate / _RATE))
        self._taps = np.hamming(_TAPS) * np.sinc((np.arange(_TAPS) - (_TAPS - 1) / 2) / self._step)
        self._taps = (self._taps / self._taps.sum()).astype(np.float32)
        self._waiting = np.zeros(0, np.float32)
        self._kept: list[NDArray[np.float32]] = []
        self._count = 0
        self.stretches: list[Stretch] = []

    def feed(self, wave: NDArray[np.float32]) -> None:
        """``wave`` : ndarray [shape=(samples,), float32, full scale ±1]."""
        made = self._thinned(wave)
        self._kept.append(made)
        self._count += len(made)
        while self._count >= _STRETCH:
            whole = np.concatenate(self._kept)
            stretch, rest = whole[:_STRETCH], whole[_STRETCH:]
            self._kept, self._count = [rest], len(rest)
            if float(np.sqrt((stretch * stretch).mean())) >= _SILENT:
                self.stretches.append(judge(stretch))

    def _thinned(self, wave: NDArray[np.float32]) -> NDArray[np.float32]:
        """At about :data:`_RATE`, as far as there is enough of it; shape=(samples,)."""
        if self._step == 1:
            return wave
        waiting = np.concatenate([self._waiting, wave])
        if len(waiting) < _TAPS:
            self._waiting = waiting
            return waiting[:0]
        made = np.asarray(sliding_window_view(waiting, _TAPS)[:: self._step] @ self._taps, np.float32)
        self._waiting = waiting[len(made) * self._step :]
        return made

    @property
    def kind(self) -> SoundKind | None:
        """Of all that was heard; None where it is neither, or too little was."""
        kinds = [one.kind for one in self.stretches]
        if len(kinds) < _FEWEST:
            return None
        if kinds.count("music") >= max(1, _SOME_MUSIC * len(kinds)):
            return "music"
        return "speech" if "music" not in kinds and kinds.count("speech") >= _MOSTLY_SPEECH * len(kinds) else None


def judge(wave: NDArray[np.float32]) -> Stretch:
    """``wave`` : ndarray [shape=(samples,), float32, at 8000 Hz], a second at least."""
    parts = sliding_window_view(wave, _WINDOW)[::_HOP]
    power = np.square(np.abs(np.fft.rfft(parts * np.hanning(_WINDOW).astype(np.float32), axis=1)), dtype=np.float32)
    energy = np.square(parts).mean(axis=1)
    second = min(len(energy), _RATE // _HOP)
    around = np.convolve(energy, np.full(second, 1 / second), "same")
    return Stretch(float((energy < _PAUSE * around).mean()), _staying(power, energy))


def _staying(power: NDArray[np.float32], energy: NDArray[np.float32]) -> float:
    """The part of the tones that stay. ``power`` : shape=(moments, bins); ``energy`` : shape=(moments,), of the moments."""
    first, last = (round(hertz * _WINDOW / _RATE) for hertz in (_LOW_HZ, _HIGH_HZ))
    level = 10 * np.log10(power[:, first - _AROUND : last + _AROUND] + 1e-10)
    middle = np.median(sliding_window_view(level, 2 * _AROUND + 1, axis=1), axis=2)
    inner = level[:, _AROUND:-_AROUND]
    peak = (inner >= level[:, _AROUND - 1 : -_AROUND - 1]) & (inner >= level[:, _AROUND + 1 : -_AROUND + 1])
    peak &= inner > middle + _ABOVE_DB
    peak &= (energy > 0.05 * np.median(energy[energy >= np.median(energy)]))[:, None]
    # Where as many moments in a row hold a tone, each of them belongs to one that stays.
    begins = np.asarray(sliding_window_view(peak, _STAYS, axis=0).all(axis=2))
    stays = np.zeros_like(peak)
    for later in range(_STAYS):
        stays[later : later + begins.shape[0]] |= begins
    weight = np.where(peak, np.sqrt(power[:, first:last]), 0)
    total = float(weight.sum())
    return float(weight[stays].sum()) / total if total > 0 else 0.0
