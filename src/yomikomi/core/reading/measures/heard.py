"""What a sound stream is like: loudness, clipping, channels, hum, offset, noise floor, speed. Fed block by block."""

from __future__ import annotations

from typing import Any, Literal

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.loudness import LAYOUTS, LoudnessMeter
from yomikomi.core.capture.runs import runs_where
from yomikomi.core.reading.measures.sound_kind import SoundKindMeter
from yomikomi.core.reading.sound import SoundMeter, decibels, to_float

# shape=(channels, samples) or (samples,), full scale ±1.
Wave = NDArray[np.float32]

_CLIP_LEVEL, _CLIP_RUN = 0.9995, 3
_MOST_CLIPS = 50
# A channel this far under the loudest carries nothing; a difference this far under the sum is none.
_EMPTY_DB, _SAME_DB = -50.0, -50.0
_OUT_OF_PHASE = -0.8
# Hum: harmonics that stand so far above what lies beside them, and the lowest level that counts.
_HUM_ABOVE_DB, _HUM_LEAST_DB = 12.0, -70.0
# Of many stretches the median strays less, and fainter hum can be told.
_MANY, _HUM_ABOVE_MANY_DB = 12, 8.0
# … and above the strongest line within 5 Hz (power).
_RIVAL = 2.5
_MAINS = (50.0, 60.0)
_SEARCH = 0.06  # part of the mains frequency by which a wrong speed may move its hum
# Mains keep their frequency far better than this (EN 50160: within 1 % for 99.5 % of a year; from memory).
_SPEED_SURE = 0.012
_SPECTRUM_S = 4
_FLOOR_PART = 0.05
_SILENT_DB = -90.0


class HeardMeter:
    """One stream. ``meter`` holds its levels block by block."""

    def __init__(self, rate: int, channels: int, *, true_peak: bool = True) -> None:
        self.meter = SoundMeter(rate)
        self._rate, self._channels = rate, channels
        self._loudness: LoudnessMeter | None = None
        self._true_peak = true_peak
        self._sum = np.zeros(max(1, channels))
        self._cross = np.zeros((max(1, channels), max(1, channels)))
        self._samples = 0
        self.clipped = 0
        self.clipped_at: list[float] = []
        self._spectrum = _Spectrum(rate)
        self._kind = SoundKindMeter(rate)

    def feed(self, frame: av.AudioFrame) -> Wave:
        """Returns the samples, shape (channels, samples), full scale 1."""
        self.meter.feed(frame)
        wave = to_float(frame)
        if not wave.size or wave.shape[0] != len(self._sum):
            return wave
        wide = wave.astype(np.float64)
        self._sum += wide.sum(axis=1)
        self._cross += wide @ wide.T
        self._samples += wave.shape[1]
        if float(np.abs(wave).max()) >= _CLIP_LEVEL:
            self._clip(wave, frame)
        mixed = wave.mean(axis=0)
        self._spectrum.feed(mixed)
        self._kind.feed(mixed)
        self._loud(wave, frame.layout.name)
        return wave

    def _clip(self, wave: Wave, frame: av.AudioFrame) -> None:
        full = np.abs(wave) >= _CLIP_LEVEL
        for channel in full:
            runs = [first for first, end in runs_where(channel) if end - first >= _CLIP_RUN]
            count = len(runs)
            self.clipped += count
            if count and len(self.clipped_at) < _MOST_CLIPS and frame.time is not None:
                self.clipped_at.append(round(float(frame.time) + runs[0] / self._rate, 3))

    def _loud(self, wave: Wave, layout: str) -> None:
        """Of all channels, each by its place; of more than eight without one, the first eight."""
        named = "channels" not in layout
        count = wave.shape[0] if named else min(wave.shape[0], max(LAYOUTS))
        if self._loudness is None:
            self._loudness = LoudnessMeter(self._rate, layout if named else count, true_peak=self._true_peak, exact=True)
        self._loudness.push(wave[:count].T)

    def findings(self) -> dict[str, Any]:
        """The fields of a :class:`~yomikomi.core.reading.models.Sound` that this meter adds."""
        if not self._samples:
            return {}
        now = self._loudness.now if self._loudness else None
        relation, empty = self._relation()
        hum_hz, hum_db, speed = self._spectrum.hum()
        return {
            "loudness": _told(now.integrated) if now else None,
            "loudness_range": round(now.range_lu, 2) if now else None,
            "true_peak": _told(now.true_peak) if now and self._true_peak else None,
            "clipped": self.clipped, "clipped_at": self.clipped_at, "relation": relation, "empty_channels": empty,
            "hum_hz": hum_hz, "hum_db": hum_db, "speed": speed,
            "dc": round(float(np.abs(self._sum / self._samples).max()), 5),
            "noise_floor_db": self._floor(), "holds": self._kind.kind,
        }  # fmt: skip

    def _floor(self) -> float | None:
        energies = np.array([energy for _, _, _, energy in self.meter.levels if decibels(float(np.sqrt(energy))) > _SILENT_DB])
        return round(decibels(float(np.sqrt(np.quantile(energies, _FLOOR_PART)))), 1) if len(energies) >= 20 else None

    def _relation(self) -> tuple[Literal["mono", "stereo", "identical", "one side", "out of phase", "several"], list[int]]:
        power = np.diag(self._cross) / self._samples
        levels = [decibels(float(np.sqrt(one))) for one in power]
        loudest = max(levels)
        empty = [number for number, level in enumerate(levels) if level < min(loudest + _EMPTY_DB, -50.0) or level <= -100.0]
        if self._channels == 1:
            return "mono", []
        if self._channels > 2:
            return "several", empty
        if len(empty) == 1:
            return "one side", empty
        left, right, both = self._cross[0, 0], self._cross[1, 1], self._cross[0, 1]
        total = left + right
        if total <= 0:
            return "stereo", empty
        if 10 * np.log10(max(total - 2 * both, total * 1e-12) / total) < _SAME_DB:
            return "identical", empty
        return ("out of phase" if both / np.sqrt(left * right) < _OUT_OF_PHASE else "stereo"), empty


def _told(value: float) -> float | None:
    return None if value <= -70.0 else round(value, 2)


class _Spectrum:
    """Mean power in the band of mains hum, in steps of a quarter of a hertz, of the quieter stretches."""

    def __init__(self, rate: int) -> None:
        self._step = max(1, rate // 2000)  # hum and four harmonics lie below 350 Hz
        self._rate = rate / self._step
        self._length = int(_SPECTRUM_S * self._rate)
        self._left = np.zeros(0, np.float32)
        self._waiting = np.zeros(0, np.float32)
        self._powers: list[NDArray[np.float32]] = []
        self._loud: list[float] = []

    def feed(self, wave: Wave) -> None:
        whole = np.concatenate([self._left, wave])
        used = len(whole) // self._step * self._step
        self._left = whole[used:]
        # A mean over the step keeps most of what lies above from folding down.
        self._waiting = np.concatenate([self._waiting, whole[:used].reshape(-1, self._step).mean(axis=1)])
        while len(self._waiting) >= self._length:
            piece, self._waiting = self._waiting[: self._length], self._waiting[self._length :]
            power = np.abs(np.fft.rfft(piece * np.hanning(self._length))) ** 2 / (self._length**2 * 3 / 16)
            self._powers.append(power[: int(360 * _SPECTRUM_S)].astype(np.float32))
            self._loud.append(float(np.mean(piece * piece)))
            if len(self._powers) > 400:  # keep the quieter half: hum shows between words
                keep = np.argsort(self._loud)[:200]
                self._powers, self._loud = [self._powers[at] for at in keep], [self._loud[at] for at in keep]

    def hum(self) -> tuple[float | None, float | None, float | None]:
        """Mains frequency or None, level of hum in dBFS, and the speed against the mains where it is not right."""
        if not self._powers:
            return None, None, None
        quiet = np.argsort(self._loud)[: max(1, len(self._loud) // 2)]
        power = np.median(np.stack([self._powers[at] for at in quiet]), axis=0)
        best: tuple[float, float, float] | None = None
        for mains in _MAINS:
            for place in np.arange(mains * (1 - _SEARCH), mains * (1 + _SEARCH), 0.5 / _SPECTRUM_S):
                level = _comb_level(power, float(place), _HUM_ABOVE_MANY_DB if len(quiet) >= _MANY else _HUM_ABOVE_DB)
                if level is not None and (best is None or level > best[0]):
                    best = (level, mains, float(place))
        if best is None:
            return None, None, None
        level, mains, place = best
        db = round(10 * float(np.log10(level)), 1)
        if db < _HUM_LEAST_DB:
            return None, None, None
        speed = _refined(power, place) / mains
        return mains, db, (round(speed, 4) if abs(speed - 1) > _SPEED_SURE else None)


def _comb_level(power: NDArray[np.float32], base: float, above_db: float) -> float | None:
    """Power of a tone with harmonics at ``base``, where at least two of the first four stand out; else None."""
    total, strong = 0.0, 0
    for harmonic in range(1, 5):
        at = round(base * harmonic * _SPECTRUM_S)
        if at + 24 >= len(power):
            break
        tooth = float(power[at - 1 : at + 2].sum())
        around = np.concatenate([power[at - 20 : at - 6], power[at + 7 : at + 21]])
        # A rhythm has a line at every multiple of its beat: hum stands above all that lies within 5 Hz, not only above the usual.
        rival = float(np.convolve(around, np.ones(3), "valid").max())
        if tooth > max(float(np.median(around)) * 3 * 10 ** (above_db / 10), rival * _RIVAL):
            strong += 1
            total += tooth
    return total if strong >= 2 else None


def _refined(power: NDArray[np.float32], base: float) -> float:
    """The base frequency by the centre of the strongest harmonic's peak."""
    places = [round(base * harmonic * _SPECTRUM_S) for harmonic in range(1, 5)]
    harmonic = int(np.argmax([power[at] for at in places]))
    at = places[harmonic]
    window = power[at - 2 : at + 3].astype(float)
    return float((np.arange(at - 2, at + 3) * window).sum() / window.sum() / _SPECTRUM_S / (harmonic + 1))
