"""The steps there are, in the order in which a treatment takes them. To add one: a file here, and its class in the table."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from yomikomi.core.treatment.steps.crop import Crop
from yomikomi.core.treatment.steps.fields import Deinterlace, Fields
from yomikomi.core.treatment.steps.film import Film
from yomikomi.core.treatment.steps.levels import Levels
from yomikomi.core.treatment.steps.size import Shape, Size
from yomikomi.core.treatment.steps.trim import Trim

AnyStep = Annotated[Trim | Fields | Film | Crop | Shape | Levels | Size, Field(discriminator="step")]
# Fields first, while lines are still where they were recorded; levels before a resize that would spread what they clip.
ORDER: tuple[str, ...] = ("trim", "fields", "film", "crop", "shape", "levels", "size")

__all__ = ["ORDER", "AnyStep", "Crop", "Deinterlace", "Fields", "Film", "Levels", "Shape", "Size", "Trim"]
