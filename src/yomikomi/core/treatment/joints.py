"""Where a part is cut out, sound falls and rises within a few milliseconds: waves that are cut in the middle click."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from fractions import Fraction

import av
import numpy as np

from yomikomi.core.treatment.pieces import Pieces
from yomikomi.core.video.blocks import scaled

# Long enough that a low tone does not thump, too short to be noticed as a hole (common practice, no source: 2 to 10 ms).
RAMP_S = Fraction(5, 1000)


class Joints:
    """Those of a take of which ``pieces`` are kept."""

    def __init__(self, pieces: Pieces) -> None:
        ends = [one.end for one in pieces.all[:-1] if one.end is not None]
        self._cuts = sorted({*ends, *(one.begin for one in pieces.all[1:])})

    def softened(self, block: av.AudioFrame, begin: Fraction) -> av.AudioFrame:
        """A block that begins at a second of the take, silent where a part is cut out next to it; the block itself elsewhere."""
        end = begin + Fraction(block.samples, block.sample_rate)
        near = self._cuts[bisect_left(self._cuts, begin - RAMP_S) : bisect_right(self._cuts, end + RAMP_S)]
        if not near:
            return block
        # Seconds from the cuts: small numbers, however long the take.
        moments = np.arange(block.samples) / block.sample_rate
        apart = np.min([np.abs(moments - float(cut - begin)) for cut in near], axis=0)
        away = np.minimum(1.0, apart / float(RAMP_S))
        return scaled(block, 0.5 - 0.5 * np.cos(np.pi * away))
