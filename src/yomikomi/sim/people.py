"""People in the scenes: two-jointed legs and arms that swing as they walk, clothes with a light and a dark side, a shadow."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from yomikomi.sim.canvas import Raster, disc, limb
from yomikomi.sim.textures import Image

Colour = tuple[int, int, int]


def shaded(colour: Colour, gain: float) -> Colour:
    """Lighter or darker, the hue kept."""
    return int(np.clip(16 + (colour[0] - 16) * gain, 16, 235)), colour[1], colour[2]


# Smaller people are too far away for folds and far arms to be seen.
_NEAR = 1.0


@dataclass(frozen=True)
class Person:
    """Measures in frame coordinates at size 1: about 180 lines tall. ``dark``: how bright clothes are at the least."""

    coat: Colour
    legs: Colour
    skin: Colour
    hair: Colour
    size: float
    phase: float
    carries: bool = False

    @classmethod
    def any(cls, rng: np.random.Generator, *, size: float, dark: int = 60, carries: bool = False) -> Person:
        def tone(low: int, high: int) -> int:
            return int(rng.integers(low, high))

        coat = (tone(dark, dark + 110), tone(98, 158), tone(104, 176))
        skin = (tone(118, 186), tone(108, 120), tone(140, 154))
        return cls(coat, (tone(28, 90), tone(118, 142), tone(118, 136)), skin, (tone(20, 58), 126, 132), size,
                   float(rng.uniform(0, 6.28)), carries)  # fmt: skip

    def draw(self, raster: Raster, image: Image, *, x: float, ground: float, stride: float, facing: float = 1.0) -> tuple[float, float]:
        """``stride``: how far it has walked, in its own steps (radians). Returns where the forward hand is."""
        s, phase = self.size, self.phase + stride
        bob = 3.0 * s * abs(np.sin(phase))
        hip, shoulder, head = ground - 88 * s - bob, ground - 148 * s - bob, ground - 172 * s - bob
        if not -60 * s < x < raster.width + 60 * s:
            return x, shoulder
        raster.polygon(image, disc(x, ground + 2 * s, 34 * s, 6 * s), (24, 128, 128))
        for side in (1, -1):
            self._leg(raster, image, x, hip, ground, side * np.sin(phase), facing, near=side > 0)
        front = back = (x, shoulder)
        if s > _NEAR:
            back = self._arm(raster, image, x, shoulder, -np.sin(phase), facing, near=False)
        raster.polygon(image, _torso(x, shoulder, hip, s), self.coat)
        if s > _NEAR:
            lapel = limb(x - 11 * s * facing, shoulder + 4 * s, x - 12 * s * facing, hip + 8 * s, 15 * s)
            raster.polygon(image, lapel, shaded(self.coat, 0.72))
            raster.polygon(image, limb(x - 19 * s, hip - 22 * s, x + 19 * s, hip - 22 * s, 6 * s), shaded(self.coat, 1.35))  # a sash
        raster.polygon(image, disc(x + 2 * s * facing, head, 13 * s, 17 * s), self.skin)
        raster.polygon(image, disc(x - 3 * s * facing, head - 6 * s, 14 * s, 13 * s), self.hair)
        front = self._arm(raster, image, x, shoulder, np.sin(phase), facing, near=True)
        return front if np.sin(phase) * facing > 0 or self.carries else back

    def _leg(self, raster: Raster, image: Image, x: float, hip: float, ground: float, swing: float, facing: float, *, near: bool) -> None:
        s, colour = self.size, self.legs if near else shaded(self.legs, 0.7)
        lift = max(0.0, -swing) * 9 * s
        knee = (x + (swing * 17 + 5 * facing) * s, (hip + ground) / 2 - lift)
        foot = (x + swing * 30 * s, ground - lift)
        raster.polygon(image, limb(x, hip, *knee, 19 * s), colour)
        raster.polygon(image, limb(*knee, *foot, 13 * s), colour)
        if s > _NEAR:
            raster.polygon(image, limb(foot[0] - 6 * s, foot[1], foot[0] + 12 * s * facing, foot[1], 8 * s), shaded(colour, 0.6))

    def _arm(
        self, raster: Raster, image: Image, x: float, shoulder: float, swing: float, facing: float, *, near: bool
    ) -> tuple[float, float]:
        s, colour = self.size, self.coat if near else shaded(self.coat, 0.6)
        if self.carries and near:
            swing = 0.9 + 0.1 * swing  # held forward
        elbow = (x + swing * 20 * s * facing, shoulder + 34 * s)
        hand = (elbow[0] + (swing * 16 + 8) * s * facing, elbow[1] + (24 - 26 * max(0.0, swing)) * s)
        raster.polygon(image, limb(x, shoulder + 6 * s, *elbow, 13 * s), colour)
        raster.polygon(image, limb(*elbow, *hand, 10 * s), colour)
        raster.polygon(image, disc(*hand, 6 * s, 6 * s), self.skin if near else shaded(self.skin, 0.7))
        return hand


def _torso(x: float, shoulder: float, hip: float, s: float) -> np.ndarray:
    return np.array(
        [
            [x - 22 * s, shoulder + 4 * s], [x + 22 * s, shoulder + 4 * s], [x + 20 * s, hip - 10 * s], [x + 24 * s, hip + 16 * s],
            [x - 24 * s, hip + 16 * s], [x - 20 * s, hip - 10 * s],
        ]
    )  # fmt: skip
