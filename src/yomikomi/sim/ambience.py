"""What scenes sound like: drums in the street, a murmuring crowd, water, fire; by sample number, seeded and seekable."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from yomikomi.sim.programme import Programme
from yomikomi.sim.sound import SAMPLE_RATE, ProgrammeSound, Sound, hiss, music, speech

_TAPS = 1025
_FADE = SAMPLE_RATE // 40  # where one sound follows another
# Bands of noise in Hz, with the level of each; what goes over them is a function of time, so that seconds join without a click.
_NOISES: dict[str, tuple[float, float, float]] = {
    "crowd": (220.0, 1500.0, 0.16),
    "drums": (250.0, 1300.0, 0.05),
    "water": (260.0, 3800.0, 0.11),
    "sea": (120.0, 5200.0, 0.2),
    "fire": (60.0, 900.0, 0.09),
}


class SceneSound(ProgrammeSound):
    """``kinds``: what sounds in each second of the programme, by the second's number."""

    def __init__(self, seed: int, kinds: tuple[str, ...], *, deep: bool = False) -> None:
        super().__init__(seed, deep=deep)
        self._kinds = kinds

    def kind_at(self, second: int) -> str:
        return self._kinds[second % len(self._kinds)]

    def second(self, number: int) -> Sound:
        wave = _second(self.seed, number, self.kind_at(number)).copy()
        ramp = np.sin(np.linspace(0, np.pi / 2, _FADE)) ** 2
        if number and self.kind_at(number - 1) != self.kind_at(number):
            wave[:_FADE] *= ramp
        if self.kind_at(number + 1) != self.kind_at(number):
            wave[-_FADE:] *= ramp[::-1]
        return wave + hiss(self.seed, number)


def sound_of(programme: Programme, seed: int) -> ProgrammeSound:
    """The sound of a programme: that of its scenes where it has one, repeated after an hour."""
    kinds = programme.sounds(3600)
    return SceneSound(seed, kinds) if kinds is not None else ProgrammeSound(seed)


@lru_cache(maxsize=24)
def _second(seed: int, number: int, kind: str) -> Sound:
    t = number + np.arange(SAMPLE_RATE) / SAMPLE_RATE
    if kind == "speech":
        return speech(seed, number, t) + _band(seed, number, *_NOISES["crowd"][:2]) * 0.03
    if kind == "music":
        return music(seed, number, t)
    low, high, level = _NOISES[kind]
    slow = 0.72 + 0.2 * np.sin(2 * np.pi * 0.31 * t + seed) + 0.08 * np.sin(2 * np.pi * 1.7 * t)
    wave = level * slow * _band(seed, number, low, high)
    if kind == "drums":
        wave += _drums(t)
    elif kind == "fire":
        wave += _crackle(seed, number)
    elif kind == "crowd":
        wave += 0.05 * slow * np.sin(2 * np.pi * (310 * t + 3 * np.sin(2 * np.pi * 0.7 * t)))  # somebody calls
    return np.asarray(wave, np.float64)


def _band(seed: int, number: int, low: float, high: float) -> Sound:
    """Noise of a band with a spread of 1. The second before is filtered with it, so that one goes over into the other."""
    from scipy.signal import fftconvolve, firwin  # takes longer to load than a second of most sources to make

    taps = firwin(_TAPS, [low, high], pass_zero=False, fs=SAMPLE_RATE)
    before = _white(seed, number - 1) if number else np.zeros(SAMPLE_RATE)
    joined = np.concatenate([before, _white(seed, number)])
    return np.asarray(fftconvolve(joined, taps)[SAMPLE_RATE : 2 * SAMPLE_RATE] / np.sqrt(np.sum(taps**2)))


def _white(seed: int, number: int) -> Sound:
    return np.random.default_rng([seed, 23, number]).standard_normal(SAMPLE_RATE)


def _drums(t: Sound) -> Sound:
    """A large drum on every beat and a small one between, at 112 beats a minute."""
    out = np.zeros_like(t)
    beat = 60 / 112
    for hz, gain, every, offset, fall in ((82.0, 0.5, beat, 0.0, 9.0), (196.0, 0.22, beat / 2, beat / 4, 22.0)):
        age = (t - offset) % every
        out += gain * np.exp(-fall * age) * np.sin(2 * np.pi * hz * age) * np.minimum(1, age * 900)
    return out


def _crackle(seed: int, number: int) -> Sound:
    rng = np.random.default_rng([seed, 24, number])
    out = np.zeros(SAMPLE_RATE)
    for _ in range(int(rng.integers(3, 11))):
        start, length = int(rng.integers(0, SAMPLE_RATE - 2400)), int(rng.integers(300, 2000))
        grain = rng.standard_normal(length) * np.exp(-np.arange(length) / (length / 6))
        out[start : start + length] += rng.uniform(0.06, 0.3) * grain
    return out
