"""What is shown of a take before it is read."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests.making import programme_frames, write_clip
from yomikomi.core.reading import unread
from yomikomi.core.video.media import probe


@pytest.mark.parametrize("rotation", [0, 90, 180, 270])
def test_a_take_from_a_turned_camera_stands_as_its_reading_shows_it(rotation: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A positive rotation turns against the clock, as in the close look and in the treatment."""
    path = write_clip(tmp_path / "walk.mkv", programme_frames(20, width=176, height=144, seed=3))
    upright = unread.first_look(path)
    monkeypatch.setattr(unread, "probe", lambda file: replace(probe(file), rotation=rotation))
    turned = unread.first_look(path)
    assert upright.picture is not None
    assert turned.picture is not None
    assert np.array_equal(turned.picture, np.rot90(upright.picture, rotation // 90))
    assert turned.shape == (1 / upright.shape if rotation % 180 else upright.shape)
