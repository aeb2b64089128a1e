"""What each capture codec would take of a picture like that of a take: pieces of it, encoded by every codec.

How many bits a codec needs depends on the picture at least as much as on its size, so a table can only give wide bounds. A take
of the same kind of carrier says it within some per cent (``bench/weighing.py``).
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from itertools import islice
from pathlib import Path
from statistics import fmean

import av

from yomikomi.core.capture.recording import RecordAs, add_video, picture_filters
from yomikomi.core.planning.data_rates import CAPTURE_CODECS
from yomikomi.core.video.graph import FilterLine
from yomikomi.core.video.media import probe
from yomikomi.core.video.picture_at import frames_from
from yomikomi.core.video.planes import native_format
from yomikomi.core.video.source import SourceFormat
from yomikomi.core.video.standards import FieldOrder, Standard
from yomikomi.core.work import Reporter
from yomikomi.core.work.priority import tame_encoders

# A shorter take tells too little of its kind (seconds).
LEAST_WEIGHED_S = 20.0
# Where it is looked at, as parts of the length; how many pictures there of codecs whose every picture is whole, and of the others.
_PLACES = (0.05, 0.2, 0.35, 0.5, 0.65, 0.8, 0.95)
_WHOLE_PICTURES, _RUN = 2, 10
# A picture built on others: the first ones of a run still profit little from what was before them.
_SETTLED = 3


@dataclass(frozen=True)
class WeighRequest:
    """``codecs``: keys of the capture codecs; empty: all of them. ``seconds``: length of the take."""

    path: Path
    seconds: float
    codecs: tuple[str, ...] = ()


def weigh(request: WeighRequest, reporter: Reporter) -> dict[str, float]:
    """Bits for each pixel of each picture, by codec; codecs that cannot keep such pictures are left out.

    Raises UnreadableError for a file without pictures that can be read.
    """
    tame_encoders()
    source = _format_of(request.path)
    runs = list(_runs(request))
    found: dict[str, float] = {}
    for key in request.codecs or tuple(CAPTURE_CODECS):
        reporter.check()
        how = RecordAs(codec=key)
        if how.row.takes(source.bits) and runs:
            found[key] = round(fmean(_bits(how, source, run) for run in runs) / (source.standard.width * source.standard.height), 4)
    return found


def _runs(request: WeighRequest) -> list[list[av.VideoFrame]]:
    runs = []
    for place in _PLACES:
        at = Fraction(place * request.seconds).limit_denominator(1000)
        run = list(islice(frames_from(request.path, start_seconds=at), _RUN))
        if len(run) > _SETTLED:
            runs.append(run)
    return runs


def _format_of(path: Path) -> SourceFormat:
    info = probe(path)
    order = FieldOrder(info.flagged_field_order) if info.flagged_field_order in {"tff", "bff"} else None
    shape = info.geometry
    rate = info.average_rate or Fraction(25)
    one = Fraction(1)
    standard = Standard("weighed", shape.width, shape.height, rate, one, one, info.colour, "", interlaced=order is not None)
    return SourceFormat(standard, order, shape.sample_aspect, 48_000, 0, bits=10 if "10" in (info.pixel_format or "") else 8)


def _bits(how: RecordAs, source: SourceFormat, run: list[av.VideoFrame]) -> float:
    """Mean bits of a picture of a run."""
    settles = how.quality is not None  # constant quality is found within some pictures
    sizes = _sizes(how, source, run if settles else run[:_WHOLE_PICTURES])
    if how.row.whole:
        return 8 * fmean(sizes[_SETTLED:] if settles else sizes)
    # One whole picture, then those built on it, up to the next whole one.
    group = int(how.row.options.get("g", "60"))
    return 8 * (sizes[0] + (group - 1) * fmean(sizes[_SETTLED:])) / group


def _sizes(how: RecordAs, source: SourceFormat, frames: list[av.VideoFrame]) -> list[int]:
    import io

    sink = av.open(io.BytesIO(), "w", format=how.container(source.bits))
    try:
        stream = add_video(sink, how, source)
        native = native_format(source.bits)
        line, sizes = None, []
        for number, frame in enumerate(frames):
            plain = frame.reformat(format=native)
            plain.pts, plain.time_base = number, 1 / source.standard.rate
            plain.pict_type = av.video.frame.PictureType.NONE  # what it was in the take is no wish
            if line is None:
                line = FilterLine(
                    picture_filters(source, str(stream.pix_fmt)), template=plain, time_base=1 / source.standard.rate,
                    rate=source.standard.rate, sample_aspect=source.sample_aspect,
                )  # fmt: skip
            sizes += [packet.size for marked in line.push(plain) for packet in stream.encode(marked)]
        return sizes + [packet.size for packet in stream.encode(None) if packet.size]
    finally:
        sink.close()
