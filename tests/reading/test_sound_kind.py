"""Speech alone, music, or neither for sure: on voices, notes and noises that the measurement was not made on."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

import numpy as np
import pytest
from numpy.typing import NDArray

from yomikomi.core.balance.serving import Footage
from yomikomi.core.reading.measures.sound_kind import SoundKindMeter, judge
from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.model import Treatment
from yomikomi.sim import ambience, sound

Wave = NDArray[np.float32]
RNG = np.random.default_rng(4)


def _heard(wave: Wave, *, rate: int = 48_000, block: int = 1024) -> SoundKindMeter:
    meter = SoundKindMeter(rate)
    for begin in range(0, len(wave), block):
        meter.feed(wave[begin : begin + block])
    return meter


@cache
def _seconds(count: int, kind: str) -> Wave:
    return np.concatenate([np.asarray(sound._second(3, number, kind), np.float32) for number in range(count)])


@pytest.mark.parametrize("kind", ["speech", "music"])
@pytest.mark.parametrize(("rate", "block"), [(48_000, 1024), (44_100, 1152), (16_000, 37)])
def test_voices_and_notes_are_told_apart_at_any_rate_and_in_any_blocks(kind: str, rate: int, block: int) -> None:
    wave = _seconds(24, kind)
    places = np.arange(0, len(wave) - 1, 48_000 / rate)
    resampled = np.interp(places, np.arange(len(wave)), wave).astype(np.float32)
    assert _heard(resampled, rate=rate, block=block).kind == kind


def test_blocks_change_nothing() -> None:
    wave = _seconds(22, "speech")
    one, two = _heard(wave, block=1000).stretches, _heard(wave, block=48_000).stretches
    assert [a.pauses for a in one] == pytest.approx([b.pauses for b in two])
    assert [a.tones for a in one] == pytest.approx([b.tones for b in two])


def test_what_is_neither_is_not_told() -> None:
    voice, notes = _seconds(24, "speech"), _seconds(24, "music")
    assert _heard(voice + notes).kind != "speech", "over music a voice is not alone"
    assert _heard(np.concatenate([voice, notes])).kind == "music", "half of it is music"
    for noise in ("crowd", "water", "drums"):
        heard = np.concatenate([np.asarray(ambience._second(3, number, noise), np.float32) for number in range(24)])
        assert _heard(heard).kind is None, noise
    assert _heard(np.zeros(24 * 48_000, np.float32)).kind is None
    assert _heard(RNG.normal(0, 0.1, 24 * 48_000).astype(np.float32)).kind is None
    assert _heard(voice[: 15 * 48_000]).kind is None, "too little of it"
    whole = judge(RNG.normal(0, 0.1, 8000).astype(np.float32))
    assert 0 <= whole.pauses <= 1
    assert 0 <= whole.tones <= 1


@pytest.mark.parametrize(("holds", "kbps"), [(("speech",), 96), (("speech", "music"), 256), (("speech", None), 160), ((None,), 160)])
def test_sound_is_given_what_it_holds(short_reading: Reading, holds: tuple[str | None, ...], kbps: int) -> None:
    own = short_reading.sound[0]
    streams = [own.model_copy(update={"index": number, "holds": kind}) for number, kind in enumerate(holds)]
    footage = Footage(short_reading.model_copy(update={"sound": streams}), Treatment())
    assert footage.sound_kbps == kbps
    assert replace(footage, reading=short_reading).sound_kbps == 160
