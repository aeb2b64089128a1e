"""What every scene is: one shot, drawn at any instant on any raster of lines."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable

import numpy as np

from yomikomi.sim.canvas import Raster
from yomikomi.sim.textures import Image

TEXTURE_HEIGHT, TEXTURE_WIDTH = 760, 1800


class Scene(ABC):
    """One shot. ``draw(t, raster)`` gives the picture t seconds into it.

    Attributes
    ----------
    surface : how its background texture is made.
    sound : what it sounds like, where its programme has the sound of its scenes.
    pace : what a person would call its motion: still, slow or fast. Part of the truth.
    """

    surface: Callable[[np.random.Generator, int, int], Image]
    pace = "slow"
    sound = "crowd"

    def __init__(self, texture: Image, rng: np.random.Generator) -> None:
        self.texture = texture
        self.start_x = float(rng.uniform(40, TEXTURE_WIDTH - 800))
        self.start_y = float(rng.uniform(20, 120))
        self.direction = 1.0 if self.start_x < TEXTURE_WIDTH / 2 - 360 else -1.0

    @abstractmethod
    def draw(self, t: float, raster: Raster) -> Image: ...
