"""The detail that a finished copy keeps, measured as trials measure it, so that what was predicted can be held against it.

Trials look at the parts that they drew; this looks at moments spread evenly through the copy, so that it errs apart from them. At each the
take is treated anew and held against the copy's own pictures, at the size that the treatment makes and not at the one of the recipe.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import Final

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.balance.detail import detail_db
from yomikomi.core.balance.judging import BEFORE, DetailJudge, Judged, to_plane
from yomikomi.core.balance.models import Detail
from yomikomi.core.balance.viewing import VIEWINGS
from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.errors import CancelledError, YomikomiError
from yomikomi.core.recipes.plan import pixel_format_of
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.planes import bits, luma

# A moment for so many seconds of the copy, so many at most: treating them is some hundredths of the work of a copy.
_EACH_S, _MOST = 6, 20
# Pictures of each that are looked at. Encoders give more to every second, fourth, eighth one: all remainders by four are here, where even
# distances would tell of one sort alone (two decibels apart, measured).
_PICTURES: Final = (0, 1, 3, 6)

# Luma, shape=(lines, columns), float32, 8-bit code values.
Plane = NDArray[np.float32]


@dataclass(frozen=True)
class _Moment:
    """Numbers of pictures in the copy, ascending, that are looked at together."""

    numbers: tuple[int, ...]

    @property
    def treated(self) -> range:
        """What of the take has to be treated for it."""
        return range(max(0, self.numbers[0] - BEFORE), self.numbers[-1] + 1)


class DetailGauge:
    """Is shown the pictures of a finished copy while they are checked, and treats the take anew where it looks closer.

    ``request`` as it was asked for, not ``sized``.
    """

    def __init__(self, request: CopyRequest, check: Callable[[], None]) -> None:
        self._frames = TreatedFrames(
            request.path, request.reading, request.treatment, pixel_format=pixel_format_of(request.recipe, request.reading),
            check=check, most_filled_s=request.most_filled_s,
        )  # fmt: skip
        self._moments = _moments(self._frames.timing.frames, self._frames.format.rate)
        self._copies: dict[int, Plane] = {}
        self._judged: list[Judged] = []

    def see(self, number: int, frame: av.VideoFrame) -> None:
        """``number``: of the frame in the copy, from 0, each once and in order. Raises CancelledError."""
        while self._moments and number > self._moments[0].numbers[-1]:  # its last ones cannot be decoded
            self._judge(self._moments.pop(0))
        if not self._moments or number not in self._moments[0].numbers:
            return
        self._copies[number] = self._shown(frame)
        if number == self._moments[0].numbers[-1]:
            self._judge(self._moments.pop(0))

    def found(self) -> Detail | None:
        """None where no picture could be judged."""
        if not self._judged:
            return None
        kept = [one.noise_kept for one in self._judged if one.noise_kept is not None]
        decibels = {viewing: round(detail_db(float(np.mean([one.seen[viewing] for one in self._judged]))), 3) for viewing in VIEWINGS}
        return Detail(**decibels, noise_kept=round(float(np.mean(kept)), 3) if kept else None)

    def _shown(self, frame: av.VideoFrame) -> Plane:
        """Enlarged as a player would where the recipe made it smaller."""
        shape = self._frames.format.geometry
        same = (frame.width, frame.height) == (shape.width, shape.height)
        return _plane(frame if same else frame.reformat(width=shape.width, height=shape.height, interpolation="BICUBIC"))

    def _judge(self, moment: _Moment) -> None:
        copies, self._copies = self._copies, {}
        if not copies:
            return
        needed = {wanted for number in moment.numbers for wanted in (number, number - BEFORE)}
        self._frames.span = moment.treated
        try:
            planes = {number: _plane(frame) for number, frame in enumerate(self._frames, moment.treated.start) if number in needed}
        except CancelledError:
            raise
        except YomikomiError:
            return  # what is wrong with the take is told by the checks
        samples = {number: (planes[number], planes.get(number - BEFORE)) for number in copies if number in planes}
        if not samples:
            return
        found = DetailJudge(samples, self._frames.format.geometry).judge({number: copies[number] for number in samples})
        if found is not None:
            self._judged.append(found)


def _moments(count: int, rate: Fraction) -> list[_Moment]:
    """``count``: pictures of the copy."""
    if count <= 0:
        return []
    wanted = max(1, min(_MOST, round(count / rate / _EACH_S)))
    firsts = sorted({max(0, (2 * number + 1) * count // (2 * wanted) - _PICTURES[-1] // 2) for number in range(wanted)})
    found: list[_Moment] = []
    for first in firsts:
        numbers = tuple(sorted({min(first + by, count - 1) for by in _PICTURES}))
        if not found or numbers[0] > found[-1].numbers[-1]:
            found.append(_Moment(numbers))
    return found


def _plane(frame: av.VideoFrame) -> Plane:
    return to_plane(luma(frame), bits(frame))
