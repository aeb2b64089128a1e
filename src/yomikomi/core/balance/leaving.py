"""Takes that need no encode: what players read as it is, and what is copied best as it is."""

from __future__ import annotations

from pathlib import Path

from yomikomi.core.balance.curves import PlanePoint
from yomikomi.core.balance.prediction import untouched_prediction
from yomikomi.core.balance.viewing import Viewing
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.rates import Untouched
from yomikomi.core.recipes.recipe import recipe_with
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace, Fields, Trim

# Codecs that people watch, and not only archives and editors keep, by the library's names.
WATCHED = {"h264": "H.264", "hevc": "HEVC", "av1": "AV1", "mpeg2video": "MPEG-2", "mpeg4": "MPEG-4 Part 2", "vp9": "VP9"}
# Kinds of scan that an encode without a treatment would not change either.
_AS_SHOWN = {"progressive", "repeats", "undetermined"}


def why_not_untouched(treatment: Treatment, reading: Reading) -> str | None:
    """What an encode would be needed for; None where the streams can be copied as they are."""
    if treatment.joined:
        return "separately recorded sound is joined"
    if treatment.sound:
        return "the sound is treated"
    left = [one for one in treatment.steps if isinstance(one, Trim) or (isinstance(one, Fields) and one.mode is Deinterlace.LEAVE)]
    other = [one.title for one in treatment.steps if one not in left]
    if other:
        return f"the treatment changes the pictures ({', '.join(other)})"
    if reading.rate.retimed:
        return "the time stamps of the take are wrong and have to be set anew"
    return None


def cut_exactly(own: PlanePoint, reading: Reading, treatment: Treatment) -> PlanePoint | None:
    """The same cut where the treatment trims it, and not at key pictures; None where that makes no difference or cannot be. ``own``: the
    copy as it is."""
    if treatment.get(Trim) is None or why_not_exact(reading) is not None:
        return None
    told = own.prediction
    recipe = told.recipe.model_copy(update={"rate": Untouched(exact=True)})
    return PlanePoint(told.model_copy(update={"recipe": recipe}))


def why_not_exact(reading: Reading) -> str | None:
    """Why the ends of a take cannot be encoded to stand beside its own pictures; None where they can, as far as the reading tells."""
    if reading.codec != "h264":
        return "only H.264 can be cut exactly without encoding all of it"
    if reading.pixel_format not in {"yuv420p", "yuvj420p"}:
        return f"pictures of this kind ({reading.pixel_format}) cannot be encoded to match"
    if reading.scan.kind == "interlaced":
        return "interlaced pictures cannot be encoded to match"
    return None


def as_it_is(path: Path, reading: Reading, treatment: Treatment, viewing: Viewing = "television") -> PlanePoint | None:
    """A copy of the streams as they are, where that is what a person would be advised; None where the take wants an encode. It keeps the
    kind of file where that is one that players read, and comes into Matroska otherwise."""
    if reading.codec not in WATCHED or why_not_untouched(treatment, reading) is not None:
        return None
    fields = treatment.get(Fields)
    if fields is None and reading.scan.kind not in _AS_SHOWN:
        return None  # it wants a treatment that nobody chose
    kind = {".mp4": "mp4", ".m4v": "mp4", ".mov": "mov"}.get(path.suffix.lower(), "mkv")
    recipe = recipe_with(CODECS["source"], Untouched(), container=kind)
    return PlanePoint(untouched_prediction(reading, treatment, recipe, viewing))
