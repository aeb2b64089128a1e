"""What is heard: each fault of sound is found in its amount; sync wherever events allow."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from numpy.typing import NDArray

from tests.capture.making import record
from tests.making import sliding_frames, write_clip
from yomikomi.core.capture.flashes import Flash
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.sync import Clap, SyncEvents, SyncRequest, judge_events, measure_sync
from yomikomi.core.reading.measures.heard import HeardMeter
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.work import SilentReporter
from yomikomi.sim.synctest import SyncTestSpec

RATE = 48_000
Wave = NDArray[np.float64]


def programme(seconds: float = 16.0, seed: int = 1) -> Wave:
    """Something like speech: coloured noise that comes and goes."""
    rng = np.random.default_rng(seed)
    t = np.arange(round(seconds * RATE)) / RATE
    noise = np.convolve(rng.normal(0, 1, len(t)), np.hanning(12), mode="same")
    loud = np.clip(np.sin(2 * np.pi * 0.7 * t) + 0.3 * np.sin(2 * np.pi * 3.1 * t), 0, None)
    return np.asarray(0.12 * noise / noise.std() * loud + 0.0008 * rng.normal(0, 1, len(t)))


def heard(*channels: Wave, true_peak: bool = False) -> dict[str, Any]:
    meter = HeardMeter(RATE, len(channels), true_peak=true_peak)
    samples = np.stack(channels).astype(np.float32)
    for start in range(0, samples.shape[1], 1024):
        piece = np.ascontiguousarray(samples[:, start : start + 1024])
        block = av.AudioFrame.from_ndarray(piece, format="fltp", layout="mono" if len(channels) == 1 else "stereo")
        block.sample_rate, block.pts, block.time_base = RATE, start, Fraction(1, RATE)
        meter.feed(block)
    return meter.findings()


def _hum(length: int, hz: float, level: float) -> Wave:
    t = np.arange(length) / RATE
    return np.asarray(level * (np.sin(2 * np.pi * hz * t) + 0.6 * np.sin(4 * np.pi * hz * t + 1) + 0.4 * np.sin(6 * np.pi * hz * t + 2)))


def test_how_channels_stand_to_each_other() -> None:
    left, right = programme(4, seed=1), programme(4, seed=2)
    assert heard(left, right)["relation"] == "stereo"
    assert heard(left, left)["relation"] == "identical"
    assert heard(left, 0.8 * left)["relation"] == "stereo"
    assert heard(left, -0.9 * left)["relation"] == "out of phase"
    one = heard(left, 0.0 * right)
    assert (one["relation"], one["empty_channels"]) == ("one side", [1])
    assert heard(left)["relation"] == "mono"
    assert heard(0 * left, 0 * right)["relation"] == "stereo"  # silence says nothing of them


@pytest.mark.parametrize("mains", [50.0, 60.0])
def test_hum_by_frequency_and_level(mains: float) -> None:
    wave = programme(20)
    level = 0.01
    found = heard(wave + _hum(len(wave), mains, level))
    assert found["hum_hz"] == mains
    # Power of the three sines.
    assert found["hum_db"] == pytest.approx(10 * np.log10(level**2 * (1 + 0.36 + 0.16) / 2), abs=1.5)
    assert found["speed"] is None
    assert heard(wave)["hum_hz"] is None


def test_a_wrong_speed_by_its_hum() -> None:
    wave = programme(24)
    found = heard(wave + _hum(len(wave), 50 * 1.04, 0.01))
    assert found["speed"] == pytest.approx(1.04, abs=0.004)


def test_clipping_offset_and_floor() -> None:
    wave = programme(6)
    hot = np.clip(8 * wave, -1, 1)
    runs = np.diff(np.concatenate([[0], (np.abs(hot) >= 0.9995).astype(int), [0]]))
    lengths = np.flatnonzero(runs == -1) - np.flatnonzero(runs == 1)
    # Blocks of 1024 samples cut a run in two now and then.
    assert heard(hot)["clipped"] == pytest.approx(int(np.sum(lengths >= 3)), rel=0.05)
    assert heard(wave)["clipped"] == 0
    assert heard(wave + 0.02)["dc"] == pytest.approx(0.02, abs=0.001)
    # Noise of 0.0008: −62 dB.
    assert heard(wave)["noise_floor_db"] == pytest.approx(-62, abs=2)


def test_louder_is_louder() -> None:
    wave = programme(8)
    quiet, loud = heard(wave, wave), heard(2 * wave, 2 * wave)
    assert loud["loudness"] - quiet["loudness"] == pytest.approx(6.02, abs=0.1)


@pytest.mark.parametrize(("kind", "offset", "progressive"), [("synctest", 120.0, False), ("clap", -80.0, True)])
def test_sync_is_told_with_an_interval_that_holds_it(tmp_path: Path, kind: str, offset: float, progressive: bool) -> None:
    path = tmp_path / "sync.mkv"
    spec = SyncTestSpec(kind=kind, offset_ms=offset, seconds=6, progressive=progressive)  # type: ignore[arg-type]
    record(spec, path, RecordAs(codec="uncompressed"))  # quick, and nothing is lost
    reading: Reading = read(ReadRequest(path, complexity=False), SilentReporter())
    assert reading.sync is not None
    assert reading.sync.low is not None
    assert reading.sync.high is not None
    assert reading.sync.low <= offset <= reading.sync.high
    assert reading.sync.high - reading.sync.low < 60
    assert reading.sync.events >= 3


def _lamp(path: Path, *, offset: float, part: float, lasts: float) -> None:
    """A lamp that lights a disc of a moving picture, and a beep with it; whole pictures at 50, exposed for all of their time."""
    pictures = sliding_frames(300, width=192, height=144, speed=1.2)
    rows, columns = np.mgrid[:144, :192]
    disc = (rows - 66) ** 2 + (columns - 90) ** 2 < part * 192 * 144 / np.pi
    moments = [0.6 + 1.0373 * number for number in range(5)]
    wave = 0.001 * np.random.default_rng(1).standard_normal(6 * RATE)
    shown = []
    for number, picture in enumerate(pictures):
        begin = number / 50
        lit = 50 * sum(max(0.0, min(begin + 0.02, at + lasts) - max(begin, at)) for at in moments)
        shown.append(np.clip(0.5 * picture + 100 * lit * disc, 0, 255).astype(np.uint8))
    for at in moments:
        first, t = round((at + offset / 1000) * RATE), np.arange(2400) / RATE
        wave[first : first + 2400] += 0.5 * np.sin(2 * np.pi * 1000 * t)
    with av.open(str(path), "w") as sink:
        video = sink.add_stream("ffv1", rate=50)
        video.width, video.height, video.pix_fmt = 320, 240, "gray"
        sound = sink.add_stream("pcm_s16le", rate=RATE, layout="mono")
        for number, picture in enumerate(shown):
            frame = av.VideoFrame.from_ndarray(picture, format="gray")
            frame.pts, frame.time_base = number, Fraction(1, 50)
            sink.mux(video.encode(frame))
            samples = (wave[None, 960 * number : 960 * (number + 1)] * 32767).astype(np.int16)
            block = av.AudioFrame.from_ndarray(samples, format="s16", layout="mono")
            block.sample_rate, block.pts, block.time_base = RATE, 960 * number, Fraction(1, RATE)
            sink.mux(sound.encode(block))
        sink.mux(video.encode(None))
        sink.mux(sound.encode(None))


@pytest.mark.parametrize(("part", "lasts", "offset"), [(0.03, 0.07, 90.0), (0.8, 0.2, -140.0)])
def test_a_light_in_a_moving_picture_is_no_clap(tmp_path: Path, part: float, lasts: float, offset: float) -> None:
    """A lamp, a telephone, a slate's light: 18 of 24 were taken for claps, 64 to 83 ms wrong with a stated error of nought."""
    _lamp(tmp_path / "lamp.mkv", offset=offset, part=part, lasts=lasts)
    found = measure_sync(SyncRequest(tmp_path / "lamp.mkv"), SilentReporter())
    assert found.kind == "flash"
    assert found.offset_ms == pytest.approx(offset, abs=2.0)
    assert found.bound_ms is not None
    assert abs(found.offset_ms - offset) <= found.bound_ms < 25


def test_flashes_and_claps_that_contradict_each_other_are_refused() -> None:
    sounds = tuple(1.0 + number for number in range(6))
    lights = tuple(Flash(at - 0.1, 2, 2) for at in sounds)
    hands = tuple(Clap(at - 0.45, 0.1) for at in sounds)
    assert judge_events(SyncEvents(lights, (), sounds, 0.02)).kind == "flash"
    assert judge_events(SyncEvents((), hands, sounds, 0.02)).kind == "clap"
    both = judge_events(SyncEvents(lights, hands, sounds, 0.02))
    assert both.offset_ms is None
    assert "contradict" in both.reason
    dim = judge_events(SyncEvents((), tuple(Clap(at - 0.1, 0.95) for at in sounds), sounds, 0.02))
    assert dim.offset_ms is None
    assert "light" in dim.reason


def test_without_events_nothing_is_claimed(tmp_path: Path) -> None:
    path = write_clip(tmp_path / "tone.mkv", sliding_frames(60, width=320, height=240), rate=25, sound_seconds=2.4)
    sync = read(ReadRequest(path, complexity=False), SilentReporter()).sync
    assert sync is not None
    assert sync.offset_ms is None
    assert sync.reason
