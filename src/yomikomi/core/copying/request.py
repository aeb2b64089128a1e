"""What is asked of a copy, and what it tells on the way."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from yomikomi.core.outlets.model import Outlet
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.plan import pixel_format_of
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.recipes.shaping import treated_for
from yomikomi.core.treatment.chain import MOST_FILLED_S, Chain, chain_for
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.model import Treatment


@dataclass(frozen=True)
class CopyRequest:
    """``outlet``: where it is to play, and what it is held against at the end; ``fill_gaps``: gaps of any length in the pictures are filled
    with the frame before; otherwise long ones are refused."""

    path: Path
    target: Path
    reading: Reading
    treatment: Treatment
    recipe: Recipe
    fill_gaps: bool = False
    outlet: Outlet | None = None

    @property
    def most_filled_s(self) -> Fraction | int | None:
        """Seconds of a gap that is filled; None: of any."""
        return None if self.fill_gaps else MOST_FILLED_S

    @property
    def sized(self) -> CopyRequest:
        """The same with the picture size of the recipe in the treatment."""
        return replace(self, treatment=treated_for(self.recipe, self.treatment, source_format(self.reading)))


@dataclass(frozen=True)
class CopyProgress:
    """``step``: first pass, encoding, encoding again (nearer to a size), copying or verifying; ``part`` 0…1 of it."""

    step: str
    part: float
    frames: int
    bytes_written: int
    seconds_left: float


def chain_of(request: CopyRequest) -> Chain:
    """The treatment that a copy's pictures go through."""
    return chain_for(
        request.reading, request.treatment,
        pixel_format=pixel_format_of(request.recipe, request.reading),
        most_filled_s=request.most_filled_s, path=request.path,
    )  # fmt: skip
