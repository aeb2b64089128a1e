"""Where sound goes: to a device, or nowhere at the same pace."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

RATE, CHANNELS = 48_000, 2
# shape=(samples, 2), float32, full scale 1.
Samples = NDArray[np.float32]
# Gives so many samples, or fewer where there are no more; what is missing is silence and does not count as played.
Pull = Callable[[int], Samples]
_BLOCK_S = 0.01


class SoundOut(Protocol):
    """Takes samples from whoever plays, at the pace of its own clock."""

    @property
    def words(self) -> str:
        """What it is, for people; empty where sound is heard without anything to say."""

    @property
    def delay(self) -> float:
        """Seconds between a sample being taken and its being heard."""

    def start(self, pull: Pull) -> None:
        """Begin to take samples."""

    def stop(self) -> None:
        """Take no more; nothing of what was taken is heard any more."""

    def close(self) -> None:
        """Give the device back."""


class SilentOut:
    """Plays nothing, at the pace of the machine's clock."""

    def __init__(self, words: str = "") -> None:
        self.words, self.delay = words, 0.0
        self._pull: Pull | None = None
        self._ends = threading.Event()
        self._thread: threading.Thread | None = None

    def start(self, pull: Pull) -> None:
        self.stop()
        self._ends = threading.Event()
        self._thread = threading.Thread(target=self._run, args=(pull, self._ends), name="silence", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        self._ends.set()  # its thread sees it within a block; whoever stops does not wait

    def close(self) -> None:
        self.stop()
        if self._thread is not None:
            self._thread.join()
            self._thread = None

    def _run(self, pull: Pull, ends: threading.Event) -> None:
        taken, began = 0, time.monotonic()
        while not ends.wait(_BLOCK_S):
            due = int((time.monotonic() - began) * RATE) - taken
            if due > 0:
                taken += due
                pull(due)


class DeviceOut:
    """The machine's usual output. Raises OSError at the making where there is none."""

    def __init__(self) -> None:
        import sounddevice  # looks for devices when it is loaded

        self._errors = sounddevice.PortAudioError
        self.words = ""
        self._pull: Pull | None = None
        try:
            self._stream: Any = sounddevice.OutputStream(samplerate=RATE, channels=CHANNELS, dtype="float32", callback=self._fill)
        except (self._errors, ValueError) as error:
            raise OSError(str(error)) from error
        self.delay = float(self._stream.latency)

    def start(self, pull: Pull) -> None:
        self._pull = pull
        try:
            if not self._stream.active:
                self._stream.start()
        except self._errors as error:  # unplugged
            raise OSError(str(error)) from error

    def stop(self) -> None:
        self._pull = None
        if self._stream.active:
            self._stream.abort()

    def close(self) -> None:
        self._pull = None
        self._stream.close()

    def _fill(self, wanted: Samples, count: int, _time: Any, _status: Any) -> None:
        found = self._pull(count) if self._pull is not None else wanted[:0]
        wanted[: len(found)] = found
        wanted[len(found) :] = 0


def usual_out() -> SoundOut:
    """The device; without one, silence that says so."""
    try:
        return DeviceOut()
    except OSError:
        return SilentOut("No sound output on this machine: it plays silent.")
    except ImportError:
        return SilentOut("The library for sound output is missing: it plays silent.")
