"""What happens to the sound: moved to the sample, channels where they belong, loudness reached, hum gone, and a copy that knows."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pyloudnorm
import pytest
from numpy.typing import NDArray

from tests.making import sliding_frames
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.copying.rendering import RenderRequest, render
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.reading.sentences import findings
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.advice import advise, suggested
from yomikomi.core.treatment.audio_steps import Channels, Gain, Hum, Move, Offset
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.work import SilentReporter

RATE, SECONDS = 48_000, 4
Wave = NDArray[np.float64]


def _file(path: Path, left: Wave, right: Wave) -> tuple[Path, Reading]:
    """Moving pictures and a stereo sound of 16 bits."""
    with av.open(str(path), "w") as sink:
        video = sink.add_stream("ffv1", rate=25)
        video.width, video.height, video.pix_fmt = 96, 64, "yuv420p"
        sound = sink.add_stream("pcm_s16le", rate=RATE, layout="stereo")
        for picture in sliding_frames(25 * SECONDS, width=96, height=64):
            frame = av.VideoFrame(96, 64, "yuv420p")
            for number, plane in enumerate(frame.planes):
                view = np.frombuffer(plane, np.uint8).reshape(plane.height, -1)
                view[:, : plane.width] = picture if number == 0 else 128
            sink.mux(video.encode(frame))
        sink.mux(video.encode(None))
        samples = np.stack([left, right], axis=1)
        block = av.AudioFrame.from_ndarray(np.round(samples * 32767).astype(np.int16).reshape(1, -1), format="s16", layout="stereo")
        block.sample_rate = RATE
        sink.mux(sound.encode(block))
        sink.mux(sound.encode(None))
    return path, read(ReadRequest(path, complexity=False), SilentReporter())


def _noise(seed: int = 1, level: float = 0.1) -> Wave:
    return np.random.default_rng(seed).normal(0, level, RATE * SECONDS).clip(-0.9, 0.9)


def _rendered(path: Path, reading: Reading, treatment: Treatment, span: tuple[Fraction, Fraction] | None = None) -> Wave:
    """Shape (samples, 2), full scale 1."""
    target = path.with_name(f"{abs(hash(treatment.model_dump_json()))}-{span is None}.mkv")
    render(RenderRequest(path, target, reading, treatment, span), SilentReporter())
    with av.open(str(target)) as container:
        blocks = [(round(block.pts * block.time_base * RATE), block.to_ndarray().reshape(-1, 2)) for block in container.decode(audio=0)]
    out = np.zeros((blocks[-1][0] + len(blocks[-1][1]), 2))
    for place, samples in blocks:
        out[place : place + len(samples)] = samples / 32768
    return out


def test_what_is_left_alone_comes_back_to_the_bit_and_what_is_moved_moves_to_the_sample(tmp_path: Path) -> None:
    left, right = _noise(1), _noise(2)
    path, reading = _file(tmp_path / "a.mkv", left, right)
    same = _rendered(path, reading, Treatment())
    assert np.array_equal(same, np.round(np.stack([left, right], 1) * 32767) / 32768)
    later = _rendered(path, reading, Treatment(sound=(Move(later_ms=250),)))
    assert np.array_equal(later[RATE // 4 :], same[: len(later) - RATE // 4])
    sooner = _rendered(path, reading, Treatment(sound=(Move(later_ms=-250),)))
    assert np.array_equal(sooner[: 3 * RATE], same[RATE // 4 : 3 * RATE + RATE // 4])
    part = _rendered(path, reading, Treatment(), (Fraction(1), Fraction(2)))
    assert np.array_equal(part, same[RATE : 2 * RATE])


@pytest.mark.parametrize(
    ("how", "matrix"),
    [
        ("left to both", [[1, 0], [1, 0]]), ("right to both", [[0, 1], [0, 1]]), ("swap", [[0, 1], [1, 0]]),
        ("invert left", [[-1, 0], [0, 1]]), ("invert right", [[1, 0], [0, -1]]), ("mono", [[0.5, 0.5], [0.5, 0.5]]),
    ],
)  # fmt: skip
def test_channels_go_where_they_are_told(tmp_path: Path, how: str, matrix: list[list[float]]) -> None:
    path, reading = _file(tmp_path / "a.mkv", _noise(1), _noise(2))
    before = _rendered(path, reading, Treatment())
    after = _rendered(path, reading, Treatment(sound=(Channels(how=how),)))  # type: ignore[arg-type]
    assert np.abs(after - before @ np.array(matrix).T).max() < 3e-5


def test_hum_and_a_constant_voltage_go_and_the_rest_stays(tmp_path: Path) -> None:
    t = np.arange(RATE * SECONDS) / RATE
    hum = 0.1 * sum(np.sin(2 * np.pi * 50 * n * t) / n for n in (1, 2, 3, 4))
    tone = 0.1 * np.sin(2 * np.pi * 440 * t)
    path, reading = _file(tmp_path / "a.mkv", tone + hum + 0.05, tone + hum + 0.05)
    out = _rendered(path, reading, Treatment(sound=(Hum(hz=50), Offset(dc=0.05))))[RATE:, 0]
    power = np.abs(np.fft.rfft(out * np.hanning(len(out)))) / len(out)
    at = np.fft.rfftfreq(len(out), 1 / RATE)
    strength = {f: power[np.abs(at - f) < 1].max() for f in (50, 100, 150, 200, 440)}
    assert all(strength[f] < 0.02 * strength[440] for f in (50, 100, 150, 200))
    assert 4 * strength[440] == pytest.approx(0.1, rel=0.05)
    assert abs(out.mean()) < 1e-3


def test_advice_fixes_one_sided_and_inverted_sound_and_reaches_a_loudness(tmp_path: Path) -> None:
    """The loudness reached is what pyloudnorm, an independent reference, measures."""
    noise = _noise(4, 0.05)
    path, reading = _file(tmp_path / "one.mkv", noise, np.zeros_like(noise))
    treatment = suggested(reading, findings(reading))
    assert [one.words for one in treatment.sound] == ["left channel to both"]
    out = _rendered(path, reading, treatment)
    assert np.array_equal(out[:, 0], out[:, 1])
    path, reading = _file(tmp_path / "turned.mkv", noise, -noise)
    assert [one.words for one in suggested(reading, findings(reading)).sound] == ["right channel inverted"]
    path, reading = _file(tmp_path / "quiet.mkv", 0.2 * noise, 0.2 * noise)
    louder = next(one for one in advise(reading, findings(reading)) if one.key == "loudness")
    assert louder.step is None, "only if a person wants it"
    way = next(one for one in louder.ways if "broadcast" in one.title)
    assert isinstance(way.step, Gain)
    out = _rendered(path, reading, Treatment().having(way.step))
    assert pyloudnorm.Meter(RATE).integrated_loudness(out) == pytest.approx(-23.0, abs=0.1)
    click = 0.4 * (np.abs(np.arange(len(noise)) - 9000) < 3)
    loud = _file(tmp_path / "loud.mkv", 0.2 * noise + click, 0.2 * noise)[1]
    ways = next(one for one in advise(loud, findings(loud)) if one.key == "loudness").ways
    assert any("peaks leave no room" in one.gives for one in ways)


def test_a_copy_is_held_against_its_treated_sound(tmp_path: Path) -> None:
    path, reading = _file(tmp_path / "a.mkv", _noise(1), _noise(2))
    treatment = Treatment(sound=(Move(later_ms=500), Gain(db=-6), Channels(track=0, how="swap")))
    request = CopyRequest(path, tmp_path / "c.mp4", reading, treatment, recipe_for("h264", 30, speed="ultrafast"))
    made = make_copy(request, SilentReporter())
    assert made.verified, made.checks
    with av.open(str(tmp_path / "c.mp4")) as container:
        first = next(container.decode(audio=0))
        sound = np.concatenate([first.to_ndarray(), *(block.to_ndarray() for block in container.decode(audio=0))], axis=1)
    onset = int(np.argmax(np.abs(sound[0]) > 0.02)) / RATE
    assert onset == pytest.approx(0.5, abs=0.03)
    level = float(np.sqrt(np.mean(sound[:, RATE : 3 * RATE] ** 2)))
    assert 0.7 * 0.0501 < level < 1.1 * 0.0501  # the codec takes the highest tones of white noise away
    assert Treatment(sound=(Gain(db=1), Move(later_ms=2))).digest == Treatment().digest, "trials are of the picture"
