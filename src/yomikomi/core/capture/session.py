"""A capture pass in a worker process: a reading thread, a bounded queue, a recording loop, a status a few times a second.

What is shown is the first thing to give way: it is made in a thread of its own, and only when next to nothing waits.
"""

from __future__ import annotations

import contextlib
import queue
import shutil
import time
from collections import deque
from dataclasses import dataclass, replace
from pathlib import Path

import av

from yomikomi.core.capture import sentences
from yomikomi.core.capture.content import ContentState, ContentWatch
from yomikomi.core.capture.health import CaptureStatus, Health, HealthEnd, HealthLog, HealthRow
from yomikomi.core.capture.hearing import HearAs, Hearing
from yomikomi.core.capture.listening import Listening
from yomikomi.core.capture.looking import LookAs, Looker
from yomikomi.core.capture.parts import TakeRecorder
from yomikomi.core.capture.reader import Item, Reader
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.ring import Keep, RingRecorder, RingRules
from yomikomi.core.capture.rules import Condition, Ending, EndRules, ending, warnings
from yomikomi.core.capture.sound_shift import SoundShift
from yomikomi.core.errors import DriveFullError, UnfinishedError, YomikomiError
from yomikomi.core.video.rates import seconds_that_fit
from yomikomi.core.video.source import SourceSpec
from yomikomi.core.work import Reporter
from yomikomi.core.work.drive import drive_error, size_of
from yomikomi.core.work.new_file import check_free

_STATUS_PERIOD_S = 0.04
_RATE_WINDOW_S = 4.0
_FREE_PERIOD_S = 0.5
# A source that gives nothing for so long has stopped, whatever it says; before its first picture it may take longer to begin.
STALL_S = 8.0
START_S = 30.0
_WAIT_S = 0.1


@dataclass(frozen=True)
class CaptureRequest:
    """What to capture and where.

    Parameters
    ----------
    source : opened in the worker.
    path : the take; must not exist. None looks at the source without recording.
    record_as, rules : how it is recorded, and when it ends by itself.
    spill : folders to go on in, one after the other, when the drive of the take falls under its floor.
    ring : look-back folder; must not exist. Instead of a take.
    look : what is shown meanwhile.
    hear : whether the input is heard meanwhile.
    patient : the source waits for the recorder (simulations without a clock).
    """

    source: SourceSpec
    path: Path | None
    record_as: RecordAs = RecordAs()
    rules: EndRules = EndRules()
    spill: tuple[Path, ...] = ()
    ring: Path | None = None
    ring_rules: RingRules = RingRules()
    look: LookAs = LookAs()
    hear: bool = False
    patient: bool = False


class _Pass:
    """The recording loop and what it knows."""

    def __init__(self, request: CaptureRequest, reporter: Reporter) -> None:
        self.request, self.reporter = request, reporter
        self.reader = Reader(request.source, patient=request.patient)
        source = self.reader.source.format
        self.rate = float(source.standard.rate)
        try:
            self.recorder = self._make_recorder()
        except BaseException:
            self.reader.source.close()  # a device that nobody reads must be free again
            raise
        later = request.record_as.sound_later_ms
        self.shift = SoundShift(source, later) if later and source.sound_channels else None
        self.log = HealthLog(request.path) if request.path else None
        self.looker = Looker(source, request.look)
        frame_bytes = source.standard.width * source.standard.height * (1 if source.bits == 8 else 2)
        self.content = ContentWatch(self.rate, fields=source.field_order is not None, frame_bytes=frame_bytes)
        self.sound = Listening(source)
        self.hearing = Hearing(source)
        self.hearing.turn(on=request.hear)
        self.written: deque[tuple[float, int, float, int]] = deque()
        self.free = 0
        self.free, self.free_at = self._measure_free(), time.monotonic()
        self.status_at = 0.0
        self.number = -1
        self.first: int | None = None
        self.kept = 0
        self.row_at = 0
        self.row_before = HealthRow(at=0)
        self.end: Ending | None = None
        self.drive_gone = False
        self.waits = 0

    def run(self) -> CaptureResult:
        self.reader.start()
        self.looker.start()
        self.content.start()
        try:
            while (item := self._next()) is not None:
                self._keep(item)
                self._tell(item)
        except YomikomiError as error:
            self.end, self.drive_gone = Ending(error.message, error.remedy, wished=False), True
        except OSError as error:
            told = drive_error(error, self.request.path or self.request.ring or Path(), safe=sentences.KEPT)
            self.end, self.drive_gone = Ending(told.message, told.remedy, wished=False), True
        except (av.error.FFmpegError, MemoryError) as error:
            words = getattr(error, "strerror", None) or "there is not enough memory"
            self.end = Ending(*sentences.encoder_failed(words), wished=False)
            self.drive_gone = True
        finally:
            self.reader.stop.set()
            self._drain()
            self.looker.finish()
            self.content.finish(wait=self.recorder is not None)
            self._close()
            self.hearing.close()
        if self.reader.error and self.end is None:
            self.end = Ending(self.reader.error.message, self.reader.error.remedy, wished=False)
        return self._result()

    def _make_recorder(self) -> TakeRecorder | RingRecorder | None:
        request, source = self.request, self.reader.source.format
        if request.ring is not None:
            return RingRecorder(request.ring, source, request.record_as, request.ring_rules)
        return TakeRecorder(request.path, source, request.record_as, request.spill) if request.path else None

    def _next(self) -> Item | None:
        """The next item, or None when the pass should end."""
        while True:
            for word in self.reporter.heard():
                self._hear(word)
            if self.reporter.cancelled() or self.end is not None:
                return None
            with contextlib.suppress(queue.Empty):
                item = self.reader.items.get(timeout=_WAIT_S)
                self.waits = 0
                return item
            # Counted by turns, not by the clock: on a machine too busy to let us run, the source is not to blame.
            self.waits += 1
            most = STALL_S if self.kept else START_S
            if self.waits * _WAIT_S > most and self.reader.is_alive():
                self.end = Ending(*sentences.source_silent(most, recorded=self.kept > 0), wished=False)

    def _hear(self, word: object) -> None:
        if isinstance(word, LookAs):
            self.looker.look = word
        elif isinstance(word, HearAs):
            self.hearing.turn(on=word.on)
        elif isinstance(word, EndRules):
            self.request = replace(self.request, rules=word)
        elif isinstance(word, Keep) and isinstance(self.recorder, RingRecorder):
            self.recorder.keep(word, self.number)

    def _keep(self, item: Item) -> None:
        picture, sound = item
        self.first = picture.number if self.first is None else self.first
        self.number = picture.number
        self.kept += 1
        if self.recorder:
            for ready in self.shift.push(picture, sound) if self.shift else (item,):
                self.recorder.write(*ready)
            self._measure()
        self.content.offer(picture.number, picture.y)
        self.sound.heard(sound)
        self.hearing.offer(sound)
        if self.reader.items.qsize() < self.reader.room // 4 and self.looker.wants_one:
            self.looker.offer(picture)
        if self._seconds() >= self.row_at + 1:
            self._add_row()
        if self.end is None:
            self.end = ending(self.request.rules, self._condition())

    def _measure(self) -> None:
        assert self.recorder is not None
        now, segments = time.monotonic(), self.recorder.segments
        self.written.append((now, segments.bytes_written, segments.encode_seconds + segments.write_seconds, segments.frames))
        while now - self.written[0][0] > _RATE_WINDOW_S:
            self.written.popleft()
        if now - self.free_at > _FREE_PERIOD_S:
            self.recorder.check_there(self.number + 1)
            self.free, self.free_at = self._measure_free(), now
            if self.free < self.request.rules.floor_bytes and not isinstance(self.recorder, RingRecorder):
                if not self.recorder.move_on(self.number + 1):
                    head, remedy = sentences.DRIVE_FULL
                    raise DriveFullError(head, remedy=remedy)
                self.free = self._measure_free()

    def _seconds(self) -> float:
        return 0.0 if self.first is None else (self.number + 1 - self.first) / self.rate

    def _condition(self) -> Condition:
        with self.reader.lock:
            dropped = self.reader.health.dropped
        seen, drift = self.content.state(), self.sound.drift.drift()
        return Condition(
            seconds=self._seconds(), dropped=dropped, still_s=seen.still_s, silent_s=self.sound.silent_s, free_bytes=self.free,
            headroom=self._headroom(), write_ms=self.row_before.write_ms, queue_part=self.reader.items.qsize() / self.reader.room,
            signs=self.sound.signs, drift_ms_per_hour=drift.ms_per_hour if drift and drift.sure else None,
            repeated=seen.repeats, has_sound=self.reader.source.format.sound_channels > 0,
        )  # fmt: skip

    def _headroom(self) -> float:
        """How many times faster than the source the recorder works; 0 before that can be said."""
        if len(self.written) < 5:
            return 0.0
        (_, _, busy0, frames0), (_, _, busy1, frames1) = self.written[0], self.written[-1]
        return 0.0 if busy1 <= busy0 else (frames1 - frames0) / self.rate / (busy1 - busy0)

    def _add_row(self) -> None:
        self.row_at = int(self._seconds())
        if self.log is None or self.recorder is None:
            return
        with self.reader.lock:
            health = replace(self.reader.health)
        seen, before = self.content.state(), self._totals
        self._totals = (health.frames, health.late, health.dropped, seen.repeats)
        new = [now - then for now, then in zip(self._totals, before, strict=True)]
        levels = self.sound.take_second()
        self.row_before = HealthRow(
            at=self.row_at, frames=new[0], late=new[1], lost=new[2], repeated=new[3],
            queue=self.reader.items.qsize(), headroom=round(self._headroom(), 2), mbps=round(self._bits_per_second() / 1e6, 2),
            write_ms=round(1000 * self.recorder.segments.take_slowest_write(), 1), free_gb=round(self.free / 1e9, 2),
            peak_db=round(levels.loudest_peak, 1), rms_db=round(levels.loudest_rms, 1), signs=self.sound.signs,
        )  # fmt: skip
        self.log.add(self.row_before)

    _totals: tuple[int, int, int, int] = (0, 0, 0, 0)

    def _tell(self, item: Item) -> None:
        now = time.monotonic()
        if now - self.status_at < _STATUS_PERIOD_S:
            return
        self.status_at = now
        with self.reader.lock:
            health = replace(self.reader.health)
        condition, seen, rate = self._condition(), self.content.state(), self._bits_per_second()
        room = max(0, self.free - self.request.rules.floor_bytes)
        ring = self.recorder if isinstance(self.recorder, RingRecorder) else None
        levels = self.sound.levels
        self.reporter.report(
            CaptureStatus(
                seconds=self._seconds(), frames=self.recorder.segments.frames if self.recorder else health.frames,
                late=health.late, dropped=health.dropped, bytes_written=self.recorder.segments.bytes_written if self.recorder else 0,
                bits_per_second=rate, free_bytes=self.free, seconds_left=seconds_that_fit(free_bytes=room, bits_per_second=rate),
                peak_db=levels.loudest_peak, rms_db=levels.loudest_rms, queue=self.reader.items.qsize(),
                recording=self.request.path is not None, repeated=seen.repeats, headroom=condition.headroom,
                write_ms=condition.write_ms, levels=levels, loudness=self.sound.loudness, drift_ms_per_hour=condition.drift_ms_per_hour,
                part_number=max(1, len(self.recorder.paths) if self.recorder else 1), warnings=warnings(self.request.rules, condition),
                looks=self.looker.newest, number=item[0].number, ring_seconds=ring.seconds if ring else 0.0,
                kept=tuple(ring.kept) if ring else (), hearing=self.hearing.words,
            )
        )  # fmt: skip

    def _bits_per_second(self) -> float:
        if len(self.written) < 2 or self.written[-1][0] - self.written[0][0] < 0.3:
            return 0.0
        first, last = self.written[0], self.written[-1]
        # By frames, not by the clock: a queue that is worked off must not look like a higher rate.
        return (last[1] - first[1]) * 8 * self.rate / max(1, last[3] - first[3])

    def _measure_free(self) -> int:
        """The last known figure where the drive does not answer: whether it is there is looked after by the recorder."""
        folder = self.recorder.folder if self.recorder else Path.home()
        try:
            return shutil.disk_usage(folder).free
        except OSError:
            return self.free

    def _drain(self) -> None:
        """Keep what was read before the end; then let the reader go. After an end as wished nothing more is wanted."""
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
            if self.recorder and not self.drive_gone and (self.end is None or not self.end.wished):
                with contextlib.suppress(YomikomiError):
                    self._keep(item)

    def _close(self) -> None:
        try:
            if self.recorder:
                for ready in self.shift.flush() if self.shift else ():
                    self.recorder.write(*ready)
                self.recorder.close()
        except YomikomiError as error:
            self.end = self.end or Ending(error.message, error.remedy, wished=False)
        except (OSError, av.error.FFmpegError) as error:
            self.end = self.end or Ending(*sentences.not_finished(error), wished=False)
        if self.log is not None:
            self.log.close(self._last_words(self.content.state()), keep=self.kept > 0)

    def _last_words(self, seen: ContentState) -> HealthEnd:
        drift = self.sound.drift.drift()
        return HealthEnd(
            seconds=self._seconds(), gaps=tuple(self.reader.health.gaps), repeats=self.content.repeats,
            unseen=seen.unseen, doubled=self._doubled(), loudness=self.sound.loudness, clipped=self.sound.clipped,
            drift_ms_per_hour=drift.ms_per_hour if drift else None, drift_error=drift.error if drift else None,
            ended=self.end.reason if self.end else "",
        )  # fmt: skip

    def _doubled(self) -> int:
        return int(getattr(self.reader.source, "doubled", 0))

    def _result(self) -> CaptureResult:
        health: Health = self.reader.health
        end = self.end or Ending(sentences.STOPPED_BY_HAND if self.reporter.cancelled() else "")
        unwritten = self.recorder.segments.unwritten if self.recorder else 0
        parts = tuple(self.recorder.paths) if self.recorder else ()
        return CaptureResult(
            path=self.request.path, frames=self.recorder.segments.frames if self.recorder else self.kept, seconds=self._seconds(),
            late=health.late, dropped=health.dropped + unwritten, bytes_written=sum(size_of(path) or 0 for path in parts),
            trouble="" if end.wished else end.reason, remedy="" if end.wished else end.remedy, ended=end.reason,
            repeated=self.content.state().repeats, gaps=tuple(health.gaps), parts=parts, tail_seconds=end.tail_seconds,
            headroom=self._headroom(), doubled=self._doubled(), logged=self.log is not None and self.log.written,
            stopped=self.end is None and self.reporter.cancelled(),
        )  # fmt: skip


def capture(request: CaptureRequest, reporter: Reporter) -> CaptureResult:
    """Run one capture pass; ends when stopped, when the source ends, by its rules, or when the drive is full.

    A wish to stop ends it in order: the result is what was recorded, not an error.
    """
    for path in (request.path, request.ring):
        if path is not None:
            check_free(path)
    try:
        going = _Pass(request, reporter)
    except OSError as error:
        raise drive_error(error, request.path or request.ring or Path()) from error
    except (av.error.FFmpegError, ValueError, MemoryError) as error:
        raise UnfinishedError(f"The recording could not begin: {error}.", remedy="Choose another codec.") from error
    return going.run()
