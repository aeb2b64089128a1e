"""The input on the machine's own output: sample for sample while both run alike, and never in the way of what is recorded."""

from __future__ import annotations

import threading
import time
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.timing import wait_for
from yomikomi.core.capture import hearing, session
from yomikomi.core.capture.hearing import Hearing
from yomikomi.core.capture.session import CaptureRequest, capture
from yomikomi.core.video.sound_out import CHANNELS, RATE, Pull, Samples, SilentOut
from yomikomi.core.video.source import SoundBlock, SourceFormat
from yomikomi.core.video.standards import STANDARDS
from yomikomi.core.work import SilentReporter
from yomikomi.sim.player import TapePlayerSpec

STEREO = SourceFormat(STANDARDS["525i"], None, Fraction(10, 11), RATE, 2)


class SteppedOut:
    """Takes samples only when told to."""

    words, delay = "", 0.0

    def __init__(self) -> None:
        self.pull: Pull | None = None
        self.closed = threading.Event()

    def start(self, pull: Pull) -> None:
        self.pull = pull

    def stop(self) -> None:
        self.pull = None

    def close(self) -> None:
        self.closed.set()

    def take(self, count: int) -> Samples:
        assert self.pull is not None
        return self.pull(count)


def _on(source: SourceFormat) -> tuple[Hearing, SteppedOut]:
    out = SteppedOut()
    made = Hearing(source, lambda: out)
    made.turn(on=True)
    wait_for(lambda: made._out is out, 5, every=0.002)
    return made, out


def _blocks(wave: np.ndarray, size: int = 1601) -> list[SoundBlock]:
    return [SoundBlock(first, wave[first : first + size]) for first in range(0, len(wave), size)]


def test_what_comes_in_goes_out_to_the_sample() -> None:
    wave = np.random.default_rng(1).integers(-20_000, 20_000, (RATE, 2)).astype(np.int16)
    made, out = _on(STEREO)
    got = []
    for block in _blocks(wave):
        made.offer(block)
        got.append(out.take(1601).copy())
    got.append(out.take(RATE))
    found = np.concatenate(got)
    assert np.allclose(found, wave / 32768, atol=1e-6)
    assert made.dropped == 0
    made.turn(on=False)
    assert out.closed.wait(5)
    made.close()


def test_a_slow_output_drops_and_a_fast_one_collects_again() -> None:
    made, out = _on(STEREO)
    for block in _blocks(np.ones((2 * RATE, 2), np.int16)):
        made.offer(block)
    assert made.dropped > RATE
    assert len(out.take(2 * RATE)) <= 0.31 * RATE, "no more than a moment waits"
    made.offer(SoundBlock(0, np.ones((100, 2), np.int16)))
    assert len(out.take(50)) == 0, "it would crackle"
    for block in _blocks(np.ones((RATE // 10, 2), np.int16)):
        made.offer(block)
    assert len(out.take(50)) == 50
    made.close()


@pytest.mark.parametrize(("rate", "channels", "commentary"), [(44_100, 2, 0), (32_000, 1, 0), (RATE, 3, 1), (RATE, 6, 0)])
def test_other_rates_and_channels_are_heard_as_a_tone_of_the_same_pitch(rate: int, channels: int, commentary: int) -> None:
    tone = np.round(12_000 * np.sin(2 * np.pi * 1000 * np.arange(rate) / rate)).astype(np.int16)
    source = replace(STEREO, sound_rate=rate, sound_channels=channels, commentary_channels=commentary)
    made, out = _on(source)
    got = []
    for block in _blocks(np.repeat(tone[:, None], channels, axis=1), rate // 30):
        made.offer(block)
        got.append(out.take(RATE // 30).copy())
    found = np.concatenate(got)
    assert found.shape[1] == CHANNELS
    assert np.array_equal(found[:, 0], found[:, 1])
    middle = found[RATE // 4 : RATE // 4 + RATE // 2, 0]
    spectrum = np.abs(np.fft.rfft(middle * np.hanning(len(middle))))
    assert np.argmax(spectrum) * 2 == pytest.approx(1000, abs=2)
    assert np.sqrt(2 * np.mean(middle**2)) == pytest.approx(12_000 / 32_768, rel=0.01)
    made.close()


def test_without_sound_or_device_it_says_so() -> None:
    silent = Hearing(replace(STEREO, sound_channels=0), SteppedOut)
    silent.turn(on=True)
    assert silent.words == "The input has no sound."
    silent.close()

    class Gone(SteppedOut):
        def start(self, pull: Pull) -> None:
            raise OSError("unplugged")

    gone = Hearing(STEREO, Gone)
    gone.turn(on=True)
    wait_for(lambda: "unplugged" in gone.words, 5, every=0.002)
    gone.turn(on=False)
    assert gone.words == ""
    gone.close()


def test_a_device_that_hangs_holds_up_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """It neither opens nor closes for seconds: the take is whole, and ends at once."""
    opened, freed = threading.Event(), threading.Event()

    def hanging() -> SilentOut:
        opened.set()
        freed.wait(20)
        return SilentOut()

    monkeypatch.setattr(hearing, "_PATIENCE_S", 0.05)
    monkeypatch.setattr(session, "Hearing", lambda source: Hearing(source, hanging))
    spec = TapePlayerSpec(seed=3, seconds=1.0, real_time=False)
    began = time.monotonic()
    result = capture(CaptureRequest(spec, tmp_path / "a.mkv", hear=True, patient=True), SilentReporter())
    assert opened.is_set()
    assert result.frames == 30
    assert time.monotonic() - began < 15
    freed.set()
    wait_for(lambda: not any(one.name == "hearing" for one in threading.enumerate()), 5, every=0.002)
