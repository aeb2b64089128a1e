"""Picture formats that carriers come in, with size and exact rate."""

from __future__ import annotations

from fractions import Fraction

from pydantic import BaseModel, ConfigDict

from yomikomi.core.planning.data_files import load
from yomikomi.core.video.standards import FieldOrder


class PictureFormat(BaseModel):
    """``width`` x ``height`` in samples; ``rate`` in frames a second (two fields to a frame where interlaced); ``raster``
    is what a digital link carries, with blanking: samples a line, lines a frame; ``first_field``: by convention, None where there are
    no fields."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    words: str
    width: int
    height: int
    rate: Fraction
    raster: tuple[int, int]
    interlaced: bool = False
    first_field: FieldOrder | None = None

    @property
    def pixel_rate(self) -> Fraction:
        """Pixels a second."""
        return self.width * self.height * self.rate


FORMATS: dict[str, PictureFormat] = {key: PictureFormat.model_validate(row) for key, row in load("formats").items()}


def format_of_size(width: int, height: int, rate: Fraction | None) -> str | None:
    """The key of the format a file comes nearest to: the size must be met, and the rate within 1 % where it is known."""
    for key, one in FORMATS.items():
        if (one.width, one.height) == (width, height) and (rate is None or abs(float(rate / one.rate) - 1) < 0.01):
            return key
    return None
