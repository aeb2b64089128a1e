"""Some seconds of a take as copies would show them: encoded in full with picture and sound, to be watched side by side."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from pathlib import Path

from yomikomi.core.copying.encode import encode
from yomikomi.core.copying.request import CopyProgress, CopyRequest
from yomikomi.core.reading.current import check_current
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.rates import Lossless
from yomikomi.core.recipes.recipe import Recipe, is_wide_range, recipe_with
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Trim
from yomikomi.core.work import Relay, Reporter

# Long enough to see what is worst, short enough to wait for (15 s of the worst part: common practice, no source).
STRETCH_S = 15.0


@dataclass(frozen=True)
class StretchRequest:
    """``begin``, ``seconds``: of the take; files are written into ``folder``."""

    path: Path
    reading: Reading
    treatment: Treatment
    begin: float
    seconds: float
    recipes: tuple[Recipe, ...]
    folder: Path


@dataclass(frozen=True)
class Stretch:
    """``size_bytes``: of the file with its sound."""

    file: Path
    recipe: Recipe
    size_bytes: int


@dataclass(frozen=True)
class Stretches:
    """``source``: the treated take, without loss; ``copies``: in the order of the recipes."""

    source: Stretch
    copies: tuple[Stretch, ...]


@dataclass(frozen=True)
class StretchProgress:
    part: float


def stretch_at(middle: float, length: float) -> tuple[float, float]:
    """Begin and length of a stretch around a moment of a take of ``length`` seconds, all of it where it is shorter."""
    seconds = min(STRETCH_S, length)
    return min(max(0.0, middle - seconds / 2), length - seconds), seconds


def render_stretches(request: StretchRequest, reporter: Reporter) -> Stretches:
    """Raises CancelledError, UnfinishedError where the take is not the one that was read, WrongUseError for recipes that cannot be made,
    UnreadableError, OSError of the drive."""
    check_current(request.path, request.reading, reporter.check)
    part = only(request.treatment, request.begin, request.seconds)
    recipes = (_without_loss(request), *request.recipes)
    made = []
    for number, recipe in enumerate(recipes):
        recipe.check()
        target = request.folder / f"{number}.{recipe.container}"
        copy = CopyRequest(request.path, target, request.reading, part, recipe, fill_gaps=True)
        encoded = encode(copy, target, Relay(reporter, partial(_part_of_all, number, len(recipes))))
        made.append(Stretch(target, recipe, encoded.size_bytes))
    return Stretches(made[0], tuple(made[1:]))


def only(treatment: Treatment, begin: float, seconds: float) -> Treatment:
    """The same treatment of a part alone, whatever it keeps of the take: nothing cut out, no fades."""
    steps = tuple(step for step in treatment.steps if step.step not in {"trim", "cut out", "split", "fade"})
    return treatment.model_copy(update={"steps": steps}).having(Trim(start=begin, end=begin + seconds))


def _without_loss(request: StretchRequest) -> Recipe:
    """Quick to make and to play, with sound as it is."""
    made = request.treatment.formats(source_format(request.reading))[-1]
    deep = is_wide_range(transfer=made.colour.transfer, bit_depth=request.reading.bit_depth)
    return recipe_with(CODECS["hevc" if deep else "h264"], Lossless(), speed="ultrafast", container="mkv", sound="pcm")


def _part_of_all(number: int, count: int, progress: object) -> StretchProgress | None:
    """Of one of several encodes."""
    return StretchProgress((number + progress.part) / count) if isinstance(progress, CopyProgress) else None
