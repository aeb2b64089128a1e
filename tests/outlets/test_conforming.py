"""Finished files held against outlets: for every limit a stream that breaks it, and one that keeps all."""

from __future__ import annotations

import json
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest

from tests.cli.test_commands import within, yomikomi
from tests.making import sliding_frames
from yomikomi.core.outlets.conforming import conformity, judge, needed_level
from yomikomi.core.outlets.facts import Facts, SoundFacts, facts_of
from yomikomi.core.outlets.headers import Said
from yomikomi.core.outlets.model import CodecLimit, Outlet, SoundLimit, outlets


def _file(
    path: Path, *, size: tuple[int, int] = (160, 112), rate: int = 25, codec: str = "libx264", options: dict[str, str] | None = None,
    pixels: str = "yuv420p", audio: str | None = "aac", channels: str = "stereo", sampling: int = 48_000, kbps: int = 96, gop: int = 25,
    container: dict[str, str] | None = None, count: int = 50, noise: float = 0.0,
) -> Path:  # fmt: skip
    rng = np.random.default_rng(1)
    with av.open(str(path), "w", options=container or {}) as sink:
        usual = {"preset": "veryfast"} if codec == "libx264" else {}
        stream = sink.add_stream(codec, rate=rate, options=usual | (options or {}))
        stream.width, stream.height, stream.pix_fmt, stream.gop_size = *size, pixels, gop
        sound = sink.add_stream(audio, rate=sampling, layout=channels) if audio else None
        if sound is not None:
            sound.codec_context.bit_rate = 1000 * kbps
        for number, luma in enumerate(sliding_frames(count, width=size[0], height=size[1])):
            grained = np.clip(luma + rng.normal(0, noise, luma.shape), 16, 235).astype(np.uint8) if noise else luma
            frame = av.VideoFrame.from_ndarray(np.repeat(grained[..., None], 3, axis=2), "rgb24").reformat(format=pixels)
            frame.pts, frame.time_base = number, Fraction(1, rate)
            sink.mux(stream.encode(frame))
        sink.mux(stream.encode(None))
        if sound is not None:
            samples = sampling * count // rate
            tone = rng.normal(0, 0.2, (sound.codec_context.channels, samples)).astype(np.float32)
            block = av.AudioFrame.from_ndarray(tone, format="fltp", layout=channels)
            block.sample_rate, block.pts, block.time_base = sampling, 0, Fraction(1, sampling)
            resampler = av.AudioResampler(format=sound.codec_context.format, layout=channels, rate=sampling, frame_size=1024)
            for part in (*resampler.resample(block), *resampler.resample(None)):
                sink.mux(sound.encode(part))
            sink.mux(sound.encode(None))
    return path


_FAST = {"movflags": "+faststart"}
# Takes the usual file of this module and breaks with each of those below.
STRICT = Outlet(
    key="strict", words="Strict box", containers=("mp4",),
    video=(CodecLimit(codec="h264", level="1.2", profiles=("Constrained Baseline", "Main", "High")),),
    sound=(SoundLimit(codec="aac", kbps=128, channels=2, rates=(48_000,)),), width=176, height=144, rate=30, average_kbps=300,
    peak_kbps=800, buffer_seconds=1.0, key_seconds=1.0, file_bytes=150_000, index_in_front=True,
)  # fmt: skip
_CASES: dict[str, dict[str, Any]] = {
    "container": {"suffix": ".mkv", "container": {}},
    "codec": {"codec": "libx265", "options": {"preset": "ultrafast", "x265-params": "log-level=none"}},
    "profile": {"pixels": "yuv444p"},
    "chroma sampling": {"pixels": "yuv422p"},
    "bit depth": {"pixels": "yuv420p10le"},
    "level": {"options": {"level": "3.1"}},
    "level by its pictures": {"size": (368, 304), "options": {"crf": "40"}},
    "size": {"size": (192, 112)},
    "frame rate": {"rate": 50},
    "scan": {"options": {"x264-params": "tff=1"}},
    "average rate": {"noise": 12.0},
    "peak over 1 s": {"noise": 30.0, "options": {"crf": "10"}},
    "key distance": {"gop": 50, "options": {"x264-params": "scenecut=0"}},
    "file size": {"noise": 25.0, "count": 75},
    "index": {"container": {}},
    "sound codec": {"audio": "ac3"},
    "sound rate": {"kbps": 256},
    "sound channels": {"channels": "5.1", "kbps": 120},
    "sound sampling": {"sampling": 32_000, "kbps": 64},
}


def test_a_file_that_keeps_all_limits_conforms(tmp_path: Path) -> None:
    found = conformity(_file(tmp_path / "fine.mp4", container=_FAST), STRICT)
    assert found.conforms, [one.words for one in found.violations]
    assert found.level_said is not None
    assert found.peak_kbps > 0


@pytest.mark.parametrize("limit", list(_CASES))
def test_for_every_limit_a_stream_that_breaks_it(tmp_path: Path, limit: str) -> None:
    case = dict(_CASES[limit])
    path = tmp_path / f"broken{case.pop('suffix', '.mp4')}"
    found = conformity(_file(path, **({"container": _FAST} | case)), STRICT)
    assert limit in [one.limit for one in found.violations], [one.words for one in found.violations]


def test_a_level_that_the_encoder_was_told_and_did_not_keep_is_found(tmp_path: Path) -> None:
    """x264 writes what it is told, without complaint."""
    told = {"level": "3", "preset": "ultrafast"}
    path = _file(tmp_path / "false.mp4", size=(1280, 720), rate=60, options=told, count=30, container=_FAST)
    found = conformity(path, outlets()["phone"])
    assert found.level_said == "3"
    assert found.level_needed == "3.2"
    assert "level that the stream says" in [one.limit for one in found.violations]


def _facts(packets: list[tuple[float, int]], **more: Any) -> Facts:
    known: dict[str, Any] = {
        "container": "mp4", "codec": "h264", "width": 160, "height": 112, "rate": Fraction(25), "depth": 8, "chroma": "4:2:0",
        "interlaced": False, "said": Said("High", "4"), "sounds": (SoundFacts("aac", 2, 48_000, 96.0),), "packets": tuple(packets),
        "seconds": len(packets) / 25, "key_seconds": 1.0, "size_bytes": 1000, "index_in_front": True,
    }  # fmt: skip
    return Facts(**(known | more))


def test_the_peak_is_what_a_leaky_bucket_needs() -> None:
    """Even pictures need their own rate; one burst needs what fills the bucket before it, by hand."""
    even = _facts([(n / 25, 1000) for n in range(100)])
    # 800 kb in all; the bucket gives a second's worth for nothing, and 99 periods come in: 800 / (1 + 99/25).
    assert even.peak_kbps(1.0) == pytest.approx(800 / (1 + 99 / 25), rel=1e-6)
    burst = _facts([(n / 25, 100_000 if n == 50 else 0) for n in range(100)])
    assert burst.peak_kbps(1.0) == pytest.approx(800, rel=1e-6)  # 800 kb at once out of a bucket of one second
    assert burst.peak_kbps(0.5) == pytest.approx(1600, rel=1e-6)


def test_who_cannot_open_a_camera_file_of_2160p60() -> None:
    """The demo's own question: a card's HEVC at 2160p59.94 and an old media box."""
    camera = _facts(
        [(n / 60, 90_000) for n in range(300)], codec="hevc", width=3840, height=2160, rate=Fraction(60000, 1001), said=Said("Main", "5.1")
    )
    answers = {key: judge(camera, outlet) for key, outlet in outlets().items()}
    assert {key for key, one in answers.items() if one.conforms} >= {"phone", "upload"}
    for key in ("media-box", "phone-old", "web", "editor", "archive"):
        assert "codec" in [violation.limit for violation in answers[key].violations], key
    level = needed_level(camera)
    assert level is not None
    assert level.name == "5.1"


@pytest.fixture
def file(tmp_path: Path) -> Path:
    return _file(tmp_path / "clip.mp4", container=_FAST)


def test_the_commands_answer(file: Path) -> None:
    listed = json.loads(yomikomi("outlets", "--json").stdout)
    assert {one["key"] for one in listed["outlets"]} == set(outlets())
    fine = json.loads(yomikomi("conforms", file, "--outlet", "media-box", "--outlet", "web", "--json").stdout)
    assert fine["conforms"]
    assert [one["outlet"] for one in fine["answers"]] == ["media-box", "web"]
    wrong = within("conforms", file, "--outlet", "archive")
    assert wrong.returncode == 4
    assert "does not play at: Archive" in wrong.stderr
    assert "codec: H.264, allowed FFV1" in wrong.stdout
    assert "no outlet" in yomikomi("conforms", file, "--outlet", "moon", code=2).stderr
    yomikomi("conforms", file.with_name("none.mp4"), code=3)


def test_a_file_without_sound_and_one_that_is_damaged(tmp_path: Path) -> None:
    silent = _file(tmp_path / "silent.mp4", audio=None, container=_FAST)
    assert conformity(silent, STRICT).conforms
    data = silent.read_bytes()
    cut = tmp_path / "cut.mp4"
    cut.write_bytes(data[: len(data) * 2 // 3])
    assert facts_of(cut).packets
