"""Small sources and recordings for the tests of capturing."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.recorder import Recorder
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.capture.session import CaptureRequest, capture
from yomikomi.core.video.source import Picture, SoundBlock, SourceEnded, SourceSpec
from yomikomi.core.work import Reporter, SilentReporter
from yomikomi.sim.feed import FeedSpec

# Fields of a small camera: quick to draw and to encode, and everything else as in a large one.
SMALL = FeedSpec(160, 128, Fraction(30000, 1001), interlaced=True, seed=3, seconds=2, real_time=False, mixture="lively")
WHOLE = replace(SMALL, interlaced=False)


def all_of(spec: SourceSpec) -> tuple[list[Picture], list[SoundBlock]]:
    """Everything a finite source gives."""
    source, pictures, sounds = spec.open(), [], []
    try:
        while True:
            picture, sound = source.read()
            pictures.append(picture)
            sounds.append(sound)
    except SourceEnded:
        source.close()
    return pictures, sounds


def record(spec: SourceSpec, path: Path, how: RecordAs | None = None) -> Path:
    """Through the bare recorder."""
    recorder = Recorder(path, spec.open().format, how)
    for picture, sound in zip(*all_of(spec), strict=True):
        recorder.write_picture(picture)
        recorder.write_sound(sound)
    recorder.close()
    return path


def captured(spec: SourceSpec, path: Path | None, *, reporter: Reporter | None = None, **how: object) -> CaptureResult:
    """Through the whole pass, the source waiting for the recorder; as samples, unless something else is asked for."""
    known: dict[str, object] = {"rules": EndRules(blank_seconds=None), "patient": True, "record_as": RecordAs(codec="uncompressed"), **how}
    return capture(CaptureRequest(spec, path, **known), reporter or SilentReporter())  # type: ignore[arg-type]


def lumas(path: Path) -> list[NDArray[np.uint8]]:
    """All pictures of a file, luma as it stands."""
    with av.open(str(path)) as container:
        return [_plane(frame) for frame in container.decode(video=0)]


def numbers(path: Path, rate: Fraction) -> list[int]:
    """The places of a file's pictures on the grid of its rate."""
    with av.open(str(path)) as container:
        return [round((frame.pts or 0) * Fraction(frame.time_base or 1) * rate) for frame in container.decode(video=0)]


def heard(path: Path, track: int = 0) -> NDArray[np.int16]:
    """All samples of a sound track, shape (samples, channels)."""
    with av.open(str(path)) as container:
        stream = container.streams.audio[track]
        channels = stream.codec_context.channels
        parts = [frame.to_ndarray() for frame in container.decode(stream)]
    whole = np.concatenate([part.reshape(-1, channels) if part.shape[0] == 1 else part.T for part in parts])
    return whole.astype(np.int16)


def _plane(frame: av.VideoFrame) -> NDArray[np.uint8]:
    plane = frame.planes[0]
    deep = frame.format.components[0].bits > 8
    samples = np.frombuffer(memoryview(plane), np.uint16 if deep else np.uint8).reshape(plane.height, -1)[:, : plane.width]
    return samples.copy()
