"""A separately recorded sound: aligned against the take's own, its drift taken out, and in the copy where it belongs all along."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
import pytest
from numpy.typing import NDArray

from tests.making import programme_frames
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.copying.rendering import RenderRequest, render
from yomikomi.core.errors import UnfinishedError, UnreadableError
from yomikomi.core.playing.sources import TreatedSource, continuous
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.aligning import align_sound
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import CutOut, Part
from yomikomi.core.work import SilentReporter

RATE, SECONDS = 48_000, 40
Wave = NDArray[np.float64]
QUICK = recipe_for("h264", 30, speed="ultrafast")


def room(seconds: float, seed: int = 3) -> Wave:
    """Something like speech and knocks in a room: bursts of coloured noise and tones of changing length, with pauses."""
    chance = np.random.default_rng(seed)
    wave = np.zeros(round(seconds * RATE))
    at = 0.3
    while at < seconds - 0.8:
        lasts = chance.uniform(0.05, 0.5)
        t = np.arange(round(lasts * RATE)) / RATE
        tone = np.sin(2 * np.pi * chance.uniform(120, 900) * t) + 0.5 * chance.normal(0, 1, len(t))
        first = round(at * RATE)
        wave[first : first + len(t)] += 0.2 * tone * np.hanning(len(t))
        at += lasts + chance.uniform(0.05, 0.7)
    return wave


def heard(room: Wave, *, begins: float, seconds: float, ppm: float = 0.0, noise: float = 0.002, low: bool = False, seed: int = 1) -> Wave:
    """What a microphone records from second ``begins`` on, by a clock that runs ``ppm`` fast."""
    count = round(seconds * RATE)
    times = begins + np.arange(count) / RATE / (1 + ppm / 1e6)
    wave = np.interp(times * RATE, np.arange(len(room)), room, left=0, right=0)
    if low:  # a camera's own microphone: dull, with an echo
        wave = np.convolve(wave, np.hanning(9) / np.hanning(9).sum(), "same") + 0.3 * np.roll(wave, 2100)
    return wave + np.random.default_rng(seed).normal(0, noise, count)


def write_sound(path: Path, wave: Wave, pictures: bool) -> Path:
    with av.open(str(path), "w") as sink:
        sound = sink.add_stream("pcm_s16le", rate=RATE, layout="mono")
        if pictures:
            video = sink.add_stream("libx264", rate=10, options={"preset": "ultrafast", "crf": "30"})
            video.width, video.height, video.pix_fmt = 96, 64, "yuv420p"
            for picture in programme_frames(20, width=96, height=64) * (round(len(wave) / RATE * 10) // 20):
                frame = av.VideoFrame(96, 64, "yuv420p")
                for number, plane in enumerate(frame.planes):
                    np.frombuffer(plane, np.uint8).reshape(plane.height, -1)[:, : plane.width] = picture if number == 0 else 128
                sink.mux(video.encode(frame))
            sink.mux(video.encode(None))
        for first in range(0, len(wave), 4800):
            piece = np.round(wave[first : first + 4800].clip(-1, 1) * 32767).astype(np.int16).reshape(1, -1)
            block = av.AudioFrame.from_ndarray(piece, format="s16", layout="mono")
            block.sample_rate, block.pts = RATE, first
            sink.mux(sound.encode(block))
        sink.mux(sound.encode(None))
    return path


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Reading]:
    folder = tmp_path_factory.mktemp("joined")
    path = write_sound(folder / "take.mkv", heard(room(SECONDS + 20), begins=8, seconds=SECONDS, low=True), pictures=True)
    return path, read(ReadRequest(path, complexity=False), SilentReporter())


@pytest.mark.parametrize(("begins", "seconds", "ppm"), [(3.25, 52, 0.0), (3.0, 50, 120.0), (12.4, 20, -300.0), (8.0, 40, 500.0)])
def test_where_it_belongs_is_found_within_a_millisecond(
    tmp_path: Path, take: tuple[Path, Reading], begins: float, seconds: float, ppm: float
) -> None:
    """Began before the take or after it, longer or shorter, with a clock that is off: recovered at both ends."""
    wave = heard(room(SECONDS + 20), begins=begins, seconds=seconds, ppm=ppm, seed=2)
    other = write_sound(tmp_path / "field recorder.wav", wave, pictures=False)
    found = align_sound(*take, other, SilentReporter())
    assert found.joined is not None, found
    joined = found.joined
    assert found.near >= 0.6 * found.windows
    for at in (0.0, seconds):  # a second of the file, where it lies in the take: by what was found, and in truth
        lies = joined.later_ms / 1000 + at * (1 + joined.longer_ppm / 1e6)
        assert lies == pytest.approx(begins + at / (1 + ppm / 1e6) - 8, abs=0.001)


def test_a_sound_of_another_room_is_refused(tmp_path: Path, take: tuple[Path, Reading]) -> None:
    for number, wave in enumerate((heard(room(60, seed=77), begins=0, seconds=40), np.zeros(20 * RATE), np.full(RATE // 10, 0.1))):
        found = align_sound(*take, write_sound(tmp_path / f"{number}.wav", wave, pictures=False), SilentReporter())
        assert found.joined is None
        assert "does not match" in found.words
    (tmp_path / "text.wav").write_text("no sound")
    with pytest.raises(UnreadableError):
        align_sound(*take, tmp_path / "text.wav", SilentReporter())


def lag(one: NDArray[np.float64], two: NDArray[np.float64]) -> float:
    """Seconds between them, by correlation."""
    size = 2**18
    lag = int(np.argmax(np.fft.irfft(np.fft.rfft(one, size) * np.conj(np.fft.rfft(two, size)))))
    return min(lag, size - lag) / RATE


@pytest.mark.parametrize(("cut", "instead"), [(False, True), (True, False)])
def test_in_the_copy_it_stands_where_it_belongs_all_along(tmp_path: Path, take: tuple[Path, Reading], cut: bool, instead: bool) -> None:
    path, reading = take
    space = room(SECONDS + 20)
    other = write_sound(tmp_path / "o.wav", heard(space, begins=3.0, seconds=50, ppm=250.0, seed=2), pictures=False)
    found = align_sound(path, reading, other, SilentReporter())
    assert found.joined is not None
    steps = (CutOut(parts=(Part(start=10, end=15),)),) if cut else ()
    treatment = Treatment(steps=steps, joined=(found.joined.model_copy(update={"instead": instead}),))
    target = tmp_path / f"{instead}.mp4"
    made = make_copy(CopyRequest(path, target, reading, treatment, QUICK), SilentReporter())
    assert made.verified, made.checks
    with av.open(str(target)) as container:
        assert len(container.streams.audio) == (1 if instead else 2)
        last = container.streams.audio[-1]
        sound = np.concatenate([block.to_ndarray()[0] for block in container.decode(last)])
    true = heard(space, begins=8, seconds=SECONDS, noise=0)
    true = np.concatenate([true[: 10 * RATE], true[15 * RATE :]]) if cut else true
    assert len(sound) / RATE == pytest.approx(len(true) / RATE, abs=0.1)
    render(RenderRequest(path, tmp_path / f"{instead}.mkv", reading, treatment), SilentReporter())
    with av.open(str(tmp_path / f"{instead}.mkv")) as container:
        assert len(container.streams.audio) == (1 if instead else 2)
        exact = np.concatenate([block.to_ndarray()[0] / 32768 for block in container.decode(container.streams.audio[-1])])
    source = TreatedSource(path, reading, treatment)
    assert source.sounds == (1 if instead else 2)
    played = np.concatenate(list(continuous(source.sound(source.sounds - 1, 20, lambda: None), 20 * RATE, 24 * RATE)))[:, 0]
    assert lag(played, true[20 * RATE : 24 * RATE]) < 0.001
    for at in np.linspace(0, len(true) / RATE - 3, 9):
        some = slice(round(at * RATE), round((at + 2) * RATE))
        assert lag(sound[some], true[some]) < 0.0015, at
        assert lag(exact[some], true[some]) < 0.001, at
    other.write_bytes(other.read_bytes() + b"\0\0")
    with pytest.raises(UnfinishedError, match="changed since it was aligned"):
        make_copy(CopyRequest(path, tmp_path / "n.mp4", reading, treatment, QUICK), SilentReporter())
    other.unlink()
    with pytest.raises(UnreadableError, match="There is no file"):
        make_copy(CopyRequest(path, tmp_path / "n.mp4", reading, treatment, QUICK), SilentReporter())
    assert not (tmp_path / "n.mp4").exists()
