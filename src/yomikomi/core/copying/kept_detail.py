"""The detail that a finished copy keeps, measured as trials measure it, so that what was predicted can be held against it.

Trials look at the parts that they drew; this looks at moments spread evenly through the copy, so that it errs apart from them. At each the
take is treated anew and held against the copy's own pictures, at the size that the treatment makes and not at the one of the recipe.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.balance.detail import detail_db
from yomikomi.core.balance.judging import BEFORE, DetailJudge, Judged, as_played, to_plane
from yomikomi.core.balance.models import Detail
from yomikomi.core.balance.viewing import VIEWINGS
from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.errors import CancelledError, YomikomiError
from yomikomi.core.recipes.plan import pixel_format_of
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.planes import bits, luma

# A moment for so many seconds of the copy, so many at most: treating them is some hundredths of the work of a copy.
_EACH_S, _MOST = 6, 20
# They are kept until the copy is checked: no more of large pictures than take so much memory.
_MOST_BYTES, _EIGHT_BITS = 200_000_000, 8
# Pictures of each that are looked at. Encoders give more to every second, fourth, eighth one: all remainders by four are here, where even
# distances would tell of one sort alone (two decibels apart, measured).
_PICTURES: Final = (0, 1, 3, 6)


@dataclass(frozen=True)
class _Moment:
    """Numbers of pictures in the copy, ascending, that are looked at together."""

    numbers: tuple[int, ...]

    @property
    def treated(self) -> range:
        """What of the take has to be treated for it."""
        return range(max(0, self.numbers[0] - BEFORE), self.numbers[-1] + 1)


class DetailGauge:
    """Is shown the pictures of a finished copy while they are checked, and looks closer when that is over: as long as the library's log is
    heard, the end of another decoder may wait for ever.

    ``request`` as it was asked for, not ``sized``.
    """

    def __init__(self, request: CopyRequest, check: Callable[[], None]) -> None:
        self._frames = TreatedFrames(
            request.path, request.reading, request.treatment, pixel_format=pixel_format_of(request.recipe, request.reading),
            check=check, most_filled_s=request.most_filled_s,
        )  # fmt: skip
        self._moments = _moments(self._frames.timing.frames, self._frames.format)
        self._wanted = {number for moment in self._moments for number in moment.numbers}
        # As they are stored: a quarter of what they take to be judged.
        self._copies: dict[int, tuple[NDArray[Any], int]] = {}

    def see(self, number: int, frame: av.VideoFrame) -> None:
        """``number``: of the frame in the copy, from 0, each once and in order."""
        if number in self._wanted:
            shown = as_played(frame, self._frames.format.geometry)
            self._copies[number] = luma(shown).copy(), bits(shown)

    def found(self) -> Detail | None:
        """None where no picture could be judged. Raises CancelledError."""
        judged = [one for moment in self._moments if (one := self._judged(moment)) is not None]
        if not judged:
            return None
        kept = [one.noise_kept for one in judged if one.noise_kept is not None]
        decibels = {viewing: round(detail_db(float(np.mean([one.seen[viewing] for one in judged]))), 3) for viewing in VIEWINGS}
        return Detail(**decibels, noise_kept=round(float(np.mean(kept)), 3) if kept else None)

    def _judged(self, moment: _Moment) -> Judged | None:
        copies = {number: to_plane(*self._copies[number]) for number in moment.numbers if number in self._copies}
        if not copies:
            return None
        self._frames.span = moment.treated
        try:
            judge = DetailJudge.of(enumerate(self._frames, moment.treated.start), copies, self._frames.format.geometry)
        except CancelledError:
            raise
        except YomikomiError:
            return None  # what is wrong with the take is told by the checks
        return judge.judge({number: plane for number, plane in copies.items() if number in judge.numbers})


def _moments(count: int, made: PictureFormat) -> list[_Moment]:
    """``count``: pictures of the copy."""
    if count <= 0:
        return []
    each = len(_PICTURES) * made.geometry.width * made.geometry.height * (1 if made.bits == _EIGHT_BITS else 2)
    wanted = max(1, min(_MOST, round(count / made.rate / _EACH_S), _MOST_BYTES // each))
    firsts = sorted({max(0, (2 * number + 1) * count // (2 * wanted) - _PICTURES[-1] // 2) for number in range(wanted)})
    found: list[_Moment] = []
    for first in firsts:
        numbers = tuple(sorted({min(first + by, count - 1) for by in _PICTURES}))
        if not found or numbers[0] > found[-1].numbers[-1]:
            found.append(_Moment(numbers))
    return found
