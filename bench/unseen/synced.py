"""Flashes and claps at known moments, before a scene that moves: how far the sync told is off, and whether its bound holds.

A flash lights a disc of the picture (or all of it) for a known time; a clap is two bars that swing together about a joint and stop. What
the camera sees is the mean over the time that a frame or field is exposed.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np

from bench.unseen import pictures, spoiling
from bench.unseen.pictures import HEIGHT, WIDTH, Luma, Scene
from yomikomi.core.capture.sync import SyncRequest, SyncResult, measure_sync
from yomikomi.core.work import SilentReporter

_SOUND_RATE = 48_000
_SECONDS = 7.0
_EXPOSURES = 8  # moments of which a frame's exposure is made up


@dataclass(frozen=True)
class Test:
    """``part``: of the picture that the flash lights; ``lasts``: how long, seconds; ``exposed``: part of its time that a frame is."""

    __test__ = False
    kind: str
    offset_ms: float
    part: float
    lasts: float
    rate: Fraction
    fields: str | None
    sigma: float
    codec: str
    exposed: float
    seed: int

    @property
    def moments(self) -> list[float]:
        """When flashes begin and hands meet, seconds."""
        rng = np.random.default_rng(self.seed)
        return [0.8 + 1.013 * n + float(rng.uniform(0, 0.05)) for n in range(int((_SECONDS - 1.2) / 1.063))]


def tests(count: int, seed: int) -> Iterator[Test]:
    rng = np.random.default_rng(seed)
    for number in range(count):
        kind = "clap" if number % 4 == 3 else "flash"
        fields = ("tff", "bff", None)[int(rng.integers(3))]
        rate = spoiling.RATE if fields else (Fraction(25), spoiling.RATE, Fraction(50), 2 * spoiling.RATE)[int(rng.integers(4))]
        part = float(np.exp(rng.uniform(np.log(0.02), 0)))
        yield Test(
            kind, float(rng.uniform(-400, 400)), part, float(rng.uniform(0.02, 0.2)), rate, fields, float(rng.choice([0, 2, 5])),
            str(rng.choice(["lossless", "h264", "mpeg2" if not fields and rate > 50 else "h264"])), float(rng.choice([0.5, 1.0])),
            seed * 1000 + number,
        )  # fmt: skip


def photograph_scene(test: Test) -> Scene:
    name = pictures.photographs()[test.seed % len(pictures.photographs())]
    motion = ("handheld", "drift", "passing", "pan")[test.seed // 3 % 4]
    return pictures.MOTIONS[motion](name, test.seed)


def measured(test: Test, scene: Scene) -> SyncResult:
    with tempfile.TemporaryDirectory(prefix="yomikomi-sync-") as folder:
        path = Path(folder) / "sync.mkv"
        _write(path, test, scene)
        return measure_sync(SyncRequest(path), SilentReporter())


def _write(path: Path, test: Test, scene: Scene) -> None:
    instants = test.rate * (2 if test.fields else 1)
    shows = _flash(test) if test.kind == "flash" else _clap(test)
    seen = []
    for number in range(int(_SECONDS * instants)):
        begin = number / float(instants)
        still = scene(60 * begin)
        seen.append(shows(still, begin, test.exposed / float(instants)))
    frames = seen
    if test.fields:
        later = 1 if test.fields == "tff" else 0
        frames = []
        for first, second in zip(seen[::2], seen[1::2], strict=False):
            frame = first.copy()
            frame[later::2] = second[later::2]
            frames.append(frame)
    frames = spoiling.grain(frames, test.sigma, test.seed) if test.sigma else frames
    silent = path.with_name("silent.mp4" if test.codec == "h264" else "silent.mkv")
    spoiling.write(silent, frames, test.codec, fields=test.fields, rate=test.rate)
    _with_sound(silent, path, _sound(test))


def _flash(test: Test) -> Callable[[Luma, float, float], Luma]:
    rng = np.random.default_rng(test.seed + 1)
    rows, columns = np.mgrid[:HEIGHT, :WIDTH]
    y, x = rng.uniform(0.3, 0.7, 2) * (HEIGHT, WIDTH)
    away = np.hypot(rows - y, columns - x)
    radius = np.sort(away.ravel())[min(away.size - 1, int(test.part * away.size))]
    light = np.clip((radius - away) / 3 + 0.5, 0, 1).astype(np.float32)
    strength = float(rng.uniform(90, 160))

    def show(still: Luma, begin: float, exposed: float) -> Luma:
        lit = sum(max(0.0, min(begin + exposed, at + test.lasts) - max(begin, at)) for at in test.moments) / exposed
        return np.asarray(np.clip(still + np.float32(lit * strength) * light, 0, 250), np.uint8) if lit else still

    return show


def _clap(test: Test) -> Callable[[Luma, float, float], Luma]:
    """Two bars turn about a joint at the lower middle, meet after 0.18 s, rest, and part slowly."""
    rng = np.random.default_rng(test.seed + 2)
    joint = np.array([WIDTH / 2 + rng.uniform(-80, 80), HEIGHT * 0.85])
    bright, length = int(rng.uniform(170, 230)), float(rng.uniform(140, 230))

    def angle(moment: float) -> float:
        for at in test.moments:
            if at - 0.18 <= moment < at:
                return 50 * (1 - ((moment - at + 0.18) / 0.18) ** 2)
            if at <= moment < at + 0.12:
                return 0.0
            if at + 0.12 <= moment < at + 0.6:
                return 50 * 0.5 * (1 - np.cos(np.pi * (moment - at - 0.12) / 0.48))
        return 50.0

    def show(still: Luma, begin: float, exposed: float) -> Luma:
        total = np.zeros(still.shape, np.float32)
        for part in range(_EXPOSURES):
            drawn, wide = still.copy(), angle(begin + exposed * (part + 0.5) / _EXPOSURES)
            for side in (-1, 1):
                turn = np.radians(-90 + side * (wide + 3))
                end = joint + length * np.array([np.cos(turn), np.sin(turn)])
                cv2.line(drawn, tuple(np.int32(16 * joint).tolist()), tuple(np.int32(16 * end).tolist()), bright, 26, cv2.LINE_AA, 4)
            total += drawn
        return np.asarray(total / _EXPOSURES, np.uint8)

    return show


def _sound(test: Test) -> np.ndarray:
    rng = np.random.default_rng(test.seed + 3)
    wave = 0.002 * rng.standard_normal(int(_SECONDS * _SOUND_RATE))
    for at in test.moments:
        first = round((at + test.offset_ms / 1000) * _SOUND_RATE)
        t = np.arange(int(0.05 * _SOUND_RATE)) / _SOUND_RATE
        piece = 0.5 * np.sin(2 * np.pi * 1200 * t) if test.kind == "flash" else 0.6 * rng.standard_normal(len(t)) * np.exp(-t / 0.012)
        if 0 <= first < len(wave) - len(t):
            wave[first : first + len(t)] += piece
    return np.asarray(np.clip(wave, -1, 1), np.float32)


def _with_sound(silent: Path, path: Path, wave: np.ndarray) -> None:
    with av.open(str(silent)) as source, av.open(str(path), "w") as sink:
        taken = source.streams.video[0]
        made, sound = sink.add_stream_from_template(taken), sink.add_stream("pcm_s16le", rate=_SOUND_RATE, layout="mono")
        at = 0

        def hear(until: float) -> None:
            nonlocal at
            while at < min(len(wave), until * _SOUND_RATE):
                samples = np.ascontiguousarray((wave[None, at : at + 1024] * 32767).astype(np.int16))
                block = av.AudioFrame.from_ndarray(samples, format="s16", layout="mono")
                block.sample_rate, block.pts, block.time_base = _SOUND_RATE, at, Fraction(1, _SOUND_RATE)
                sink.mux(sound.encode(block))
                at += 1024

        for packet in source.demux(taken):
            if packet.size and packet.pts is not None:
                hear(float(packet.pts * packet.time_base))
                packet.stream = made
                sink.mux(packet)
        hear(_SECONDS)
        sink.mux(sound.encode(None))
