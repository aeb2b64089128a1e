"""The player: decodes ahead in two threads, goes by the clock of the sound output, and gives the picture that is due.

Nothing here waits for a drive or a decoder but the two threads; whoever shows pictures asks ``picture_due`` as often as it likes.
"""

from __future__ import annotations

import contextlib
import os
import threading
from collections import deque
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.errors import YomikomiError
from yomikomi.core.playing.sources import PlaySource, continuous
from yomikomi.core.video.graph import SoundLine
from yomikomi.core.video.sample_queue import SampleQueue
from yomikomi.core.video.sound_out import CHANNELS, RATE, Samples, SoundOut
from yomikomi.core.work.defects import defect

# Pictures and seconds of sound that are kept ready.
_AHEAD, _AHEAD_S = 6, 0.5
# Between these speeds sound keeps its pitch; slower and faster it is silent.
_HEARD_FROM, _HEARD_TO = 0.5, 2.0
_FLOOR_DB = -90.0
_NICE = 8
# A picture is due so much before its time: a stamp may be rounded to the millisecond.
_EARLY_S = 0.001


@dataclass(frozen=True)
class Shown:
    """``samples``: ndarray [shape=(lines, columns, 4), uint8, blue, green, red, unused]; ``seconds``: when it is first seen."""

    seconds: float
    number: int
    samples: NDArray[np.uint8]


@dataclass(frozen=True)
class Level:
    """Of the sound taken last, dB below full scale: left and right."""

    peak: tuple[float, float] = (_FLOOR_DB, _FLOOR_DB)
    rms: tuple[float, float] = (_FLOOR_DB, _FLOOR_DB)


class _StaleError(Exception):
    """What is being decoded is not wanted any more."""


class Player:
    """Parameters
    ----------
    source : what is played.
    out : where its sound goes, and whose clock counts; closed with the player.
    size : pictures are made to fit into so many columns and lines.
    """

    def __init__(self, source: PlaySource, out: SoundOut, *, size: tuple[int, int] = (960, 720)) -> None:
        self.source, self.out, self.size = source, out, size
        self.error: YomikomiError | None = None
        self.volume, self.level, self.late = 1.0, Level(), 0
        self._news = threading.Condition()
        self._generation = 0
        self._playing = self._closing = False
        self._begin, self._speed, self._track = 0.0, 1.0, 0
        self._loop: tuple[float, float] | None = None
        self._field: int | None = None
        self._pictures: deque[Shown] = deque()
        self._ring = SampleQueue(CHANNELS)
        self._taken = 0  # samples
        self._pictures_end = self._sound_ends = False
        self._last: Shown | None = None
        self._beside: float | None = None
        self._threads = [
            threading.Thread(target=self._work, args=(run,), name=name, daemon=True)
            for run, name in ((self._run_pictures, "player pictures"), (self._run_sound, "player sound"))
        ]
        for thread in self._threads:
            thread.start()

    # What a person does.

    def play(self) -> None:
        if self._playing or self._closing:
            return
        if self.ended:
            self.seek(self._loop[0] if self._loop is not None else 0.0)
        self._field = None
        self._playing = True
        try:
            self.out.start(self._pull)
        except OSError as error:
            self._playing = False
            self.error = YomikomiError(f"The sound output does not answer: {error}.", remedy="Connect it again, or close the player.")

    def hold(self) -> None:
        self._playing = False
        self.out.stop()

    def seek(self, seconds: float) -> None:
        with self._news:
            self._restart(min(max(0.0, seconds), max(0.0, self.source.seconds - float(1 / self.source.rate))))

    def step(self, frames: int) -> None:
        """Hold, and go so many frames on or back from the one that is shown."""
        self.hold()
        self._field = None
        self.seek(float((self.shown_number + frames + Fraction(1, 8)) / self.source.rate))

    def step_field(self, fields: int, *, bottom_first: bool) -> None:
        """Hold, and show single fields, each line twice: the next one, or the one before."""
        self.hold()
        second = self._field is not None and self._field != int(bottom_first)
        number = 2 * self.shown_number + int(second) + (fields if self._field is not None else 0)
        number = max(0, number)
        with self._news:
            self._field = int(bottom_first) if number % 2 == 0 else int(not bottom_first)
            self._restart(float((Fraction(number // 2) + Fraction(1, 8)) / self.source.rate))

    def set_speed(self, speed: float) -> None:
        with self._news:
            position, self._speed = self.position, speed
            self._restart(position)

    def set_track(self, track: int) -> None:
        with self._news:
            self._track = track
            self._restart(self.position)

    def set_loop(self, loop: tuple[float, float] | None) -> None:
        """Seconds between which it goes round; None: to the end."""
        self._loop = loop if loop is None or loop[1] - loop[0] >= 2 / self.source.rate else None

    def close(self) -> None:
        """Raises nothing; waits for the threads, a moment at most."""
        self.hold()
        with self._news:
            self._closing = True
            self._generation += 1
            self._news.notify_all()
        self.out.close()
        for thread in self._threads:
            thread.join(timeout=5)

    # What is so.

    @property
    def playing(self) -> bool:
        return self._playing

    @property
    def speed(self) -> float:
        return self._speed

    @property
    def loop(self) -> tuple[float, float] | None:
        return self._loop

    @property
    def position(self) -> float:
        """Seconds from the beginning, by what is heard now."""
        return self._begin + max(0.0, self._taken / RATE - self.out.delay * self._playing) * self._speed

    @property
    def _due(self) -> float:
        """The moment up to which pictures are too late."""
        return self._beside if self._beside is not None else self.position if self._playing else -1.0

    @property
    def ended(self) -> bool:
        with self._news:
            return self._pictures_end and not self._pictures and self._sound_ends and not self._ring.held

    @property
    def shown_number(self) -> int:
        """The number of the frame that is shown."""
        return self._last.number if self._last is not None else round(self._begin * self.source.rate)

    def picture_due(self, seconds: float | None = None) -> Shown | None:
        """The picture that has become due since it was asked for last; None where the last one still is. ``seconds``: the moment that
        counts, of another player that this one runs beside; None: its own."""
        if seconds is None:
            self._go_round()
        due = None
        with self._news:
            self._beside = seconds
            position = (self.position if seconds is None else seconds) + _EARLY_S
            while self._pictures and (self._pictures[0].seconds <= position or self._fresh):
                self._fresh = False
                due = self._pictures.popleft()
            if due is not None:
                self._last = due
                self._news.notify_all()
        if self._playing and self.ended:
            self.hold()
        return due

    # The clock and the sound.

    _fresh = True  # after a jump the first picture is due at once, whatever its stamp

    def _go_round(self) -> None:
        if self._loop is None or not self._playing:
            return
        if self.position >= self._loop[1] - 0.5 / float(self.source.rate) or self.ended:
            self.seek(self._loop[0])

    def _restart(self, seconds: float) -> None:
        self._generation += 1
        self._begin, self._taken = seconds, 0
        self._pictures.clear()
        self._ring.clear()
        self._pictures_end = self._sound_ends = False
        self._fresh, self._last, self.error, self._beside = True, None, None, None
        self._news.notify_all()

    def _pull(self, count: int) -> Samples:
        """Called by the output."""
        with self._news:
            if not self._playing:
                return np.zeros((0, CHANNELS), np.float32)
            given: Samples = self._ring.take(count)
            self._taken += len(given)
            self._news.notify_all()
        self.level = _level(given)
        return given * np.float32(self.volume)

    # The threads.

    def _work(self, run: Callable[[int], None]) -> None:
        # Decoders' threads are born with the priority of this one: the window comes first.
        with contextlib.suppress(OSError):
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICE)
        done = -1
        while True:
            with self._news:
                while not self._closing and self._generation == done:
                    self._news.wait()
                if self._closing:
                    return
                done = self._generation
            try:
                run(done)
            except _StaleError:
                continue
            except YomikomiError as error:
                self._fail(done, error)
            except Exception as error:  # the border between threads: shown, not lost
                self._fail(done, defect(error, "the player"))

    def _fail(self, generation: int, error: YomikomiError) -> None:
        with self._news:
            if generation == self._generation and not self._closing:
                self.error = error
                self._pictures_end = self._sound_ends = True

    def _check(self, generation: int) -> None:
        if generation != self._generation:
            raise _StaleError

    def _run_pictures(self, generation: int) -> None:
        rate = self.source.rate
        for seconds, frame in self.source.pictures(int(self._begin * rate + Fraction(1, 1000)), lambda: self._check(generation)):
            number = round(seconds * rate)
            self._check(generation)
            if not self._fresh and seconds + 1 / rate < self._due:
                self.late += 1  # its time is over: no use making it
                continue
            made = Shown(seconds, number, _for_screen(frame, self.size, self._field, self.source.shape))
            with self._news:
                self._news.wait_for(lambda: generation != self._generation or len(self._pictures) < _AHEAD)
                self._check(generation)
                self._pictures.append(made)
        with self._news:
            self._check(generation)
            self._pictures_end = True

    def _run_sound(self, generation: int) -> None:
        for block in self._sound(generation):
            with self._news:
                self._news.wait_for(lambda: generation != self._generation or self._ring.held < _AHEAD_S * RATE)
                self._check(generation)
                self._ring.put(block)
        with self._news:
            self._check(generation)
            self._sound_ends = True

    def _sound(self, generation: int) -> Iterator[Samples]:
        begin, length, speed = round(self._begin * RATE), round(self.source.seconds * RATE), self._speed
        if self._track >= self.source.sounds or not _HEARD_FROM <= speed <= _HEARD_TO:
            yield from continuous(iter(()), 0, round((length - begin) / speed))
            return
        found = self.source.sound(self._track, self._begin, lambda: self._check(generation))
        blocks = continuous(found, begin, length)
        yield from blocks if speed == 1 else _at_speed(blocks, speed)


def _at_speed(blocks: Iterator[Samples], speed: float) -> Iterator[Samples]:
    """Slower or faster at the same pitch."""
    line: SoundLine | None = None
    for samples in blocks:
        block: Any = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples).reshape(1, -1), format="flt", layout="stereo")
        block.sample_rate = RATE
        line = line or SoundLine([("atempo", f"{speed:.4f}")], like=block, sample_format="flt")
        for made in line.push(block):
            yield np.asarray(made.to_ndarray(), np.float32).reshape(-1, CHANNELS)
    if line is not None:
        for made in line.push(None):
            yield np.asarray(made.to_ndarray(), np.float32).reshape(-1, CHANNELS)


def _level(samples: Samples) -> Level:
    if not len(samples):
        return Level()
    peak, rms = np.abs(samples).max(0), np.sqrt(np.square(samples, dtype=np.float64).mean(0))
    found = [[20 * float(np.log10(max(value, 10 ** (_FLOOR_DB / 20)))) for value in pair] for pair in (peak, rms)]
    return Level((found[0][0], found[0][1]), (found[1][0], found[1][1]))


def _for_screen(frame: av.VideoFrame, size: tuple[int, int], field: int | None, shape: Fraction) -> NDArray[np.uint8]:
    """As large as it fits, at its display shape, so that nobody has to scale it who paints it; a single field as it is, each line twice."""
    if field is not None:
        whole = _bgra(frame, frame.width, frame.height)
        return np.ascontiguousarray(np.repeat(whole[field::2], 2, axis=0)[: len(whole)])
    width, height = min(size[0], round(size[1] * shape)), min(size[1], round(size[0] / shape))
    return _bgra(frame, max(2, width), max(2, height))


def _bgra(frame: av.VideoFrame, width: int, height: int) -> NDArray[np.uint8]:
    made = frame.reformat(width=width, height=height, format="bgra", interpolation="BILINEAR")
    plane = made.planes[0]
    samples = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, plane.line_size)
    return np.ascontiguousarray(samples[:, : 4 * made.width].reshape(made.height, made.width, 4))
