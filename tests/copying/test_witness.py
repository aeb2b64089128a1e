"""Copies that would have been called verified: the right number of frames, the right tags, and something else in them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from tests.conftest import Shared
from tests.making import programme_frames, write_clip
from yomikomi.core.copying.encode import Encoded, encode
from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.copying.verify import Expected, verify
from yomikomi.core.copying.witness import SoundWitness, compare_sound
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.chain import chain_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.work import SilentReporter

_SECONDS, _RATE = 12, 25
Luma = NDArray[np.uint8]


def _programme() -> list[Luma]:
    return programme_frames(_SECONDS * _RATE, width=192, height=144)


def _beats(samples: int) -> NDArray[np.float32]:
    """Sound with something to go by: bursts of noise at uneven times over a quiet tone."""
    rng = np.random.default_rng(4)
    wave = 0.03 * np.sin(np.arange(samples) * 2 * np.pi * 220 / 48_000)
    at = 0
    while at < samples:
        length = int(rng.uniform(0.05, 0.3) * 48_000)
        part = wave[at : at + length]
        part += rng.normal(0, 0.15, len(part))
        at += length + int(rng.uniform(0.1, 0.6) * 48_000)
    return np.clip(wave, -0.9, 0.9).astype(np.float32)


def _pictures(path: Path, frames: list[Luma]) -> Path:
    return write_clip(path, frames, rate=_RATE, options={"crf": "18", "preset": "ultrafast"})


def _with_sound(path: Path, pictures: Path, wave: NDArray[np.float32]) -> Path:
    """The pictures of a file as they are, and sound in small pieces of 16 bits."""
    with av.open(str(pictures)) as source, av.open(str(path), "w") as sink:
        video = sink.add_stream_from_template(source.streams.video[0])
        sound = sink.add_stream("pcm_s16le", rate=48_000, layout="mono")
        assert isinstance(sound, av.AudioStream)
        for packet in source.demux(source.streams.video[0]):
            if packet.dts is not None:
                packet.stream = video
                sink.mux(packet)
        for first in range(0, len(wave), 9600):
            sink.mux(sound.encode(_block(wave, first, 9600)))
        sink.mux(sound.encode(None))
    return path


def _block(wave: NDArray[np.floating[Any]], first: int, count: int) -> av.AudioFrame:
    piece = np.round(wave[None, first : first + count] * 32767).astype(np.int16)
    block = av.AudioFrame.from_ndarray(piece, format="s16", layout="mono")
    block.sample_rate, block.pts, block.time_base = 48_000, first, Fraction(1, 48_000)
    return block


@pytest.fixture(scope="module")
def wave() -> NDArray[np.float32]:
    return _beats(_SECONDS * 48_000)


@pytest.fixture(scope="module")
def pictures(shared: Shared) -> Path:
    """Of the take, without sound."""
    return shared.file("witnessed-pictures.mkv", lambda part: _pictures(part, _programme()))


@pytest.fixture(scope="module")
def take(shared: Shared, pictures: Path, wave: NDArray[np.float32]) -> tuple[Path, Reading]:
    path = shared.file("witnessed.mkv", lambda part: _with_sound(part, pictures, wave))
    return path, shared.reading(path)


@pytest.fixture(scope="module")
def expected(take: tuple[Path, Reading], tmp_path_factory: pytest.TempPathFactory) -> Expected:
    target = tmp_path_factory.mktemp("copies") / "good.mp4"
    request = CopyRequest(take[0], target, take[1], Treatment(), recipe_for("h264", 24, speed="ultrafast"))
    return _expected(take[1], encode(request, target, SilentReporter()))


def _expected(reading: Reading, encoded: Encoded) -> Expected:
    return Expected(encoded, chain_for(reading, Treatment()).format, reading.duration_seconds, "mp4")


def _failed(expected: Expected, path: Path) -> set[str]:
    meant = replace(expected, encoded=replace(expected.encoded, path=path))
    return {check.name for check in verify(meant, SilentReporter()) if not check.passed} - {"colour tags", "index in front"}


def test_a_true_copy_passes_and_says_how_near_it_is(expected: Expected) -> None:
    checks = {check.name: check for check in verify(expected, SilentReporter())}
    assert all(check.passed for check in checks.values())
    assert {"pictures as treated", "levels", "frame by frame", "close to the treated take"} <= set(checks)
    assert {"sound not silent", "sound in step"} <= set(checks)
    assert "dB PSNR" in checks["close to the treated take"].found


def _black(frames: list[Luma]) -> list[Luma]:
    return [np.full_like(one, 16) if 200 <= number < 230 else one for number, one in enumerate(frames)]


def _frozen(frames: list[Luma]) -> list[Luma]:
    return [frames[60] if 60 <= number < 230 else one for number, one in enumerate(frames)]


def _late(frames: list[Luma]) -> list[Luma]:
    return [frames[0], *frames[:-1]]


def _washed(frames: list[Luma]) -> list[Luma]:
    """Limited range taken for full: the classic."""
    return [np.clip((one.astype(float) - 16) * 255 / 219, 0, 255).astype(np.uint8) for one in frames]


def _other(frames: list[Luma]) -> list[Luma]:
    return [np.ascontiguousarray(one[:, ::-1]) for one in frames]


@pytest.mark.parametrize(
    ("spoilt", "name"),
    [
        (_black, "pictures as treated"), (_frozen, "pictures as treated"), (_late, "frame by frame"), (_washed, "levels"),
        (_other, "pictures as treated"),
    ],
)  # fmt: skip
def test_pictures_that_are_not_those_of_the_take(
    expected: Expected, wave: NDArray[np.float32], tmp_path: Path, spoilt: Callable[[list[Luma]], list[Luma]], name: str
) -> None:
    path = _with_sound(tmp_path / "spoilt.mkv", _pictures(tmp_path / "pictures.mkv", spoilt(_programme())), wave)
    assert name in _failed(expected, path)


@pytest.mark.parametrize(("ms", "passes"), [(0, True), (5, True), (-5, True), (25, False), (-40, False), (220, False)])
def test_sound_out_of_step(
    expected: Expected, pictures: Path, wave: NDArray[np.float32], tmp_path: Path, ms: int, passes: bool
) -> None:  # fmt: skip
    failed = _failed(expected, _with_sound(tmp_path / "moved.mkv", pictures, np.roll(wave, round(ms * 48))))
    assert ("sound in step" not in failed) == passes


def test_sound_that_drifts_or_is_missing_in_places(
    expected: Expected, pictures: Path, wave: NDArray[np.float32], tmp_path: Path
) -> None:  # fmt: skip
    places = np.arange(len(wave)) * (1 + 0.06 / _SECONDS)  # 60 ms early at the end, in step at the beginning
    drifting = np.interp(places, np.arange(len(wave)), wave).astype(np.float32)
    assert "sound in step" in _failed(expected, _with_sound(tmp_path / "drifting.mkv", pictures, drifting))
    gone = wave.copy()
    gone[7 * 48_000 : 9 * 48_000] = 0
    assert "sound not silent" in _failed(expected, _with_sound(tmp_path / "gone.mkv", pictures, gone))


@pytest.mark.parametrize("hertz", [0.0, 4.0, 10.0, 40.0])
@pytest.mark.parametrize("ms", [0, 100])
def test_what_is_even_or_regular_tells_no_place(hertz: float, ms: int) -> None:
    """A line-up tone was called 75 ms late in a true copy: where several places fit, none is told. Cut off at the end, as takes are; the
    copy's level waves a little, as codecs have it."""
    t = np.arange(6 * 48_000) / 48_000
    tone = 0.3 * np.sin(2 * np.pi * 440 * t) * (1 + 0.8 * np.sin(2 * np.pi * hertz * t)) / 1.8
    tone[round(5.9 * 48_000) :] = 0
    copy = np.roll(tone, ms * 48) * (1 + 0.04 * np.sin(2 * np.pi * 40 * t))
    kept, seen = SoundWitness(), SoundWitness()
    for witness, wave in ((kept, tone), (seen, copy)):
        for first in range(0, len(wave), 4800):
            witness.hear(_block(wave, first, 4800), first / 48_000)
    assert compare_sound(kept.kept(), seen).offset_ms is None


@pytest.mark.parametrize(("codec", "quality"), [("h264", 45), ("hevc", 45), ("av1", 60)])
def test_poor_copies_are_true_ones(shared: Shared, tmp_path: Path, codec: str, quality: int) -> None:
    """Noise over motion, cuts, a flash, a still and black, at a quality that nobody would want: nothing is called another picture."""
    rng = np.random.default_rng(2)
    frames = []
    scenes = [cv2.GaussianBlur(np.random.default_rng(one).integers(16, 235, (144, 192), np.uint8), (0, 0), 6) for one in range(3)]
    for number in range(120):
        scene = scenes[number // 40]
        moved = np.roll(scene, 3 * number, axis=1).astype(float)
        if number in {50, 51}:
            moved += 120
        if number >= 108:
            moved[:] = 16
        stretched = 2 * moved - 100 if number < 108 else moved
        frames.append(np.clip(stretched + rng.normal(0, 6, scene.shape), 0, 255).astype(np.uint8))
    path = shared.file("poor.mkv", lambda part: write_clip(part, frames, rate=25, codec="rawvideo", sound_seconds=4.8))
    reading = shared.reading(path)
    recipe = recipe_for(codec, quality)
    request = CopyRequest(path, tmp_path / f"c.{recipe.container}", reading, Treatment(), recipe)
    made = encode(request, request.target, SilentReporter())
    meant = replace(_expected(reading, made), container=recipe.container)
    assert [check for check in verify(meant, SilentReporter()) if not check.passed] == []
