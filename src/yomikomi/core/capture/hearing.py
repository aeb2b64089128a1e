"""The input's sound on the machine's own output, while it is looked at or recorded: off unless a person wants it.

Nothing that is recorded waits for it: what the output does not take in time is dropped, and what it lacks is silence.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from yomikomi.core.video.sample_queue import SampleQueue
from yomikomi.core.video.sound_out import CHANNELS, RATE, Samples, SilentOut, SoundOut, usual_out
from yomikomi.core.video.source import SoundBlock, SourceFormat

# Seconds that are collected before anything is heard, and at most kept: input and output run by two clocks.
_FIRST_S, _MOST_S = 0.08, 0.30
_FULL = 32_768.0
# At the end of a pass, for a device that does not answer.
_PATIENCE_S = 1.0


@dataclass(frozen=True)
class HearAs:
    """Told to a pass that runs."""

    on: bool


class Hearing:
    """``make_out``: opens the output, which takes a while; a thread does it."""

    def __init__(self, source: SourceFormat, make_out: Callable[[], SoundOut] = usual_out) -> None:
        self._source, self._make_out = source, make_out
        self._programme = source.sound_channels - source.commentary_channels
        self._lock = threading.Lock()
        self._out: SoundOut | None = None
        self._threads: list[threading.Thread] = []
        self._turn = 0
        self._wanted = self._heard = False
        self._waiting = SampleQueue(CHANNELS)
        self._resampler: Any = None
        self.dropped = 0

    @property
    def words(self) -> str:
        """Why nothing is heard although it is wanted; empty where it is heard, or not wanted."""
        if not self._wanted:
            return ""
        if not self._programme:
            return "The input has no sound."
        return self._out.words if self._out is not None else ""

    def turn(self, *, on: bool) -> None:
        """Waits for nothing: a device may take its time to open and to close."""
        if on == self._wanted:
            return
        self._wanted = on
        self._turn += 1
        if on and self._programme:
            self._begin(self._open, self._turn)
        elif (out := self._out) is not None:
            self._out = None
            self._begin(out.close)
        with self._lock:
            self._waiting.clear()
            self._heard, self._resampler = False, None

    def offer(self, block: SoundBlock) -> None:
        """A block that was captured just now."""
        if not self._wanted or self._out is None or not block.samples.size:
            return
        made = self._stereo(block)
        with self._lock:
            self._waiting.put(made)
            while self._waiting.held > _MOST_S * RATE and len(self._waiting) > 1:  # the output runs slower than the input
                self.dropped += self._waiting.drop_oldest()

    def close(self) -> None:
        self.turn(on=False)
        for thread in self._threads:
            thread.join(_PATIENCE_S)

    def _begin(self, does: Callable[..., None], *with_: object) -> None:
        thread = threading.Thread(target=does, args=with_, name="hearing", daemon=True)
        self._threads = [one for one in self._threads if one.is_alive()] + [thread]
        thread.start()

    def _open(self, turn: int) -> None:
        out = self._make_out()
        try:
            if turn == self._turn:
                out.start(self._pull)
        except OSError as error:
            out.close()
            out = SilentOut(f"The sound output does not answer: {error}.")
        if turn == self._turn:
            self._out = out
        else:
            out.close()  # turned off meanwhile

    def _pull(self, count: int) -> Samples:
        """What there is, up to so many samples; nothing until enough is collected."""
        with self._lock:
            if not self._heard and self._waiting.held < _FIRST_S * RATE:
                return np.zeros((0, CHANNELS), np.float32)
            given: Samples = self._waiting.take(count)
            self._heard = len(given) == count  # run dry: collect again, or it would crackle
            return given

    def _stereo(self, block: SoundBlock) -> Samples:
        """At 48 kHz; one channel on both sides, of more than two the first."""
        samples = block.coarse[:, : min(CHANNELS, self._programme)].astype(np.float32) / np.float32(_FULL)
        if self._source.sound_rate != RATE:
            if self._resampler is None:
                import soxr  # few inputs have another rate

                self._resampler = soxr.ResampleStream(self._source.sound_rate, RATE, samples.shape[1], quality="HQ")
            samples = np.asarray(self._resampler.resample_chunk(np.ascontiguousarray(samples)), np.float32).reshape(-1, samples.shape[1])
        return np.repeat(samples, CHANNELS, axis=1) if samples.shape[1] == 1 else samples
