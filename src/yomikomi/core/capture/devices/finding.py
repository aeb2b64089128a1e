"""Which sound input the source arrives at: each is opened for a moment, and the one that moves is named.

An input that carries the recorder's name is silent more often than not (common practice, no source).
"""

from __future__ import annotations

import time
from dataclasses import dataclass

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.devices.layer import SoundDevice
from yomikomi.core.capture.devices.reading import SOUND_RATE, SoundThread
from yomikomi.core.capture.sound_watch import SILENT_DB, level_db
from yomikomi.core.errors import YomikomiError

# Levels are taken of so many samples each; between the quietest and the loudest tenth of them programme sound differs by more than
# this, hum and noise by less, dB. Our own choice.
_WINDOW, _MOVES_DB = 2400, 3.0
_POLL_S, _OPENS_IN_S = 0.02, 2.0


@dataclass(frozen=True)
class InputFound:
    """``swing_db``: how far its level moves; ``trouble``: why nothing came."""

    device: SoundDevice
    rms_db: float
    swing_db: float
    trouble: str = ""

    @property
    def moves(self) -> bool:
        return not self.trouble and self.rms_db > SILENT_DB and self.swing_db >= _MOVES_DB

    @property
    def words(self) -> str:
        if self.trouble:
            return f"{self.device.name}: {self.trouble}"
        if self.rms_db <= SILENT_DB:
            return f"{self.device.name}: silent"
        level = f"{self.rms_db:.0f} dB".replace("-", "\N{MINUS SIGN}")
        return f"{self.device.name}: {level}, {'moves' if self.moves else 'steady (hum or noise)'}"


def find_inputs(devices: list[SoundDevice], *, layer: str = "alsa", seconds: float = 1.2) -> list[InputFound]:
    """Listen to one after the other while the source plays; the likeliest first. Those in use by another program are not opened."""
    found = [InputFound(one, -120.0, 0.0, "in use by another program") if one.busy else _listen(one, layer, seconds) for one in devices]
    return sorted(found, key=lambda one: (not one.moves, bool(one.trouble), -one.rms_db))


def _listen(device: SoundDevice, layer: str, seconds: float) -> InputFound:
    try:
        thread = SoundThread(layer, device.path, device.channels)
    except (YomikomiError, OSError, av.error.FFmpegError) as error:
        return InputFound(device, -120.0, 0.0, f"cannot be opened ({getattr(error, 'strerror', None) or error})")
    thread.start()
    wanted, until = round(seconds * SOUND_RATE), time.monotonic() + seconds + _OPENS_IN_S
    while thread.held < wanted and thread.is_alive() and time.monotonic() < until:
        time.sleep(_POLL_S)
    samples = thread.take(wanted)
    thread.stop()
    thread.finish()
    if not len(samples):
        return InputFound(device, -120.0, 0.0, thread.failed or "nothing came")
    return _judged(device, samples if thread.bits == 16 else (samples >> 16).astype(np.int16))


def _judged(device: SoundDevice, samples: NDArray[np.int16]) -> InputFound:
    """``samples``: ndarray [shape=(samples, channels), int16]."""
    levels = [level_db(samples[first : first + _WINDOW])[1] for first in range(0, len(samples) - _WINDOW + 1, _WINDOW)]
    quiet, loud = np.percentile(levels, (10, 90)) if levels else (0.0, 0.0)
    return InputFound(device, level_db(samples)[1], float(loud - max(quiet, SILENT_DB)))
