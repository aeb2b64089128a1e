"""Whether sound and picture are together, from flashes with beeps and from claps, wherever in the take they are."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.movement import cells_of, movement
from yomikomi.core.capture.sync import SyncEvents, SyncMaterial, events_in, judge_events
from yomikomi.core.reading.models import Sync
from yomikomi.core.reading.scan.evidence import blocks_of
from yomikomi.core.reading.sight import Sight

# Stretches are looked at by themselves, so that a long take needs no more memory than a short one.
_STRETCH_S = 60.0


class TogetherMeter:
    """Sees every frame and hears the first stream.

    Parameters
    ----------
    rate : frames a second. ``order``: 0 if the top field is shown first, 1 the bottom, None for whole pictures, as flagged.
    """

    def __init__(self, rate: Fraction, order: int | None) -> None:
        self._rate, self._order = rate, order
        self._lasts = float(1 / (rate * (1 if order is None else 2)))
        self._events = SyncEvents()
        self._times: list[float] = []
        self._small: list[NDArray[np.float32]] = []
        self._wave: list[NDArray[np.float32]] = []
        self._heard_from: float | None = None
        self._sound_rate = 48_000

    def see(self, sight: Sight, seconds: float) -> None:
        top, bottom = blocks_of(sight.thin)
        fields = (0.5 * (top + bottom),) if self._order is None else (top, bottom) if self._order == 0 else (bottom, top)
        if (self._small and self._small[-1].shape != top.shape) or not top.size:
            self._close()
        for number, field in enumerate(fields):
            self._times.append(seconds + number * self._lasts)
            self._small.append(np.asarray(field, np.float32))
        if self._times and self._times[-1] - self._times[0] > _STRETCH_S:
            self._close()

    def hear(self, wave: NDArray[np.float32], seconds: float, rate: int) -> None:
        """``wave``: shape (channels, samples)."""
        if not wave.size:
            return
        if self._heard_from is None:
            self._heard_from = seconds
        self._sound_rate = rate
        loudest = wave[int(np.argmax(np.einsum("ij,ij->i", wave, wave)))]
        self._wave.append(loudest)

    def finish(self) -> Sync:
        self._close()
        found = judge_events(self._events)
        if found.offset_ms is None or found.bound_ms is None:
            return Sync(offset_ms=None, events=found.events, reason=found.reason)
        half = found.bound_ms
        kind = "flashes with beeps" if found.kind == "flash" else "claps"
        return Sync(
            offset_ms=found.offset_ms, low=round(found.offset_ms - half, 1), high=round(found.offset_ms + half, 1), events=found.events,
            drift_ms_per_hour=found.drift_ms_per_hour if _sure(found.drift_ms_per_hour, found.drift_error) else None,
            reason=f"{found.events} {kind}",
        )  # fmt: skip

    def _close(self) -> None:
        """Look at the stretch, keep its events and forget it."""
        if len(self._times) > 12 and self._wave and self._heard_from is not None:
            material = SyncMaterial(
                np.asarray(self._times), self._lasts, cells_of(self._small), 1 if self._order is None else 2, *movement(self._small),
                np.concatenate(self._wave).astype(np.float64), self._sound_rate, self._heard_from,
            )  # fmt: skip
            self._events = self._events.and_then(events_in(material))
        self._times, self._small, self._wave, self._heard_from = [], [], [], None


def _sure(drift: float | None, error: float | None) -> bool:
    return drift is not None and error is not None and abs(drift) > 3 * error
