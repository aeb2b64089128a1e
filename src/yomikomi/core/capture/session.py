"""A capture pass in a worker process: a reading thread, a bounded queue, a recording loop, a status a few times a second.

The preview is the first thing to give way: it is made only when the queue is nearly empty.
"""

from __future__ import annotations

import contextlib
import queue
import shutil
import threading
import time
from collections import deque
from dataclasses import dataclass, replace
from pathlib import Path

from yomikomi.core.capture.health import SILENT_DB, CaptureStatus, Health, Preview, level_db
from yomikomi.core.capture.recorder import Recorder
from yomikomi.core.errors import DriveFullError, SourceLostError, UnfinishedError, YomikomiError
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.planes import frame_from_planes, rgb
from yomikomi.core.video.rates import seconds_that_fit
from yomikomi.core.video.source import Picture, SoundBlock, SourceEnded, SourceSpec
from yomikomi.core.work import Reporter

# Frames between reading and writing: a second of standard definition, about 20 MB.
_QUEUE_FRAMES = 30
_STATUS_PERIOD_S = 0.066
_RATE_WINDOW_S = 4.0
_FREE_PERIOD_S = 0.5
# What is never filled: other programs, and the record itself, need some room too.
DRIVE_FLOOR_BYTES = 500_000_000

Item = tuple[Picture, SoundBlock]


@dataclass(frozen=True)
class CaptureRequest:
    """What to capture and where.

    Parameters
    ----------
    source : opened in the worker.
    path : the take; must not exist. None looks at the source without recording.
    floor_bytes : stop when less than this is free on the drive.
    preview_height : lines of the live picture; 0 for none.
    max_seconds : stop by itself after so long; None goes on until the source ends.
    """

    source: SourceSpec
    path: Path | None
    floor_bytes: int = DRIVE_FLOOR_BYTES
    preview_height: int = 480
    max_seconds: float | None = None


@dataclass(frozen=True)
class CaptureResult:
    """How a pass ended. ``trouble`` is empty when it ended as wished."""

    path: Path | None
    frames: int
    seconds: float
    late: int
    dropped: int
    bytes_written: int
    trouble: str = ""
    remedy: str = ""


class _Reader(threading.Thread):
    """Fetches frames from the source into the queue; never waits for the recorder."""

    def __init__(self, spec: SourceSpec, health_lock: threading.Lock) -> None:
        super().__init__(name="source", daemon=True)
        self.source = spec.open()
        self.health = Health(self.source.format.standard.rate)
        self.lock = health_lock
        self.items: queue.Queue[Item | None] = queue.Queue(_QUEUE_FRAMES)
        self.stop = threading.Event()
        self.error: YomikomiError | None = None

    def run(self) -> None:
        try:
            while not self.stop.is_set():
                item = self.source.read()
                with self.lock:
                    self.health.saw(item[0].number, waited=time.monotonic() - item[0].ready_at)
                try:
                    self.items.put_nowait(item)
                except queue.Full:
                    with self.lock:
                        self.health.lost_in_queue()
        except SourceEnded:
            pass
        except YomikomiError as error:
            self.error = error
        except OSError as error:
            self.error = SourceLostError(f"The source stopped: {error}.", remedy="Check its cable and power.")
        finally:
            self.source.close()
            self.items.put(None)


class _Pass:
    """The recording loop and what it knows."""

    def __init__(self, request: CaptureRequest, reporter: Reporter) -> None:
        self.request, self.reporter = request, reporter
        self.lock = threading.Lock()
        self.reader = _Reader(request.source, self.lock)
        self.recorder = Recorder(request.path, self.reader.source.format) if request.path else None
        self.rate = float(self.reader.source.format.standard.rate)
        self.written: deque[tuple[float, int]] = deque()
        self.free = self._measure_free()
        self.free_at = time.monotonic()
        self.peak = self.rms = SILENT_DB
        self.status_at = 0.0
        self.ticks = 0
        self.kept = 0
        self.status: CaptureStatus | None = None

    def run(self) -> CaptureResult:
        trouble = remedy = ""
        self.reader.start()
        try:
            while (item := self._next()) is not None:
                self._keep(*item)
                self._tell(item[0])
        except DriveFullError as error:
            trouble, remedy = error.message, error.remedy
        finally:
            self.reader.stop.set()
            self._drain()
            try:
                if self.recorder:
                    self.recorder.close()
            except DriveFullError as error:
                trouble, remedy = error.message, error.remedy
        if self.reader.error:
            trouble, remedy = self.reader.error.message, self.reader.error.remedy
        health = self.reader.health
        return CaptureResult(
            path=self.request.path,
            frames=self.recorder.frames if self.recorder else self.kept,
            seconds=self.ticks / self.rate,
            late=health.late,
            dropped=health.dropped,
            bytes_written=self._file_bytes(),
            trouble=trouble,
            remedy=remedy,
        )

    def _next(self) -> Item | None:
        """The next item, or None when the pass should end."""
        while True:
            if self.reporter.cancelled() or self._long_enough():
                return None
            with contextlib.suppress(queue.Empty):
                return self.reader.items.get(timeout=0.1)

    def _long_enough(self) -> bool:
        limit = self.request.max_seconds
        return limit is not None and self.ticks >= round(limit * self.rate)

    def _keep(self, picture: Picture, sound: SoundBlock) -> None:
        self.ticks = picture.number + 1
        self.kept += 1
        self.peak, self.rms = level_db(sound.samples)
        if not self.recorder:
            return
        self.recorder.write_picture(picture)
        self.recorder.write_sound(sound)
        now = time.monotonic()
        self.written.append((now, self.recorder.bytes_written))
        while now - self.written[0][0] > _RATE_WINDOW_S:
            self.written.popleft()
        if now - self.free_at > _FREE_PERIOD_S:
            self.free, self.free_at = self._measure_free(), now
            if self.free < self.request.floor_bytes:
                raise DriveFullError(
                    "The drive is nearly full: the take ends here and is kept.",
                    remedy="Make room on the take drive, then capture the rest as a second take.",
                )

    def _tell(self, picture: Picture) -> None:
        now = time.monotonic()
        if now - self.status_at < _STATUS_PERIOD_S:
            return
        self.status_at = now
        waiting = self.reader.items.qsize()
        preview = self._preview(picture) if self.request.preview_height and waiting < _QUEUE_FRAMES // 4 else None
        with self.lock:
            health = replace(self.reader.health)
        rate = self._bits_per_second()
        self.reporter.report(
            CaptureStatus(
                seconds=self.ticks / self.rate,
                frames=self.recorder.frames if self.recorder else health.frames,
                late=health.late,
                dropped=health.dropped,
                bytes_written=self.recorder.bytes_written if self.recorder else 0,
                bits_per_second=rate,
                free_bytes=self.free,
                seconds_left=seconds_that_fit(free_bytes=max(0, self.free - self.request.floor_bytes), bits_per_second=rate),
                peak_db=self.peak,
                rms_db=self.rms,
                queue=waiting,
                recording=self.recorder is not None,
                preview=preview,
            )
        )

    def _bits_per_second(self) -> float:
        if len(self.written) < 2 or self.written[-1][0] - self.written[0][0] < 0.3:
            return 0.0
        (t0, b0), (t1, b1) = self.written[0], self.written[-1]
        return (b1 - b0) * 8 / (t1 - t0)

    def _preview(self, picture: Picture) -> Preview:
        source = self.reader.source.format
        shape = Geometry(source.standard.width, source.standard.height, source.sample_aspect)
        width, height = shape.fit(10_000, self.request.preview_height)
        frame = frame_from_planes(picture.y, picture.u, picture.v)
        frame.colorspace, frame.color_range = source.standard.colour.matrix, source.standard.colour.range
        return Preview(width, height, rgb(frame, width=width, height=height).tobytes())

    def _measure_free(self) -> int:
        folder = self.request.path.parent if self.request.path else Path.home()
        return shutil.disk_usage(folder).free

    def _drain(self) -> None:
        """Keep what was read before the end; then let the reader go."""
        until = time.monotonic() + 2
        while time.monotonic() < until:
            try:
                item = self.reader.items.get(timeout=0.2)
            except queue.Empty:
                if not self.reader.is_alive():
                    return
                continue
            if item is None:
                return
            if self.recorder and not self._long_enough():
                with contextlib.suppress(DriveFullError):
                    self.ticks = item[0].number + 1
                    self.recorder.write_picture(item[0])
                    self.recorder.write_sound(item[1])

    def _file_bytes(self) -> int:
        path = self.request.path
        return path.stat().st_size if path and path.exists() else 0


def capture(request: CaptureRequest, reporter: Reporter) -> CaptureResult:
    """Run one capture pass; ends when stopped, when the source ends, or when the drive is full.

    A wish to stop ends it in order: the result is what was recorded, not an error.
    """
    if request.path is not None and request.path.exists():
        raise YomikomiError(f"{request.path.name} exists already.", remedy="Nothing was overwritten; use another name.")
    if request.path is not None and not request.path.parent.is_dir():
        raise UnfinishedError(f"The folder {request.path.parent.name}/ is not there.", remedy="Connect its drive, or make it again.")
    return _Pass(request, reporter).run()
