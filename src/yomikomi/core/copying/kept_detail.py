"""The detail that a finished copy keeps, measured as trials measure it, so that what was predicted can be held against it.

Trials look at the parts that they drew; this looks at moments spread evenly through the copy, so that it errs apart from them. At each the
take is treated anew and held against the copy's own pictures, at the size that the treatment makes and not at the one of the recipe.
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Final

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.balance.detail import detail_db
from yomikomi.core.balance.judging import BEFORE, DetailJudge, Judged, to_plane
from yomikomi.core.balance.models import Detail
from yomikomi.core.balance.viewing import VIEWINGS
from yomikomi.core.copying.request import CopyProgress, CopyRequest
from yomikomi.core.errors import UnreadableError
from yomikomi.core.recipes.plan import pixel_format_of
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.media import open_media, video_stream
from yomikomi.core.video.picture_at import pictures_at
from yomikomi.core.video.planes import bits, luma
from yomikomi.core.work import Reporter

# A moment for so many seconds of the copy, so many at least and at most: treating them is some hundredths of the work of a copy.
_EACH_S, _FEWEST, _MOST = 4, 1, 20
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


def measure_detail(request: CopyRequest, copy: Path, reporter: Reporter) -> Detail | None:
    """Of a copy that lies at ``copy``; None where no picture could be judged, or where streams were copied and nothing can differ.

    ``request`` as it was asked for, not ``sized``. Raises CancelledError.
    """
    if request.recipe.untouched:
        return None
    frames = TreatedFrames(
        request.path, request.reading, request.treatment, pixel_format=pixel_format_of(request.recipe, request.reading),
        check=reporter.check, most_filled_s=request.most_filled_s,
    )  # fmt: skip
    moments, judged, began = _moments(frames.timing.frames, frames.format.rate), [], time.monotonic()
    for done, moment in enumerate(moments):
        frames.span = moment.treated
        try:
            found = _judge(frames, moment, copy)
        except UnreadableError:
            continue  # damage in the take or the copy is told by the checks
        if found is not None:
            judged.append(found)
        part = (done + 1) / len(moments)
        left = (time.monotonic() - began) * (1 - part) / part
        reporter.report(CopyProgress("measuring fidelity", part, frames.timing.frames, 0, left))
    return _mean(judged)


def _moments(count: int, rate: Fraction) -> list[_Moment]:
    """``count``: pictures of the copy."""
    if count <= 0:
        return []
    wanted = max(_FEWEST, min(_MOST, round(count / rate / _EACH_S)))
    firsts = sorted({max(0, (2 * number + 1) * count // (2 * wanted) - _PICTURES[-1] // 2) for number in range(wanted)})
    return [_Moment(tuple(sorted({min(first + by, count - 1) for by in _PICTURES}))) for first in firsts]


def _judge(frames: TreatedFrames, moment: _Moment, copy: Path) -> Judged | None:
    first, shape = moment.treated.start, frames.format.geometry
    needed = {wanted for number in moment.numbers for wanted in (number, number - BEFORE)}
    planes = {number: _plane(frame) for number, frame in enumerate(frames, first) if number in needed}
    samples = {number: (planes[number], planes.get(number - BEFORE)) for number in moment.numbers if number in planes}
    if not samples:
        return None
    judge = DetailJudge(samples, shape)
    return judge.judge(dict(_of_copy(copy, frames.format, sorted(samples), frames)))


def _of_copy(copy: Path, made: PictureFormat, numbers: Sequence[int], frames: TreatedFrames) -> Iterator[tuple[int, Plane]]:
    """Pictures of the copy by their numbers, enlarged as a player would where the recipe made them smaller."""
    shape = made.geometry
    with open_media(copy) as container:
        stream = video_stream(container, copy)
        first = (stream.start_time or 0) * Fraction(stream.time_base or 1)
    for place, frame in pictures_at(copy, [number / made.rate for number in numbers], frames.check, first_seconds=first):
        same = (frame.width, frame.height) == (shape.width, shape.height)
        shown = frame if same else frame.reformat(width=shape.width, height=shape.height, interpolation="BICUBIC")
        yield numbers[place], _plane(shown)


def _plane(frame: av.VideoFrame) -> Plane:
    return to_plane(luma(frame), bits(frame))


def _mean(judged: Sequence[Judged]) -> Detail | None:
    if not judged:
        return None
    kept = [one.noise_kept for one in judged if one.noise_kept is not None]
    decibels = {viewing: round(detail_db(float(np.mean([one.seen[viewing] for one in judged]))), 3) for viewing in VIEWINGS}
    return Detail(**decibels, noise_kept=round(float(np.mean(kept)), 3) if kept else None)
