"""Simulated discs, made once."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Disc, Shared
from yomikomi.sim.disc.maker import make_disc, make_image
from yomikomi.sim.disc.spec import feature, series


@pytest.fixture(scope="session")
def lessons_image(media: Path, lessons_disc: Disc) -> Path:
    path = media / "lessons.iso"
    make_image(lessons_disc[0], path, "FERRY SCHOOL")
    return path


@pytest.fixture(scope="session")
def feature_disc(shared: Shared) -> Disc:
    """625 lines; one programme between two extras."""
    return shared.folder("feature", lambda folder: make_disc(feature(seconds=3.0, seed=4, standard="625i"), folder))


@pytest.fixture(scope="session")
def series_disc(shared: Shared) -> Disc:
    """A title that plays three others, and an extra."""
    return shared.folder("series", lambda folder: make_disc(series(seconds=1.4, seed=5), folder))
