"""A file as an action camera leaves it on its card: progressive, 4:3, 59.94, HEVC."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from yomikomi.core.video.colour import BT709
from yomikomi.core.video.planes import frame_from_planes
from yomikomi.core.work import Reporter
from yomikomi.core.work.new_file import new_file
from yomikomi.sim.ambience import sound_of
from yomikomi.sim.canvas import Raster
from yomikomi.sim.programme import Programme
from yomikomi.sim.sound import SAMPLE_RATE

_WIDTH, _HEIGHT = 640, 480
_RATE = Fraction(60000, 1001)


@dataclass(frozen=True)
class CardRequest:
    path: Path
    seed: int
    seconds: int


def make_card_file(request: CardRequest, reporter: Reporter) -> int:
    """Write the file; returns its number of frames."""
    frames = round(request.seconds * _RATE)
    programme = Programme(request.seed, mixture="race", rate=_RATE)
    sound = sound_of(programme, request.seed)
    raster = Raster(_WIDTH, _HEIGHT)
    request.path.parent.mkdir(parents=True, exist_ok=True)
    with new_file(request.path) as made, av.open(str(made.part), "w", format="mp4") as sink:
        options = {"preset": "superfast", "crf": "20", "x265-params": "log-level=none"}
        video = sink.add_stream("libx265", rate=_RATE, options=options)
        video.width, video.height, video.pix_fmt = _WIDTH, _HEIGHT, "yuv420p"
        BT709.put_on(video.codec_context)
        voice = sink.add_stream("aac", rate=SAMPLE_RATE, layout="mono")
        for number in range(frames):
            reporter.check()
            image = programme.draw(number, number / _RATE, raster)
            y, cb, cr = (np.ascontiguousarray(image[..., plane]) for plane in range(3))
            frame = frame_from_planes(y, cb, cr, pixel_format="yuv444p").reformat(format="yuv420p")
            frame.pts, frame.time_base = number, 1 / _RATE
            sink.mux(video.encode(frame))
        sink.mux(video.encode(None))
        for start in range(0, request.seconds * SAMPLE_RATE - 1024, 1024):
            wave = sound.samples(start, 1024).reshape(1, -1).astype(np.float32) / np.float32(32768)
            block = av.AudioFrame.from_ndarray(wave, format="fltp", layout="mono")
            block.sample_rate, block.pts, block.time_base = SAMPLE_RATE, start, Fraction(1, SAMPLE_RATE)
            sink.mux(voice.encode(block))
        sink.mux(voice.encode(None))
        sink.close()
        made.keep()
    return frames
