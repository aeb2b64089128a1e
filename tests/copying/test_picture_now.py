"""The picture that a run shows is the one that is encoded."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.making import write_clip
from yomikomi.core.copying.picture_now import picture_now
from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.errors import UnreadableError
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import CutOut, Part, Trim
from yomikomi.core.work import SilentReporter


def test_it_follows_cuts(tmp_path: Path) -> None:
    """Every picture of the take has a level of its own; a second is cut off its head, and one out of its middle."""
    levels = [20 + 2 * number for number in range(100)]
    clip = write_clip(tmp_path / "take.mkv", [np.full((48, 64), level, np.uint8) for level in levels], codec="ffv1")
    reading = read(ReadRequest(clip), SilentReporter())
    cut = Treatment(steps=(Trim(start=1.0, end=3.6), CutOut(parts=(Part(start=2.0, end=3.0),))))
    for treatment, moved, later in ((Treatment(), 0, 0), (cut, 25, 50)):
        request = CopyRequest(clip, tmp_path / "x.mp4", reading, treatment, recipe_for("h264", 30))
        for frame in (0, 7, 24, 25, 39):
            picture = picture_now(request, frame, (32, 32))
            assert picture.shape == (24, 32, 3)
            level = levels[frame + (moved if frame < 25 else later)]
            assert float(picture.mean()) == pytest.approx((level - 16) * 255 / 219, abs=5), frame  # a frame is 2.3, rounding 2
    clip.write_bytes(b"gone")
    with pytest.raises(UnreadableError):
        picture_now(request, 3, (32, 32))
