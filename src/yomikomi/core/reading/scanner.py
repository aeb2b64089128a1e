"""One pass over a file, feeding all measurements."""

from __future__ import annotations

import time
from collections import deque
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.container

from yomikomi.core.errors import CancelledError, UnreadableError
from yomikomi.core.reading.complexity import ComplexityMeter
from yomikomi.core.reading.models import Colour, Rate, Reading, Scan, Shape, Sound
from yomikomi.core.reading.rate import RateVerdict, judge_rate
from yomikomi.core.reading.scan import FrameEvidence, ScanMeter, ScanVerdict, verdict
from yomikomi.core.reading.sound import SoundMeter
from yomikomi.core.reading.strips import make_complexity, make_strips, most_combed
from yomikomi.core.video.media import MediaInfo, check_tail, open_media, probe, video_stream
from yomikomi.core.video.planes import bits, luma
from yomikomi.core.video.rates import fraction_text
from yomikomi.core.work import Reporter

_LOSSLESS = {"ffv1", "utvideo", "huffyuv", "ffvhuff", "rawvideo", "v210", "magicyuv"}
_REPORT_PERIOD_S = 0.1
# Damaged packets in a row after which the rest of a file is given up.
_MOST_ERRORS = 50
# Frames that may wait for the complexity measurement.
_MOST_WAITING = 8


@dataclass(frozen=True)
class ReadRequest:
    """``sound`` and ``complexity`` can be left out where only the scan is wanted; ``most_seconds`` reads a beginning only."""

    path: Path
    sound: bool = True
    complexity: bool = True
    most_seconds: float | None = None


@dataclass(frozen=True)
class ReadProgress:
    """How far: ``part`` 0…1 (by time stamps), frames read, speed as a multiple of real time."""

    part: float
    frames: int
    speed: float
    seconds_left: float


class _Pass:
    def __init__(self, request: ReadRequest, info: MediaInfo, reporter: Reporter) -> None:
        self.request, self.info, self.reporter = request, info, reporter
        self.scan = ScanMeter(lossy=info.codec not in _LOSSLESS)
        self.complexity = ComplexityMeter()
        self.beside = ThreadPoolExecutor(1, "complexity")
        self.waiting: deque[Future[None]] = deque()
        self.evidence: list[FrameEvidence] = []
        self.stamps: list[int | None] = []
        self.sounds: dict[int, SoundMeter] = {}
        self.errors = 0
        self.started = time.monotonic()
        self.told_at = 0.0

    def run(self) -> None:
        try:
            self._read()
            for one in self.waiting:
                one.result()
        finally:
            self.beside.shutdown(cancel_futures=True)

    def _read(self) -> None:
        with open_media(self.request.path) as container:
            picture = video_stream(container, self.request.path)
            picture.thread_type = "AUTO"
            heard = list(container.streams.audio) if self.request.sound else []
            self.sounds = {s.index: SoundMeter(s.codec_context.sample_rate or 48_000) for s in heard}
            self.base = picture.time_base or Fraction(1, 1000)
            self._decode(container, picture, heard)

    def _decode(self, container: av.container.InputContainer, picture: av.VideoStream, heard: list[av.AudioStream]) -> None:
        packets = container.demux(picture, *heard)
        in_a_row = 0
        while True:
            try:
                packet = next(packets)
                frames = packet.decode()
                in_a_row = 0
            except StopIteration:
                return
            except (av.error.InvalidDataError, av.error.EOFError):
                self.errors += 1
                in_a_row += 1
                if in_a_row > _MOST_ERRORS:
                    return
                continue
            for frame in frames:
                if isinstance(frame, av.VideoFrame):
                    self._see(frame)
                elif isinstance(frame, av.AudioFrame):
                    self.sounds[packet.stream.index].feed(frame)
            if self._enough():
                return

    def _see(self, frame: av.VideoFrame) -> None:
        samples, depth = luma(frame), bits(frame)
        self.evidence.append(self.scan.feed(samples, bit_depth=depth))
        self.stamps.append(frame.pts)
        if self.request.complexity:
            # Its encoder works beside the decoder and the other measurements; a few frames may wait for it.
            self.waiting.append(self.beside.submit(self.complexity.feed, samples, bit_depth=depth))
            if len(self.waiting) > _MOST_WAITING:
                self.waiting.popleft().result()
        self.reporter.check()
        now = time.monotonic()
        if now - self.told_at > _REPORT_PERIOD_S:
            self.told_at = now
            self._tell(now)

    def _seen_seconds(self) -> float:
        known = [s for s in (self.stamps[0], self.stamps[-1]) if s is not None] if self.stamps else []
        return float((known[1] - known[0]) * self.base) if len(known) == 2 else 0.0

    def _enough(self) -> bool:
        most = self.request.most_seconds
        return most is not None and self._seen_seconds() >= most

    def _tell(self, now: float) -> None:
        total = float(self.info.seconds or 0)
        if self.request.most_seconds:
            total = min(total, self.request.most_seconds)
        seen, spent = self._seen_seconds(), now - self.started
        part = min(1.0, seen / total) if total else 0.0
        self.reporter.report(
            ReadProgress(
                part=part,
                frames=len(self.evidence),
                speed=seen / spent if spent else 0.0,
                seconds_left=spent * (1 - part) / part if part > 0.01 else 0.0,
            )
        )


def read(request: ReadRequest, reporter: Reporter) -> Reading:
    """Measure a file in one pass. Raises UnreadableError or CancelledError; a damaged file is read as far as it goes."""
    info = probe(request.path)
    one = _Pass(request, info, reporter)
    one.run()
    if reporter.cancelled():
        raise CancelledError("Stopped; nothing was recorded.")
    if not one.evidence:
        raise UnreadableError(f"No frame of {info.path.name} can be decoded.", remedy="Copy it again.", path=info.path)
    scan = verdict(one.evidence, lossy=info.codec not in _LOSSLESS)
    rate = judge_rate(one.stamps, time_base=one.base, declared=info.average_rate)
    first = Fraction(next((s for s in one.stamps if s is not None), 0)) * one.base
    sounds = list(one.sounds.values())
    return Reading(
        file=info.path.name,
        size_bytes=info.size_bytes,
        container=info.container,
        codec=info.codec,
        pixel_format=info.pixel_format,
        bit_depth=info.bit_depth,
        frames=len(one.evidence),
        duration_seconds=round(float(_duration(one, rate)), 6),
        first_seconds=str(first),
        scan=_scan(scan, info),
        rate=Rate(
            nominal=fraction_text(rate.nominal), constant=rate.constant, gaps=rate.gaps, missing_frames=rate.missing,
            told_by=rate.told_by,
        ),
        geometry=_shape(info),
        colour=Colour(**vars(info.colour), words=info.colour.words),
        rotation=info.rotation,
        sound=_sound(info, sounds, float(first)),
        subtitle_streams=info.subtitle_streams,
        strips=make_strips(one.evidence, sounds, rate=rate.nominal, first=first),
        complexity=make_complexity(one.complexity.finish(), rate=rate.nominal),
        most_combed_frame=most_combed(one.evidence, rate=rate.nominal),
        warnings=_warnings(one, scan, rate),
        read_seconds=round(time.monotonic() - one.started, 3),
    )  # fmt: skip


def _duration(one: _Pass, rate: RateVerdict) -> Fraction:
    """From the first stamp to the end of the last frame."""
    known = [stamp for stamp in one.stamps if stamp is not None]
    if rate.constant or len(known) < 2:
        return len(one.evidence) / rate.nominal
    return (max(known) - min(known)) * one.base + 1 / rate.nominal


def _scan(found: ScanVerdict, info: MediaInfo) -> Scan:
    return Scan(
        kind=found.kind,  # type: ignore[arg-type]
        field_order=found.field_order.value if found.field_order else None,
        confidence=round(found.confidence, 4),
        frames=found.frames,
        informative_frames=found.informative,
        agreeing_frames=found.agreeing,
        flagged=info.flagged_field_order,
    )


def _shape(info: MediaInfo) -> Shape:
    shape = info.geometry
    return Shape(
        width=shape.width,
        height=shape.height,
        sample_aspect=fraction_text(shape.sample_aspect),
        display_aspect=fraction_text(shape.display_aspect),
        shape=shape.shape_words,
    )


def _sound(info: MediaInfo, meters: list[SoundMeter], first: float) -> list[Sound]:
    return [
        Sound(
            index=index,
            codec=stream.codec,
            channels=stream.channels,
            sample_rate=stream.sample_rate,
            language=stream.language,
            seconds=round(meter.seconds, 3),
            starts_at=round(meter.span[0] - first, 3),
            ends_at=round(meter.span[1] - first, 3),
            peak_db=round(meter.peak_db, 2),
            rms_db=round(meter.rms_db, 2),
            silences=[(round(start - first, 2), round(end - first, 2)) for start, end in meter.silences()],
        )
        for index, (stream, meter) in enumerate(zip(info.sound, meters, strict=False))
    ]


def _warnings(one: _Pass, scan: ScanVerdict, rate: RateVerdict) -> list[str]:
    found = []
    if one.errors:
        found.append(f"{one.errors} damaged places could not be decoded")
    if not one.request.most_seconds and (tail := check_tail(one.request.path)):
        found.append(tail)
    if not rate.constant:
        gap = f": {rate.missing} frames are missing in {rate.gaps} places" if rate.gaps else ""
        found.append(f"the frame rate is not constant{gap}")
    flagged, order = one.info.flagged_field_order, scan.field_order
    if order and flagged in {"tff", "bff"} and flagged != order.value:
        found.append(f"the file says {flagged}, the pictures say {order.value}")
    if scan.kind == "progressive" and flagged in {"tff", "bff"}:
        found.append("the file says interlaced, the pictures are progressive")
    if order and flagged == "progressive":
        found.append("the file says progressive, the pictures are interlaced")
    return found
