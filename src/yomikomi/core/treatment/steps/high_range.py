"""PQ and HLG pictures of BT.2020 for ordinary screens."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from platformdirs import user_cache_path
from pydantic import Field

from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters, Step
from yomikomi.core.treatment.tables import CubeTable, grid, write_cube
from yomikomi.core.treatment.through_rgb import rgb_format, through_rgb
from yomikomi.core.video.colour import BT709, HLG, PQ
from yomikomi.core.video.graph import quoted
from yomikomi.core.video.high_range import LUMA_2020, TO_709, hlg_to_nits, into_gamut, pq_to_nits, tone_mapped
from yomikomi.core.video.units import number_text

_LEAST_BITS, _SIDE = 10, 65
# Reference white of wide-range pictures, cd/m² (ITU-R BT.2408-7): it becomes the white of the ordinary picture.
WHITE_NITS = 203.0
# The screen that an ordinary picture is made for (ITU-R BT.1886).
_GAMMA = 2.4
# A table that is shorter was cut off when the machine went down.
_LEAST_BYTES = 20 * _SIDE**3
# Raise it when the conversion changes: the tables that are kept are known by it.
_VERSION = 1


class HighRange(Step):
    """Light is mapped by the curve of ITU-R BT.2390, colours outside of BT.709 are pulled in softly, white of 203 cd/m² becomes white.
    ``exposure``: stops, before the mapping: material that was exposed one stop over comes down by −1. ``peak``: brightest light that
    matters, cd/m²; brighter is clipped."""

    title: ClassVar[str] = "PQ and HLG"

    step: Literal["high range"] = "high range"
    exposure: float = Field(default=0, ge=-4, le=4)
    peak: float = Field(default=1000, ge=250, le=10_000)

    def output(self, before: PictureFormat) -> PictureFormat:
        if before.colour.transfer not in {PQ, HLG}:
            raise WrongUseError("The pictures are not flagged PQ or HLG.", remedy="Leave the step out; overrule the reading if they are.")
        if before.bits < _LEAST_BITS:
            raise WrongUseError(
                "PQ and HLG in 8 bits have too few code values: skies and shadows would show steps.",
                remedy="Bring a take of 10 bits or more.",
            )
        return rgb_format(before, BT709)

    def filters(self, before: PictureFormat) -> Filters:
        path = _table_file(before.colour.transfer, self.exposure, self.peak)
        return through_rgb([("lut3d", f"file={quoted(path)}:interp=tetrahedral")], before, self.output(before))

    def words(self, before: PictureFormat) -> str:
        name = "PQ" if before.colour.transfer == PQ else "HLG"
        stops = f", {number_text(self.exposure, places=2)} stops" if self.exposure else ""
        return f"{name} to BT.709{stops}"


def convert(signal: NDArray[np.float64], *, transfer: int, exposure: float, peak: float) -> NDArray[np.float64]:
    """ndarray [shape=(…, 3), R′G′B′ of BT.2020 primaries, 0…1] to the same shape, R′G′B′ of BT.709 primaries for ITU-R BT.1886 screens,
    0…1."""
    light = (pq_to_nits(signal) if transfer == PQ else hlg_to_nits(signal, peak=peak)) * 2.0**exposure
    luminance = light @ LUMA_2020
    mapped = tone_mapped(luminance, peak=peak, target=WHITE_NITS)
    scaled = light * (mapped / np.maximum(luminance, 1e-9))[..., None] / WHITE_NITS
    return np.power(into_gamut(scaled @ TO_709.T, mapped / WHITE_NITS), 1 / _GAMMA)


def _table_file(transfer: int, exposure: float, peak: float) -> Path:
    """Kept, since the library takes a table only as a file."""
    folder = user_cache_path("yomikomi") / "tables"
    path = folder / f"v{_VERSION}-{transfer}-{exposure:g}-{peak:g}.cube"
    if path.exists() and path.stat().st_size > _LEAST_BYTES:
        return path
    made: Path | None = None
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.NamedTemporaryFile("w", dir=folder, suffix=".part", delete=False) as part:
            made = Path(part.name)
        values = convert(grid(_SIDE), transfer=transfer, exposure=exposure, peak=peak)
        write_cube(made, CubeTable(values, f"to BT.709, {exposure:g} stops, {peak:g} cd/m2"))
        made.replace(path)  # whoever else makes it has the same
    except OSError as error:
        if made is not None:
            made.unlink(missing_ok=True)
        raise UnfinishedError(
            f"The table of the conversion cannot be kept in {folder}: {error.strerror}.", remedy="Make room there.", path=path
        ) from error
    return path
