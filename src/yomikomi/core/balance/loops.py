"""Moving loops of the hardest part at the same place, as it is and at several qualities: what a person compares blindly."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.balance.detail import detail_db
from yomikomi.core.balance.judging import to_plane
from yomikomi.core.balance.models import TrialSet
from yomikomi.core.balance.segments import Segment
from yomikomi.core.balance.spans import TreatedSpan
from yomikomi.core.balance.trial import busiest_place, crop_of, decoded_again, encode_span, judge_for
from yomikomi.core.balance.viewing import Viewing
from yomikomi.core.errors import UnreadableError
from yomikomi.core.reading.current import check_current
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.plan import pixel_format_of
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.video.planes import bits, luma
from yomikomi.core.work import Reporter
from yomikomi.core.work.priority import tame_encoders

# Copies that a test can choose from, and how long a loop is.
_LEVELS = 8
LOOP_SECONDS = 2
# Crops are watched pixel for pixel on a screen, as at a desk.
_VIEWING: Viewing = "desk"


@dataclass(frozen=True)
class LoopsRequest:
    """``segment``: of the take; ``recipes``: differ in their quality; files are written into ``folder``."""

    path: Path
    reading: Reading
    treatment: Treatment
    segment: Segment
    recipes: tuple[Recipe, ...]
    folder: Path


@dataclass(frozen=True)
class Loop:
    """``file``: pictures, shape=(pictures, lines, columns, 3), uint8 RGB; ``detail_db``: that the copy keeps of this part as seen at a
    desk, None of the treated take itself."""

    file: Path
    detail_db: float | None

    def pictures(self) -> NDArray[np.uint8]:
        """shape=(pictures, lines, columns, 3), uint8 RGB. Raises UnreadableError."""
        try:
            return np.load(self.file, allow_pickle=False)
        except (OSError, ValueError) as error:
            raise UnreadableError(f"{self.file.name} cannot be read any more.", remedy="Begin the comparison again.") from error


@dataclass(frozen=True)
class Loops:
    """``source``: the treated take; ``copies``: from the smallest to the best; ``rate``: pictures a second."""

    source: Loop
    copies: tuple[Loop, ...]
    rate: Fraction


@dataclass(frozen=True)
class LoopsProgress:
    part: float


def hardest_segment(trials: TrialSet, reading: Reading) -> Segment:
    """The middle of the hardest part that was tried, as long as a loop."""
    hard = trials.hardest
    wanted = max(2, min(hard.frames, round(LOOP_SECONDS * reading.rate.by_stamps)))
    return Segment(hard.first_frame + (hard.frames - wanted) // 2, wanted, 1, certain=True, inclusion=1.0, role="hardest")


def levels_between(trials: TrialSet, codec: str) -> tuple[Recipe, ...]:
    """Qualities of a codec, evenly from the smallest that was tried to the best; empty where it has none."""
    of_codec = [point.recipe for point in trials.points if point.recipe.curve == codec and point.recipe.row.probes]
    tried = sorted(of_codec, key=lambda recipe: recipe.level)
    if not tried:
        return ()
    best, smallest = tried[0].level, tried[-1].level
    return tuple(tried[0].with_quality(round(level)) for level in np.unique(np.linspace(smallest, best, _LEVELS).round())[::-1])


def render_loops(request: LoopsRequest, reporter: Reporter) -> Loops:
    """Raises CancelledError, UnfinishedError where the take is not the one that was read, UnreadableError; OSError of the drive."""
    check_current(request.path, request.reading, reporter.check)
    tame_encoders()
    kind = pixel_format_of(request.recipes[0], request.reading)
    span = TreatedSpan(request.path, request.reading, request.treatment, request.segment, kind, reporter)
    judge = judge_for(span)
    place: tuple[int, int] | None = None
    shown: list[NDArray[np.uint8]] = []
    for number, frame in enumerate(span.frames()):
        if number in span.counted:
            place = place if place is not None else busiest_place(frame)
            shown.append(crop_of(frame, place))
    if place is None:
        raise UnreadableError(f"No frame of {request.path.name} can be decoded there.", remedy="Read it again.", path=request.path)
    source = Loop(_kept(shown, request.folder / "take.npy"), None)
    copies = []
    for number, recipe in enumerate(request.recipes):
        packets, _, _, header = encode_span(span, recipe, reporter)
        crops, planes = [], {}
        for at, frame in enumerate(decoded_again(span, recipe, packets, header)):
            reporter.check()
            if at in span.counted:
                crops.append(crop_of(frame, place))
            if at in judge.numbers:
                planes[at] = to_plane(luma(frame), bits(frame))
        judged = judge.judge(planes)
        if judged is not None and len(crops) == len(shown):
            copies.append(Loop(_kept(crops, request.folder / f"copy-{number}.npy"), round(detail_db(judged.seen[_VIEWING]), 2)))
        reporter.report(LoopsProgress((number + 1) / len(request.recipes)))
    return Loops(source, tuple(sorted(copies, key=lambda one: one.detail_db or 0.0)), span.format.rate)


def _kept(pictures: list[NDArray[np.uint8]], path: Path) -> Path:
    np.save(path, np.stack(pictures), allow_pickle=False)
    return path
