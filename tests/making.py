"""Makers of small clips with known content."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Sequence
from fractions import Fraction
from functools import lru_cache
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.video.standards import FieldOrder
from yomikomi.sim.canvas import Raster
from yomikomi.sim.programme import Programme

Luma = NDArray[np.uint8]


def programme_frames(count: int, *, width: int = 320, height: int = 240, seed: int = 4, rate: Fraction = Fraction(25)) -> list[Luma]:
    """Luma of whole pictures of a lively programme, one for each frame instant: progressive. Not to be written on."""
    return list(_programme_frames(count, width, height, seed, rate))


@lru_cache(maxsize=6)
def _programme_frames(count: int, width: int, height: int, seed: int, rate: Fraction) -> tuple[Luma, ...]:
    """Drawing takes longest of all that tests make: what several ask for is kept."""
    programme = Programme(seed, mixture="lively", rate=rate)
    raster = Raster(width, height)
    made = tuple(np.ascontiguousarray(programme.draw(number, number / rate, raster)[..., 0]) for number in range(count))
    for picture in made:
        picture.flags.writeable = False
    return made


def sliding_frames(count: int, *, width: int = 320, height: int = 240, speed: float = 3.0, seed: int = 1) -> list[Luma]:
    """A smooth random texture that slides sideways by ``speed`` samples a picture."""
    return list(_slid(count, width, height, speed, seed))


@lru_cache(maxsize=12)
def _slid(count: int, width: int, height: int, speed: float, seed: int) -> tuple[Luma, ...]:
    rng = np.random.default_rng(seed)
    wide = width + round(count * speed) + 16
    texture = rng.normal(0, 1, (height, wide))
    window = np.hanning(max(11, round(6 * speed)))  # detail wider than the step between two fields
    kernel = window / window.sum()
    for axis in (0, 1):
        texture = np.apply_along_axis(lambda line: np.convolve(line, kernel, mode="same"), axis, texture)
    texture = 120 + 45 * texture / texture.std()
    columns = np.arange(width)
    frames = []
    for number in range(count):
        place = columns + number * speed
        low = np.floor(place).astype(int)
        part = place - low
        frames.append(np.clip((1 - part) * texture[:, low] + part * texture[:, low + 1], 16, 235).astype(np.uint8))
        frames[-1].flags.writeable = False
    return tuple(frames)


def interlace(pictures: Sequence[Luma], order: FieldOrder) -> list[Luma]:
    """Every two pictures become the two fields of one frame; the first one gives the field that comes first."""
    frames = []
    for first, second in zip(pictures[::2], pictures[1::2], strict=False):
        frame = np.empty_like(first)
        parity = 0 if order is FieldOrder.TFF else 1
        frame[parity::2], frame[1 - parity :: 2] = first[parity::2], second[1 - parity :: 2]
        frames.append(frame)
    return frames


def pulled_down(pictures: Sequence[Luma], rounds: Sequence[int], order: FieldOrder, *, phase: int = 0) -> list[Luma]:
    """Film pictures spread over fields: each lasts as many fields as ``rounds`` says in turn; ``phase`` fields are left out."""
    fields = [picture for count, picture in zip(itertools.cycle(rounds), pictures, strict=False) for _ in range(count)]
    if tuple(rounds) == (2,):
        phase |= 1  # in step, two fields make whole frames
    if tuple(rounds) == (2, 3, 3, 2):
        phase &= ~1  # it is made so that two of its pictures begin with a frame
    return interlace(fields[phase:], order)


def repeated(pictures: Sequence[Luma], rounds: Sequence[int]) -> list[Luma]:
    """Each picture shown as many times as ``rounds`` says in turn."""
    return [picture for count, picture in zip(itertools.cycle(rounds), pictures, strict=False) for _ in range(count)]


def blended(pictures: Sequence[Luma]) -> list[Luma]:
    """Every two pictures become the mean of both: fields that somebody blended."""
    return [((one.astype(np.uint16) + two + 1) // 2).astype(np.uint8) for one, two in zip(pictures[::2], pictures[1::2], strict=False)]


def noisy(frames: Iterable[Luma], sigma: float, seed: int = 7) -> list[Luma]:
    """Each with noise of its own: pieces of a long store that begin anywhere, which is as good as drawn anew and ten times as fast."""
    rng, store, made = np.random.default_rng(seed), _noise_store(seed), []
    for frame in frames:
        begin = int(rng.integers(0, len(store) - frame.size))
        noise = store[begin : begin + frame.size].reshape(frame.shape)
        made.append(np.clip(frame + np.float32(sigma) * noise, 0, 255).astype(np.uint8))
    return made


@lru_cache(maxsize=2)
def _noise_store(seed: int) -> NDArray[np.float32]:
    return np.random.default_rng([seed, 1]).standard_normal(1 << 22, dtype=np.float32)


def write_clip(
    path: Path,
    frames: Sequence[Luma],
    *,
    rate: Fraction | int = 25,
    codec: str = "libx264",
    options: dict[str, str] | None = None,
    stamps: Sequence[int] | None = None,
    stamp_base: Fraction | None = None,
    sound_seconds: float = 0.0,
    sound_level: float = 0.3,
    silence: tuple[float, float] | None = None,
    sound_channels: int = 1,
    sample_aspect: Fraction | None = None,
    metadata: dict[str, str] | None = None,
) -> Path:
    """A file with these luma pictures, grey chroma, and a 440 Hz tone if asked for.

    Parameters
    ----------
    stamps : a time stamp for each frame in ticks of ``stamp_base`` (the frame period if not given).
    """
    rate = Fraction(rate)
    height, width = frames[0].shape
    if options and any(order in options.get("x264-params", "") for order in ("tff=1", "bff=1")):
        options = {"threads": "1", **options}  # with several threads, fields come out otherwise every time
    with av.open(str(path), "w") as sink:
        sink.metadata.update(metadata or {})
        video = sink.add_stream(codec, rate=rate, options=options or ({"preset": "ultrafast", "crf": "16"} if codec == "libx264" else {}))
        video.width, video.height, video.pix_fmt = width, height, "yuv420p"
        if stamp_base is not None:
            video.codec_context.time_base = stamp_base
        if sample_aspect is not None:
            video.sample_aspect_ratio = sample_aspect
            video.codec_context.sample_aspect_ratio = sample_aspect
        layout, compressed = "mono" if sound_channels == 1 else "stereo", path.suffix == ".mp4"
        if compressed:
            tone = sink.add_stream("aac", rate=48_000, layout=layout, options={"aac_coder": "fast"})
        else:
            tone = sink.add_stream("pcm_s16le", rate=48_000, layout=layout)
        for number, luma in enumerate(frames):
            frame = av.VideoFrame(width, height, "yuv420p")
            for plane, samples in zip(frame.planes, (luma, None, None), strict=True):
                view = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, -1)
                view[:, : plane.width] = 128 if samples is None else samples
            frame.pts = stamps[number] if stamps is not None else number
            frame.time_base = stamp_base or 1 / rate
            sink.mux(video.encode(frame))
        sink.mux(video.encode(None))
        if sound_seconds:
            for block in tone_blocks(sound_seconds, sound_level, silence, sound_channels, 1024 if compressed else 4800):
                sink.mux(tone.encode(block))
            sink.mux(tone.encode(None))
    return path


def tone_blocks(
    seconds: float, level: float, silence: tuple[float, float] | None, channels: int, size: int = 1024
) -> Iterable[av.AudioFrame]:  # fmt: skip
    """``size``: samples of a block."""
    t = np.arange(round(seconds * 48_000)) / 48_000
    wave = level * np.sin(2 * np.pi * 440 * t)
    if silence:
        wave[(t >= silence[0]) & (t < silence[1])] = 0.0
    for start in range(0, len(wave), size):
        piece: NDArray[Any] = np.repeat(wave[start : start + size].astype(np.float32)[None, :], channels, axis=0)
        block = av.AudioFrame.from_ndarray(np.ascontiguousarray(piece), format="fltp", layout="mono" if channels == 1 else "stereo")
        block.sample_rate, block.pts, block.time_base = 48_000, start, Fraction(1, 48_000)
        yield block


def decode_luma(path: Path) -> list[Luma]:
    """All pictures of a file, luma as stored."""
    found = []
    with av.open(str(path)) as container:
        for frame in container.decode(video=0):
            plane = frame.planes[0]
            found.append(np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, -1)[:, : plane.width].copy())
    return found


def psnr(one: NDArray[Any], two: NDArray[Any]) -> float:
    error = float(np.mean((one.astype(float) - two.astype(float)) ** 2))
    return 99.0 if error == 0 else 10 * float(np.log10(255**2 / error))


def packets_in(path: Path) -> dict[int, list[tuple[int | None, bool, bytes]]]:
    """Of each stream: stamp, whether it is a key, bytes."""
    found: dict[int, list[tuple[int | None, bool, bytes]]] = {}
    with av.open(str(path)) as container:
        for packet in container.demux():
            if packet.dts is not None:
                found.setdefault(packet.stream_index, []).append((packet.pts, packet.is_keyframe, bytes(packet)))
    return found
