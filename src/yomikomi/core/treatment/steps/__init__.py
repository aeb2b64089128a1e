"""The steps there are, in the order in which a treatment takes them. To add one: a file here, and its class in the table."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from yomikomi.core.treatment.steps.burn_in import BurnIn
from yomikomi.core.treatment.steps.colour import Colour
from yomikomi.core.treatment.steps.crop import Crop
from yomikomi.core.treatment.steps.denoise import Denoise
from yomikomi.core.treatment.steps.fields import Deinterlace, Fields
from yomikomi.core.treatment.steps.film import Film, FilmPart, PartKind
from yomikomi.core.treatment.steps.frame import Frame
from yomikomi.core.treatment.steps.high_range import HighRange
from yomikomi.core.treatment.steps.legal import Legal
from yomikomi.core.treatment.steps.levels import Levels
from yomikomi.core.treatment.steps.mask import Mask
from yomikomi.core.treatment.steps.matrix import Matrix
from yomikomi.core.treatment.steps.rate import RateCap
from yomikomi.core.treatment.steps.reframe import KeyPosition, Reframe
from yomikomi.core.treatment.steps.size import Shape, Size
from yomikomi.core.treatment.steps.table import Table
from yomikomi.core.treatment.steps.trim import CutOut, Fade, Part, Split, Trim
from yomikomi.core.treatment.steps.turn import Turn

AnyStep = Annotated[
    Trim | CutOut | Split | Fields | Film | RateCap | Denoise | Mask | Crop | Turn | Reframe | Shape
    | Levels | Colour | Matrix | Size | HighRange | Table | Legal | BurnIn | Frame | Fade,
    Field(discriminator="step"),
]
# Fields first, while lines are still where they were recorded; noise at the size that it was measured at, in no more frames than are kept;
# levels before a resize that would spread what they clip; what costs by the sample after what makes fewer of them; bars last, so that
# nothing is done to them but a fade.
ORDER: tuple[str, ...] = (
    "trim", "cut out", "split", "fields", "film", "rate", "denoise", "mask", "crop", "turn", "reframe", "shape", "levels", "colour",
    "matrix", "size", "high range", "table", "legal", "burn in", "frame", "fade",
)  # fmt: skip

__all__ = [
    "ORDER", "AnyStep", "BurnIn", "Colour", "Crop", "CutOut", "Deinterlace", "Denoise", "Fade", "Fields", "Film", "FilmPart", "Frame",
    "HighRange", "KeyPosition", "Legal", "Levels", "Mask", "Matrix", "Part", "PartKind", "RateCap", "Reframe", "Shape", "Size", "Split",
    "Table", "Trim", "Turn",
]  # fmt: skip
