"""Fetching frames from a source into a bounded queue: a thread that never waits for the recorder."""

from __future__ import annotations

import contextlib
import queue
import threading
import time

from yomikomi.core.capture.health import Health
from yomikomi.core.errors import SourceLostError, YomikomiError
from yomikomi.core.video.source import Picture, SoundBlock, SourceEnded, SourceFormat, SourceSpec

# What may wait between reading and writing: some seconds of standard definition, a second of 1080 lines.
_QUEUE_BYTES = 128_000_000
_FEWEST, _MOST = 16, 150

Item = tuple[Picture, SoundBlock]


def queue_frames(source: SourceFormat) -> int:
    """How many frames of a source may wait."""
    standard = source.standard
    frame_bytes = standard.width * standard.height * 2 * (2 if source.bits > 8 else 1)
    return max(_FEWEST, min(_MOST, _QUEUE_BYTES // frame_bytes))


class Reader(threading.Thread):
    """Opens the source at once (in the caller's thread) and reads it when started.

    Parameters
    ----------
    patient : a source that comes as fast as it is asked (a simulation without a clock) waits for the recorder instead of
        losing frames.
    """

    def __init__(self, spec: SourceSpec, *, patient: bool) -> None:
        super().__init__(name="source", daemon=True)
        self.source = spec.open()
        self.health = Health(self.source.format.standard.rate)
        self.lock = threading.Lock()
        self.room = queue_frames(self.source.format)
        self.items: queue.Queue[Item | None] = queue.Queue(self.room)
        self.stop = threading.Event()
        self.error: YomikomiError | None = None
        self.fetched_at = time.monotonic()
        self._patient = patient

    def run(self) -> None:
        try:
            while not self.stop.is_set():
                item = self.source.read()
                self.fetched_at = time.monotonic()
                with self.lock:
                    self.health.saw(item[0].number, waited=self.fetched_at - item[0].ready_at)
                self._hand_on(item)
        except SourceEnded:
            pass
        except YomikomiError as error:
            self.error = error
        except OSError as error:
            self.error = SourceLostError(f"The source stopped: {error}.", remedy="Check its cable and power.")
        except Exception as error:  # a source that breaks must not take the recording with it
            self.error = SourceLostError(
                f"The source failed: {type(error).__name__}: {error}.", remedy="Start it again; what came is kept."
            )
        finally:
            with contextlib.suppress(Exception):
                self.source.close()
            self._say_over()

    def _say_over(self) -> None:
        while not self.stop.is_set():
            with contextlib.suppress(queue.Full):
                self.items.put(None, timeout=0.1)
                return
        with contextlib.suppress(queue.Full):
            self.items.put_nowait(None)

    def _hand_on(self, item: Item) -> None:
        while True:
            try:
                self.items.put(item, timeout=0.1) if self._patient else self.items.put_nowait(item)
            except queue.Full:
                if self._patient and not self.stop.is_set():
                    continue
                with self.lock:
                    self.health.lost_in_queue()
            return
