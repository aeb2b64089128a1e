"""A colour table of a person's own."""

from __future__ import annotations

from pathlib import Path
from typing import ClassVar, Literal

from pydantic import Field

from yomikomi.core.errors import UnreadableError
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters, Step
from yomikomi.core.treatment.tables import checked_hash, table_hash
from yomikomi.core.treatment.through_rgb import rgb_format, through_rgb
from yomikomi.core.video.graph import quoted


class Table(Step):
    """``file``: a ``.cube`` table of three dimensions, applied to R′G′B′; ``sha256``: of the file as it was chosen, so that another one
    of the same name is not taken for it."""

    title: ClassVar[str] = "Colour table"

    step: Literal["table"] = "table"
    file: str = Field(min_length=1, max_length=4096)
    sha256: str = Field(pattern=r"^[0-9a-f]{64}$")

    @classmethod
    def of(cls, path: Path) -> Table:
        """Raises UnreadableError where the file is no table that can be applied."""
        return cls(file=str(path.absolute()), sha256=checked_hash(path))

    def output(self, before: PictureFormat) -> PictureFormat:
        return rgb_format(before, before.colour)

    def filters(self, before: PictureFormat) -> Filters:
        path = Path(self.file)
        if table_hash(path) != self.sha256:
            raise UnreadableError(
                f"The table {path.name} changed since it was chosen.", remedy="Choose it again, or bring the old one back.", path=path
            )
        return through_rgb([("lut3d", f"file={quoted(path)}:interp=tetrahedral")], before, self.output(before))

    def words(self, before: PictureFormat) -> str:
        return f"colour table {Path(self.file).name}"
