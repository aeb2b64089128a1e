"""Loudness while it is recorded, to EBU R 128 and ITU-R BS.1770, by the library's own meter."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import av
import av.filter
import numpy as np
from numpy.typing import NDArray

# How channels are arranged where a stream does not say; more than these are not told apart.
LAYOUTS = {1: "mono", 2: "stereo", 3: "3.0", 4: "quad", 5: "5.0", 6: "5.1", 7: "6.1", 8: "7.1"}
_NOTHING = -70.0  # what the meter says of silence: the absolute gate of BS.1770


@dataclass(frozen=True)
class Loudness:
    """LUFS; ``momentary`` over 0.4 s, ``short`` over 3 s, ``integrated`` over all, gated; ``range_lu``: loudness range;
    ``true_peak``: dBTP, the highest since the beginning."""

    momentary: float = _NOTHING
    short: float = _NOTHING
    integrated: float = _NOTHING
    range_lu: float = 0.0
    true_peak: float = _NOTHING


class LoudnessMeter:
    """Takes blocks of sound in order, of 16 bits or (``exact``) of floating-point samples with full scale 1.

    Parameters
    ----------
    channels : all that there are, or their layout as the library names it ("5.1"): which weigh more because they come from behind, and
        which is the low-frequency channel, that does not count (ITU-R BS.1770-5, table 3). A lone channel counts as heard from two
        loudspeakers (EBU R 128 s1 calls for that in two-channel programmes; 3 LU more than it alone).
    true_peak : measure it too; costs four times as much.
    """

    def __init__(self, rate: int, channels: int | str, *, true_peak: bool = True, exact: bool = False) -> None:
        self._rate = rate
        self._layout = channels if isinstance(channels, str) else LAYOUTS.get(channels, "stereo")
        self._format = "flt" if exact else "s16"
        graph = av.filter.Graph()
        self._source = graph.add_abuffer(sample_rate=rate, format=self._format, layout=self._layout, time_base=Fraction(1, rate))
        meter = graph.add("ebur128", f"metadata=1:framelog=quiet:peak={'true' if true_peak else 'none'}:dualmono=true")
        self._sink = graph.add("abuffersink")
        self._source.link_to(meter)
        meter.link_to(self._sink)
        graph.configure()
        self._graph = graph
        self._true_peak = true_peak
        self._at = 0
        self.now = Loudness()

    def push(self, samples: NDArray[np.int16] | NDArray[np.float32]) -> Loudness:
        """``samples``: shape (samples, channels)."""
        if not len(samples):
            return self.now
        flat: Any = np.ascontiguousarray(samples).reshape(1, -1)
        frame = av.AudioFrame.from_ndarray(flat, format=self._format, layout=self._layout)
        frame.sample_rate, frame.pts, frame.time_base = self._rate, self._at, Fraction(1, self._rate)
        self._at += len(samples)
        self._source.push(frame)
        while True:
            try:
                out = self._sink.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return self.now
            self._take(dict(out.metadata))

    def _take(self, found: dict[str, str]) -> None:
        if "lavfi.r128.M" not in found:
            return
        peaks = [float(found[key]) for key in found if key.startswith("lavfi.r128.true_peaks_ch")]
        self.now = Loudness(
            _number(found, "M"), _number(found, "S"), _number(found, "I"), _number(found, "LRA"),
            max(self.now.true_peak, _decibels(peaks)) if self._true_peak else _NOTHING,
        )  # fmt: skip


def _number(found: dict[str, str], key: str) -> float:
    value = float(found.get(f"lavfi.r128.{key}", "nan"))
    return _NOTHING if not np.isfinite(value) else value


def _decibels(peaks: Sequence[float]) -> float:
    highest = max(peaks, default=0.0)
    return float(20 * np.log10(highest)) if highest > 0 else _NOTHING
