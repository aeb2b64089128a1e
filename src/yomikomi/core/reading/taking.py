"""The one pass over the media: frames and sound go to all measurements."""

from __future__ import annotations

import sys
import time
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Literal

import av
import av.container
import cv2
import numpy as np

from yomikomi.core.errors import CancelledError
from yomikomi.core.reading.complexity import ComplexityMeter
from yomikomi.core.reading.measures.activity import ActivityMeter
from yomikomi.core.reading.measures.bars import BarsMeter
from yomikomi.core.reading.measures.borders import BorderMeter
from yomikomi.core.reading.measures.composite import CompositeMeter
from yomikomi.core.reading.measures.digital import DigitalMeter
from yomikomi.core.reading.measures.dropouts import DropoutMeter
from yomikomi.core.reading.measures.echoes import EchoMeter, HumBarMeter
from yomikomi.core.reading.measures.heard import HeardMeter
from yomikomi.core.reading.measures.hidden_lines import HiddenLinesMeter
from yomikomi.core.reading.measures.levels import LevelMeter
from yomikomi.core.reading.measures.light import LightMeter
from yomikomi.core.reading.measures.line_timing import LineTimingMeter
from yomikomi.core.reading.measures.noise import NoiseMeter
from yomikomi.core.reading.measures.together import TogetherMeter
from yomikomi.core.reading.scan.blends import BlendMeter
from yomikomi.core.reading.scan.evidence import EvidenceMeter
from yomikomi.core.reading.sight import LARGEST_TAPED, Sight
from yomikomi.core.video.damage import Damage, Decoder
from yomikomi.core.video.media import MediaInfo, heard_streams, open_media, video_stream
from yomikomi.core.work import Reporter

LOSSLESS = {"ffv1", "utvideo", "huffyuv", "ffvhuff", "rawvideo", "v210", "magicyuv", "v308", "v408", "r210"}
_REPORT_PERIOD_S = 0.1
_TURN_S = 0.0005
# Frames that may wait for the measurements beside the pass.
_MOST_WAITING = 8
# Sizes that no footage in use exceeds; a damaged header may claim more than memory holds.
MOST_SAMPLES = 8192 * 4608
# Seconds from look to look (of pairs of frames); large pictures cost more a look, and have no tape's faults that come and go. A
# short take should have so many looks all the same.
_LOOK_PERIOD_S, _LARGE_LOOK_PERIOD_S, _LOOKS_WANTED = 2, 3, 24
# A quick reading: stretches of so many frames, spread over the take.
WINDOW_FRAMES = 26
_FEWEST_WINDOWS, _MOST_WINDOWS, _SECONDS_A_WINDOW = 20, 48, 60
_LOOKS_IN_WINDOW = (9, 21)


@dataclass(frozen=True)
class ReadRequest:
    """``sound`` and ``complexity`` can be left out where only the scan is wanted; ``most_seconds`` reads a beginning only.
    ``mode``: ``full`` sees every frame, ``quick`` a sample of stretches."""

    path: Path
    sound: bool = True
    complexity: bool = True
    most_seconds: float | None = None
    mode: Literal["full", "quick"] = "full"


@dataclass(frozen=True)
class ReadProgress:
    """How far: ``part`` 0…1 (by time stamps), frames read, speed as a multiple of real time."""

    part: float
    frames: int
    speed: float
    seconds_left: float


@dataclass(frozen=True)
class Window:
    """Consecutive frames: ``first`` is the number of the first in the take, ``at`` its place among the frames seen."""

    first: int
    at: int


class Meters:
    """All measurements of the picture."""

    def __init__(self, info: MediaInfo, rate: Fraction, *, complexity: bool, heard: bool) -> None:
        self.heard = heard
        self.lossy = info.codec not in LOSSLESS
        self.analogue_size = 480 <= info.geometry.height <= LARGEST_TAPED
        # Captured from tape: every frame is searched for dropouts.
        self.every_dropout = self.analogue_size and not self.lossy
        self.evidence, self.light = EvidenceMeter(lossy=self.lossy), LightMeter()
        self.complexity = ComplexityMeter() if complexity else None
        order = {"tff": 0, "bff": 1}.get(info.flagged_field_order or "")
        self.together = TogetherMeter(rate, order)
        self.noise, self.levels, self.borders, self.bars = NoiseMeter(), LevelMeter(), BorderMeter(), BarsMeter()
        self.timing, self.dropouts, self.composite = LineTimingMeter(), DropoutMeter(), CompositeMeter()
        self.ghosts, self.hum_bars, self.digital = EchoMeter(), HumBarMeter(), DigitalMeter()
        self._looks = 0
        self.activity, self.blends, self.hidden = ActivityMeter(), BlendMeter(), HiddenLinesMeter()

    def see(self, sight: Sight, seconds: float) -> None:
        """Every frame."""
        self.evidence.see(sight)
        self.light.see(sight)
        if self.heard:
            self.together.see(sight, seconds)

    def skip(self) -> None:
        """What comes next does not follow on."""
        self.evidence.skip()

    def look(self, before: Sight, now: Sight, *, combed: bool = False) -> None:
        """A closer look at two consecutive frames. ``combed``: teeth stand in one of them, so nobody blended its fields."""
        self.noise.look(before, now)
        sigma = self.noise.luma_sigma
        for meter in (self.levels, self.borders, self.bars, self.hidden):
            meter.look(before, now)
        if self.lossy:
            self.digital.look(before, now)
        # The dearest ones take turns.
        self._looks += 1
        if self._looks % 2:
            if not combed:
                self.blends.look(before, now)
        else:
            self.activity.look(before, now)
            if self.analogue_size:
                self.composite.look(before, now)
        if self.analogue_size:
            self.timing.look(before, now, noise=sigma)
            self.ghosts.look(before, now)
            self.hum_bars.look(before, now)
            if not self.every_dropout:
                self.search(before, now)

    def search(self, before: Sight, now: Sight) -> None:
        """Two consecutive frames, for dropouts."""
        self.dropouts.look(before, now, noise=self.noise.luma_sigma)


class Pass:
    """One pass; afterwards the meters hold what was measured."""

    def __init__(self, request: ReadRequest, info: MediaInfo, reporter: Reporter) -> None:
        self.request, self.info, self.reporter = request, info, reporter
        self.rate = info.average_rate or Fraction(25)
        self.meters = Meters(info, self.rate, complexity=request.complexity, heard=request.sound and bool(info.sound))
        self.beside = ThreadPoolExecutor(1, "measuring")
        self.waiting: deque[Future[None]] = deque()
        self.stamps: list[int | None] = []
        self.windows: list[Window] = []
        self.heard: dict[int, HeardMeter] = {}
        self.damage = Damage()
        self.stream_bytes: dict[int, int] = {}
        self.odd_sizes = 0
        self.base = Fraction(1, 1000)
        self.first_stamp: int | None = None
        self.started = time.monotonic()
        self._told_at = 0.0
        self._last: Sight | None = None
        self._size: tuple[int, int] | None = None

    def run(self) -> None:
        # The processors are the decoder's; pictures so small are divided among threads at a loss. And what one thread of ours waits
        # for from the other takes a tenth of the time after which the interpreter would usually let it have its turn.
        threads, turn = cv2.getNumThreads(), sys.getswitchinterval()
        cv2.setNumThreads(1)
        sys.setswitchinterval(_TURN_S)
        try:
            with open_media(self.request.path) as container:
                picture = video_stream(container, self.request.path)
                picture.thread_type = "AUTO"
                self.base = picture.time_base or self.base
                streams = heard_streams(container) if self.request.sound else []
                for stream in streams:
                    context = stream.codec_context
                    self.heard[stream.index] = HeardMeter(context.sample_rate or 48_000, context.channels or 1)
                with Decoder(container, [picture, *streams], self.request.path, self.reporter.check) as decoder:
                    if self.request.mode == "quick":
                        self._sample(container, picture, decoder)
                    else:
                        self._all(decoder)
                    self.damage, self.stream_bytes = decoder.damage(), decoder.sizes
            for one in self.waiting:
                one.result()
        finally:
            self.beside.shutdown(cancel_futures=True)
            cv2.setNumThreads(threads)
            sys.setswitchinterval(turn)
        if self.reporter.cancelled():
            raise CancelledError("Stopped; nothing was recorded.")

    def _all(self, decoder: Decoder) -> None:
        guessed = float(self.info.seconds or 0) * float(self.rate)
        seconds = _LOOK_PERIOD_S if self.info.geometry.height <= LARGEST_TAPED else _LARGE_LOOK_PERIOD_S
        period = max(2, min(round(self.rate * seconds), int(guessed / _LOOKS_WANTED)))
        self.windows.append(Window(0, 0))
        for frame in self._frames(decoder):
            number = len(self.stamps)
            self._see(frame, number, look=number % period == period // 2)
            if self._enough():
                return

    def _sample(self, container: av.container.InputContainer, picture: av.VideoStream, decoder: Decoder) -> None:
        for start in self._starts():
            target = int(start / self.base) + (picture.start_time or 0)
            try:
                container.seek(max(0, target), stream=picture)
            except av.error.FFmpegError:
                continue  # it cannot be sought in there: what is found elsewhere counts
            self._last = None
            self.meters.skip()
            taken = 0
            for frame in self._frames(decoder):
                if frame.pts is None:
                    continue
                if self.first_stamp is None:
                    self.first_stamp = picture.start_time if picture.start_time is not None else frame.pts
                number = max(0, round((frame.pts - self.first_stamp) * self.base * self.rate))
                if taken == 0:
                    if self.windows and number <= self.windows[-1].first + WINDOW_FRAMES:
                        break  # the key picture before this place was looked at already
                    self.windows.append(Window(number, len(self.stamps)))
                self._see(frame, number, look=taken in _LOOKS_IN_WINDOW)
                taken += 1
                if taken >= WINDOW_FRAMES:
                    break

    def _starts(self) -> Iterator[Fraction]:
        """Where stretches begin, seconds: evenly spread, the first at the beginning and the last near the end."""
        total = self.info.seconds or Fraction(0)
        window = WINDOW_FRAMES / self.rate
        count = min(_MOST_WINDOWS, max(_FEWEST_WINDOWS, int(total / _SECONDS_A_WINDOW)))
        last = max(Fraction(0), total - window)
        count = max(1, min(count, int(total / window)))
        # A little irregular, so that nothing periodic in the take falls in step with them; but not one into the next.
        rng = np.random.default_rng(int(self.info.size_bytes) % 2**32)
        apart = last / max(1, count - 1)
        most = min(0.3, float((1 - window / apart) / 2)) if apart > window else 0.0
        for number in range(count):
            place = Fraction(number, max(1, count - 1))
            shift = Fraction(float(rng.uniform(-most, most))).limit_denominator(1000) / max(1, count - 1) if 0 < number < count - 1 else 0
            yield last * (place + shift)

    def _frames(self, decoder: Decoder) -> Iterator[av.VideoFrame]:
        """Decoded pictures, the sound going to its meters."""
        for index, frame in decoder.frames():
            if isinstance(frame, av.VideoFrame):
                yield frame
            else:
                self._hear(index, frame)

    def _hear(self, index: int, frame: av.AudioFrame) -> None:
        meter = self.heard.get(index)
        if meter is None:
            return
        wave = meter.feed(frame)
        if index == min(self.heard) and frame.time is not None:
            self.meters.together.hear(wave, float(frame.time), frame.sample_rate or 48_000)

    def _see(self, frame: av.VideoFrame, number: int, *, look: bool) -> None:
        size = (frame.width, frame.height)
        if self._size is not None and size != self._size:
            self.odd_sizes += 1
        self._size = self._size or size
        sight = Sight.of(frame, number)
        seconds = float(frame.pts * self.base) if frame.pts is not None else float(number / self.rate)
        self.meters.see(sight, seconds)
        self.stamps.append(frame.pts)
        if self.first_stamp is None:
            self.first_stamp = frame.pts
        if self.meters.complexity is not None:
            self._beside(self.meters.complexity.feed, sight.small)
        if self._last is not None and self._last.samples.shape == sight.samples.shape:
            if look:
                self._beside(partial(self.meters.look, combed=self.meters.evidence.combed), self._last, sight)
            if self.meters.every_dropout:
                self._beside(self.meters.search, self._last, sight)
        self._last = sight
        now = time.monotonic()
        if now - self._told_at > _REPORT_PERIOD_S:
            self._told_at = now
            self._tell(now)

    def _beside(self, function: Callable[..., None], *arguments: object) -> None:
        """Beside the decoder and the pass; a few frames may wait."""
        self.waiting.append(self.beside.submit(function, *arguments))
        if len(self.waiting) > _MOST_WAITING:
            self.waiting.popleft().result()

    def _seen_seconds(self) -> float:
        known = [s for s in (self.first_stamp, self.stamps[-1]) if s is not None] if self.stamps else []
        return float((known[1] - known[0]) * self.base) if len(known) == 2 else 0.0

    def _enough(self) -> bool:
        most = self.request.most_seconds
        return most is not None and self._seen_seconds() >= most

    def _tell(self, now: float) -> None:
        total = float(self.info.seconds or 0)
        if self.request.most_seconds:
            total = min(total, self.request.most_seconds)
        seen, spent = self._seen_seconds(), now - self.started
        part = min(1.0, max(0.0, seen / total)) if total else 0.0
        self.reporter.report(
            ReadProgress(
                part=part,
                frames=len(self.stamps),
                speed=seen / spent if spent else 0.0,
                seconds_left=spent * (1 - part) / part if part > 0.01 else 0.0,
            )
        )


def pairwise_windows(windows: list[Window], seen: int) -> list[tuple[Window, int]]:
    """Each window with the place one past its last frame among those seen."""
    ends = [*(one.at for one in windows[1:]), seen]
    return [(one, end) for one, end in zip(windows, ends, strict=True) if end > one.at]
