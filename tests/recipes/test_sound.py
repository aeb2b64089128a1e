"""How much the sound of copies takes."""

from __future__ import annotations

import io
from fractions import Fraction

import av
import numpy as np
import pytest
from numpy.typing import NDArray

from yomikomi.core.recipes.sound import SOUND_CODECS, sound_span
from yomikomi.sim.sound import ProgrammeSound


@pytest.mark.parametrize("codec", ["aac", "opus", "flac"])
def test_sound_takes_what_is_told_of_it(codec: str) -> None:
    """Programmes, hiss, tones and silence that the shares were not measured on: nine of ten lie in the interval, and silence takes next to
    nothing where the codec lets it."""
    inside, wrong = 0, []
    rates = (96, 160, 256) if SOUND_CODECS[codec].lossless_share is None else (0,)
    sounds = _sounds()
    for name, (wave, silent) in sounds.items():
        for kbps in rates:
            took = _encoded_bits(codec, wave, kbps)
            expected, low, high = sound_span(codec, kbps, 2, silent=silent)
            inside += low <= took <= high
            if not low <= took <= high:
                wrong.append((name, kbps, round(took / expected, 2)))
    assert inside >= 0.85 * len(rates) * len(sounds), wrong


def _sounds() -> dict[str, tuple[NDArray[np.float32], float]]:
    """Three seconds of two channels each, and the part of it that is silent."""
    rng, t = np.random.default_rng(3), np.arange(3 * 48_000) / 48_000
    programme = ProgrammeSound(31)
    seconds = {kind: [n for n in range(60) if programme.kind_at(n) == kind][:3] for kind in ("speech", "music")}
    speech, music = (np.concatenate([np.asarray(programme.second(n), np.float32) for n in which]) for which in seconds.values())
    sweep = 0.2 * np.sin(2 * np.pi * (100 + 400 * t) * t)
    crowd = np.convolve(rng.standard_normal(len(t)), np.ones(12) / 12, "same") * (0.2 + 0.1 * np.sin(2 * np.pi * 0.7 * t))
    half = np.where(t < 1.5, sweep, 0.0)
    found = {"speech": (speech, 0.0), "music": (music, 0.0), "sweep": (sweep, 0.0), "crowd": (crowd, 0.0), "half": (half, 0.5)}
    pairs = {}
    for name, (wave, silent) in found.items():
        one = wave[:, 0] if wave.ndim == 2 else wave
        other = np.roll(one, 37) * 0.8  # two channels that are not alike
        pairs[name] = (np.stack([one, other]).astype(np.float32) / max(1.0, float(np.abs(wave).max())), silent)
    pairs["silence"] = (np.zeros((2, len(t)), np.float32), 1.0)
    return pairs


def _encoded_bits(codec: str, wave: NDArray[np.float32], kbps: int) -> float:
    """A second, on the mean."""
    row = SOUND_CODECS[codec]
    with av.open(io.BytesIO(), "w", format="matroska") as sink:
        stream = sink.add_stream(row.encoder, rate=48_000, layout="stereo")
        if row.lossless_share is None:
            stream.codec_context.bit_rate = 1000 * kbps
        resampler = av.AudioResampler(format=row.sample_format, layout="stereo", rate=48_000, frame_size=row.packet_samples)
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(wave), format="fltp", layout="stereo")
        frame.sample_rate, frame.pts, frame.time_base = 48_000, 0, Fraction(1, 48_000)
        total = sum(p.size for one in [*resampler.resample(frame), *resampler.resample(None)] for p in stream.encode(one))
        return 8 * (total + sum(p.size for p in stream.encode(None))) / (wave.shape[1] / 48_000)
