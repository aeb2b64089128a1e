"""What is seen of a loss, against what was lost of the clean picture: on material that nothing was tuned on.

Photographs under a moving camera and real clips get noise as tape has it, four times over, each time another. Errors that all four
copies share are what the codec lost; errors that differ are noise, kept or made otherwise. Each way of comparing a copy with its noisy
source is held against that.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from fractions import Fraction

import av
import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.stats import spearmanr

from bench.unseen.pictures import MOTIONS, real_clip
from bench.unseen.spoiling import grain
from yomikomi.core.balance.detail import Blocks, detail_db, seen_error, weights_at
from yomikomi.core.balance.judging import BEFORE, DetailJudge
from yomikomi.core.balance.metrics import SampleMeter, ssim_db
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.planes import frame_from_planes
from yomikomi.core.work.priority import tame_encoders

_SIZE, _FRAMES, _LOOKED_AT = (480, 320), 24, (8, 14, 20)
_NOISES, _SIGMAS = 4, (0.0, 2.0, 4.0)
_QUALITIES = {"h264": (18, 23, 28, 34), "hevc": (20, 25, 30, 35), "av1": (26, 35, 44, 53)}
_PLAIN = weights_at(down=1, across=1)


def run() -> Iterator[str]:
    tame_encoders()
    yield "way of comparing: rank correlation with the truth (lowest of all clips); stray around a line, dB; HEVC and AV1 judged better"
    yield "than H.264 by so many dB of truth; mean above the truth, dB"
    for sigma in _SIGMAS:
        found: dict[str, list[tuple[float, float, float, float, float]]] = {}
        for frames in _clips():
            rows = _rows(frames, sigma)
            truth = np.array([row["truth"] for row in rows])
            for way in ("SSIM", "as it is", "ours"):
                found.setdefault(way, []).append(_held(np.array([row[way] for row in rows]), truth, [str(row["codec"]) for row in rows]))
        for way, each in found.items():
            rho, stray, hevc, av1, above = np.mean(each, axis=0)
            lowest = min(one[0] for one in each)
            yield f"noise {sigma:.0f}, {way}: {rho:.3f} ({lowest:.2f}); {stray:.1f}; {hevc:+.1f}, {av1:+.1f}; {above:+.1f}"


def _held(ours: NDArray[np.float64], truth: NDArray[np.float64], codecs: list[str]) -> tuple[float, float, float, float, float]:
    """Both shape=(copies,), dB: rank correlation, stray of the truth around a line, and by how much codecs are judged otherwise."""
    rest = np.polyval(np.polyfit(ours, truth, 1), ours) - truth
    mean = {codec: float(np.mean([one for one, name in zip(rest, codecs, strict=True) if name == codec])) for codec in _QUALITIES}
    return (
        float(spearmanr(ours, truth)[0]),
        float(rest.std()),
        mean["hevc"] - mean["h264"],
        mean["av1"] - mean["h264"],
        float((ours - truth).mean()),
    )


def _clips() -> Iterator[list[NDArray[np.uint8]]]:
    for name, motion, seed in (("coffee.png", "pan", 1), ("chelsea.png", "passing", 3), ("gravel.png", "handheld", 5)):
        scene = MOTIONS[motion](name, seed)
        yield [np.asarray(cv2.resize(scene(2.0 * n), _SIZE, interpolation=cv2.INTER_AREA), np.uint8) for n in range(_FRAMES)]
    for name in ("carphone", "bikes", "bigbuckbunny"):
        shown = real_clip(name)[20 : 20 + _FRAMES]
        lines, columns = (min(most, size // 16 * 16) for most, size in zip(_SIZE[::-1], shown[0].shape, strict=True))
        yield [np.ascontiguousarray(picture[:lines, :columns]) for picture in shown]


def _rows(clean: list[NDArray[np.uint8]], sigma: float) -> list[dict[str, float | str]]:
    takes = [grain(clean, sigma, 100 + n, along=0.8) for n in range(_NOISES)] if sigma else [clean]
    source, lines, columns = takes[0], *clean[0].shape
    planes = [picture.astype(np.float32) for picture in source]
    judge = DetailJudge({n: (planes[n], planes[n - BEFORE]) for n in _LOOKED_AT}, Geometry(columns, lines))
    truths = {n: Blocks.of(clean[n].astype(np.float32)).waves for n in _LOOKED_AT}
    rows: list[dict[str, float | str]] = []
    for codec, quality in [(codec, quality) for codec, each in _QUALITIES.items() for quality in each]:
        copies = [_copy(take, codec, quality) for take in takes]
        shared = []
        for n in _LOOKED_AT:
            errors = [(Blocks.of(copy[n]).waves - truths[n]) * _PLAIN.seen for copy in copies]
            pairs = list(itertools.combinations(errors, 2)) or [(errors[0], errors[0])]
            shared.append(np.mean([(one * other).mean() for one, other in pairs]))
        judged = judge.judge({n: copies[0][n] for n in _LOOKED_AT})
        assert judged is not None
        rows.append({
            "codec": codec, "truth": detail_db(max(1e-3, float(np.mean(shared)))), "ours": detail_db(judged.seen["television"]),
            "as it is": detail_db(float(np.mean([seen_error(Blocks.of(planes[n]), Blocks.of(copies[0][n]), _PLAIN) for n in _LOOKED_AT]))),
            "SSIM": _ssim([source[n] for n in _LOOKED_AT], [copies[0][n] for n in _LOOKED_AT]),
        })  # fmt: skip
    return rows


def _frame(plane: NDArray[np.uint8]) -> av.VideoFrame:
    grey = np.full((plane.shape[0] // 2, plane.shape[1] // 2), 128, np.uint8)
    return frame_from_planes(plane, grey, grey, pixel_format="yuv420p")


def _ssim(source: list[NDArray[np.uint8]], copy: list[NDArray[np.float32]]) -> float:
    meter = SampleMeter(_frame(source[0]), rate=Fraction(30))
    found = [one for a, b in zip(source, copy, strict=True) for one in meter.feed(_frame(a), _frame(b.astype(np.uint8)))]
    return ssim_db(float(np.mean([one.ssim for one in (*found, *meter.finish())])))


def _copy(frames: list[NDArray[np.uint8]], codec: str, quality: int) -> list[NDArray[np.float32]]:
    row, (lines, columns) = CODECS[codec], frames[0].shape
    encoder = av.CodecContext.create(row.encoder, "w")
    assert isinstance(encoder, av.VideoCodecContext)
    encoder.width, encoder.height, encoder.pix_fmt = columns, lines, "yuv420p"
    encoder.framerate, encoder.time_base = Fraction(30), Fraction(1, 30)
    speed = {"h264": "medium", "hevc": "medium", "av1": "8"}[codec]
    encoder.options = {"preset": speed, "crf": str(quality)} | ({"x265-params": "log-level=error"} if codec == "hevc" else {})
    packets = []
    for number, plane in enumerate(frames):
        frame = _frame(plane)
        frame.pts, frame.time_base = number, Fraction(1, 30)
        packets += encoder.encode(frame)
    packets += encoder.encode(None)
    decoder = av.CodecContext.create(row.decoder, "r")
    assert isinstance(decoder, av.VideoCodecContext)
    shown = [frame for packet in [*packets, None] for frame in decoder.decode(packet)]
    return [np.frombuffer(memoryview(f.planes[0]), np.uint8).reshape(lines, -1)[:, :columns].astype(np.float32) for f in shown]
