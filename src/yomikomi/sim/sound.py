"""Mono programme sound: speech-like and music-like passages in turn, with tape hiss. Seeded and seekable."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

SAMPLE_RATE = 48_000
_PASSAGE_S = 6  # seconds of speech, then of music
_SCALE_HZ = (220.0, 246.9, 293.7, 329.6, 392.0, 440.0)  # a pentatonic scale
_HISS_DB = -58.0
_FORMANTS = ((650.0, 90.0, 1.0), (1150.0, 110.0, 0.5), (2500.0, 160.0, 0.22))

# shape=(samples,) at SAMPLE_RATE, full scale ±1; also times in seconds.
Sound = NDArray[np.float64]


class ProgrammeSound:
    """Sound by sample number: the same seed and number give the same sample. ``deep``: 24 bits, as int32."""

    def __init__(self, seed: int, *, deep: bool = False) -> None:
        self.seed, self.deep = seed, deep

    def kind_at(self, second: int) -> str:
        """Known truth: what kind of sound a second holds."""
        return "speech" if second // _PASSAGE_S % 2 == 0 else "music"

    def second(self, number: int) -> Sound:
        return _second(self.seed, number, self.kind_at(number))

    def samples(self, start: int, count: int) -> NDArray[Any]:
        """``count`` samples from sample ``start``; shape (count, 1), full scale ±32767, or ±2³¹ where deep."""
        return quantised(self.wave(start, count), deep=self.deep)[:, None]

    def wave(self, start: int, count: int) -> Sound:
        """The same before it is made numbers: full scale ±1."""
        out = np.empty(count, np.float64)
        done = 0
        while done < count:
            second, offset = divmod(start + done, SAMPLE_RATE)
            take = min(count - done, SAMPLE_RATE - offset)
            out[done : done + take] = self.second(second)[offset : offset + take]
            done += take
        return out


def quantised(wave: Sound, *, deep: bool) -> NDArray[Any]:
    """16 bits as int16, or 24 bits as the upper ones of an int32. The shape is kept."""
    if deep:
        return np.clip(np.round(wave * (2**23 - 1)), -(2**23), 2**23 - 1).astype(np.int32) << 8
    return np.clip(np.round(wave * 32767), -32768, 32767).astype(np.int16)


class FeedSound:
    """The sound of a camera or console: a stereo programme, a commentary beside it where there is one, all of them moved
    against the picture by ``lead_ms`` (positive: sooner)."""

    def __init__(self, seed: int, programme: int, *, commentary: bool = False, lead_ms: int = 0, deep: bool = False) -> None:
        self._deep = deep
        self.channels = programme + int(commentary)
        self._lead = round(lead_ms * SAMPLE_RATE / 1000)
        self._voices = [ProgrammeSound(seed), ProgrammeSound(seed + 1)][:programme]
        self._commentary = ProgrammeSound(seed + 2) if commentary else None

    def samples(self, start: int, count: int) -> NDArray[Any]:
        """Shape (count, channels). Before the beginning there is silence."""
        early = min(count, max(0, -(start + self._lead)))
        out = np.zeros((count, self.channels))
        at, rest = max(0, start + self._lead), count - early
        if len(self._voices) == 2:
            one, two = (voice.wave(at, rest) for voice in self._voices)
            out[early:, 0], out[early:, 1] = 0.7 * one + 0.2 * two, 0.2 * one + 0.7 * two
        elif self._voices:
            out[early:, 0] = self._voices[0].wave(at, rest)
        if self._commentary is not None:
            out[early:, -1] = self._commentary.wave(at, rest)
        return quantised(out, deep=self._deep)


@lru_cache(maxsize=12)
def _second(seed: int, second: int, kind: str) -> Sound:
    t = second + np.arange(SAMPLE_RATE) / SAMPLE_RATE
    voice = speech(seed, second, t) if kind == "speech" else music(seed, second, t)
    return voice + hiss(seed, second)


def hiss(seed: int, second: int) -> Sound:
    """The tape's own noise in one second."""
    return 10 ** (_HISS_DB / 20) * np.random.default_rng([seed, 22, second]).standard_normal(SAMPLE_RATE)


def speech(seed: int, second: int, t: Sound) -> Sound:
    """Harmonics of a gliding pitch under three resonances, in syllables of a quarter second with pauses."""
    rng = np.random.default_rng([seed, 20, second])
    cycles = 128 * t + 4 * np.sin(2 * np.pi * 0.9 * t)  # the glide's phase is a function of time: no clicks
    voice = np.zeros_like(t)
    for harmonic in range(1, 27):
        hz = 128.0 * harmonic
        strength = sum(gain / (1 + ((hz - centre) / width) ** 2) for centre, width, gain in _FORMANTS)
        voice += strength / harmonic**0.4 * np.sin(2 * np.pi * harmonic * cycles)
    loud = rng.uniform(0.3, 1.0, 4) * (rng.random(4) > 0.15)
    syllable = (t - second) * 4
    envelope = loud[np.minimum(syllable.astype(int), 3)] * np.sin(np.pi * (syllable % 1)) ** 2
    return 0.25 * envelope * voice


def music(seed: int, second: int, t: Sound) -> Sound:
    """Plucked notes every quarter second, each ringing on for a second and a half."""
    out = np.zeros_like(t)
    for step in range(second * 4 - 6, second * 4 + 4):
        if step < 0:
            continue
        hz = _SCALE_HZ[int(np.random.default_rng([seed, 21, step]).integers(len(_SCALE_HZ)))]
        age = t - step / 4
        ring = np.where(age >= 0, np.exp(-3.2 * np.maximum(age, 0)), 0.0) * np.minimum(1, np.maximum(age, 0) * 400)
        for harmonic, gain in ((1, 1.0), (2, 0.4), (3, 0.2)):
            out += 0.12 * gain * ring * np.sin(2 * np.pi * hz * harmonic * age)
    return out
