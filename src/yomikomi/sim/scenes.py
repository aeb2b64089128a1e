"""The moving scenes of Kamome Bay, each drawn at any instant on any raster of lines.

A scene takes its variations (speeds, people, places) from a seed, its surface from a shared store. To add a scene:
write a class with ``draw`` here and add it to ``SCENES``.
"""

from __future__ import annotations

import cv2
import numpy as np

from yomikomi.sim import textures
from yomikomi.sim.canvas import Raster, disc, limb
from yomikomi.sim.festival import Aquarium, BowCamera, Crowd, DuskWater, KilnFire, NightFestival, NoticePan
from yomikomi.sim.scene import TEXTURE_HEIGHT, TEXTURE_WIDTH, Scene
from yomikomi.sim.textures import Image


class Walker:
    """A person walking across the picture, legs and arms swinging."""

    def __init__(self, rng: np.random.Generator, *, width: int, ground: float, dark: int) -> None:
        self.x = float(rng.uniform(-60, width))
        self.speed = float(rng.uniform(50, 120) * rng.choice([-1, 1]))
        self.size = float(rng.uniform(0.8, 1.25))
        self.ground = ground + float(rng.uniform(-10, 26))
        self.phase = float(rng.uniform(0, 6.28))
        tone = int(np.clip(dark + rng.integers(-8, 40), 18, 220))
        self.coat = (tone, int(rng.integers(112, 146)), int(rng.integers(112, 146)))
        self.width = width

    def draw(self, t: float, raster: Raster, image: Image) -> tuple[float, float]:
        """Draw and return where the hand is."""
        span = self.width + 160
        x = (self.x + self.speed * t + 80) % span - 80
        s = self.size
        swing = np.sin(self.phase + abs(self.speed) * t / 11) * 26 * s
        hip, shoulder, head = self.ground - 84 * s, self.ground - 152 * s, self.ground - 178 * s
        skin = (min(200, self.coat[0] + 60), 116, 146)
        for side in (1, -1):
            raster.polygon(image, limb(x, hip, x + side * swing, self.ground, 15 * s), self.coat)
        raster.polygon(image, limb(x, shoulder - 4, x, hip + 8, 40 * s), self.coat)
        hand = (x + swing * 1.1, shoulder + 58 * s)
        raster.polygon(image, limb(x, shoulder + 6, *hand, 11 * s), skin)
        raster.polygon(image, disc(x, head, 15 * s, 19 * s), skin)
        return hand


class LanternParade(Scene):
    surface = staticmethod(textures.night_street)

    def __init__(self, texture: Image, rng: np.random.Generator) -> None:
        super().__init__(texture, rng)
        self.walkers = [Walker(rng, width=720, ground=440, dark=22) for _ in range(6)]
        self.lanterns = [(float(rng.uniform(0, 720)), float(rng.uniform(70, 220)), float(rng.uniform(0, 6.28))) for _ in range(9)]
        self.light = textures.glow(46)
        self.pan = self.direction * float(rng.uniform(12, 30))

    def draw(self, t: float, raster: Raster) -> Image:
        image = raster.view(self.texture, x=self.start_x + self.pan * t, y=self.start_y)
        for x, y, phase in self.lanterns:
            sway = 16 * np.sin(phase + 2.3 * t)
            raster.add_light(image, self.light, x=(x - self.pan * t) % 760 - 20 + sway, y=y + abs(sway) * 0.3,
                             colour=(170, -38, 22))  # fmt: skip
        for walker in self.walkers:
            walker.draw(t, raster, image)
        return image


class HarbourWater(Scene):
    surface = staticmethod(textures.harbour)

    def __init__(self, texture: Image, rng: np.random.Generator) -> None:
        super().__init__(texture, rng)
        self.start_y = 60.0
        self.pan = self.direction * float(rng.uniform(8, 20))
        self.boat_x = float(rng.uniform(-100, 500))
        self.boat_speed = float(rng.uniform(40, 90))
        self.ripple = float(rng.uniform(2.0, 3.4))

    def draw(self, t: float, raster: Raster) -> Image:
        image = raster.view(self.texture, x=self.start_x + self.pan * t, y=self.start_y)
        shore = (TEXTURE_HEIGHT * 0.5 - self.start_y - raster.first) / raster.step
        first = int(np.ceil(shore)) + 2
        if first < raster.lines:
            self._ripple(image, first, t, raster)
        x, y = self.boat_x + self.boat_speed * t, 372 + 4 * np.sin(1.7 * t)
        raster.polygon(image, np.array([[x, y], [x + 190, y], [x + 160, y + 34], [x + 26, y + 34]]), (60, 112, 168))
        raster.polygon(image, np.array([[x + 70, y - 42], [x + 120, y - 42], [x + 126, y], [x + 62, y]]), (206, 124, 130))
        raster.polygon(image, limb(x + 95, y - 42, x + 95, y - 118, 5), (40, 128, 128))
        return image

    def _ripple(self, image: Image, first: int, t: float, raster: Raster) -> None:
        """Waves on all lines from ``first`` down, the larger the nearer."""
        water = image[first:]
        lines = raster.first + raster.step * np.arange(first, raster.lines, dtype=np.float32)
        columns = np.arange(raster.width, dtype=np.float32)
        depth = (lines - lines[0]) / 60 + 0.4
        shift = self.ripple * depth * np.sin(lines / (5 + 2 * depth) - 5.2 * t)
        map_x = columns[None, :] + shift[:, None].astype(np.float32)
        map_y = np.arange(len(lines), dtype=np.float32)[:, None] + np.sin(columns / 23 + 3.1 * t)[None, :] / raster.step
        image[first:] = cv2.remap(water, map_x, map_y.astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)


class StallPan(Scene):
    surface = staticmethod(textures.stalls)
    pace = "fast"

    def __init__(self, texture: Image, rng: np.random.Generator) -> None:
        super().__init__(texture, rng)
        self.speed = self.direction * float(rng.uniform(260, 430))
        self.walkers = [Walker(rng, width=720, ground=452, dark=70) for _ in range(2)]

    def draw(self, t: float, raster: Raster) -> Image:
        image = raster.view(self.texture, x=self.start_x + self.speed * t, y=self.start_y + 6 * np.sin(3 * t))
        for walker in self.walkers:
            walker.draw(t, raster, image)
        return image


class Drummers(Scene):
    surface = staticmethod(textures.workshop)
    pace = "fast"

    def __init__(self, texture: Image, rng: np.random.Generator) -> None:
        super().__init__(texture, rng)
        self.beat = float(rng.uniform(9, 13))

    def draw(self, t: float, raster: Raster) -> Image:
        image = raster.view(self.texture, x=self.start_x + 3 * np.sin(0.7 * t), y=self.start_y)
        for place in (190.0, 520.0):
            lean = 8 * np.sin(self.beat * t / 2 + place)
            raster.polygon(image, disc(place + lean, 150, 42, 52), (142, 112, 150))
            raster.polygon(image, limb(place + lean, 200, place, 420, 130), (58, 142, 118))
            for side in (-1, 1):
                swing = np.sin(self.beat * t + side * 1.2 + place)
                elbow = (place + side * 92, 270 + 34 * swing)
                hand = (place + side * (46 + 44 * swing), 330 + 78 * swing)
                raster.polygon(image, limb(place + side * 58 + lean, 216, *elbow, 32), (58, 142, 118))
                raster.polygon(image, limb(*elbow, *hand, 24), (150, 112, 150))
                raster.polygon(image, limb(*hand, hand[0] - side * 30, hand[1] + 74, 9), (196, 112, 140))
            raster.polygon(image, disc(place, 452, 120, 40), (176, 118, 140))
        return image


class ReedField(Scene):
    surface = staticmethod(textures.reeds)

    def __init__(self, texture: Image, rng: np.random.Generator) -> None:
        super().__init__(texture, rng)
        self.wind = float(rng.uniform(1.6, 2.6))

    def draw(self, t: float, raster: Raster) -> Image:
        plain = raster.view(self.texture, x=self.start_x + 10 * t * self.direction, y=self.start_y)
        lines = raster.first + raster.step * np.arange(raster.lines, dtype=np.float32)
        columns = np.arange(raster.width, dtype=np.float32)
        sway = 5.5 * np.sin(self.wind * t + columns / 90)[None, :] * (1 - lines / raster.frame_height)[:, None]
        map_x = (columns[None, :] + sway).astype(np.float32)
        map_y = np.repeat(np.arange(raster.lines, dtype=np.float32)[:, None], raster.width, axis=1)
        return np.asarray(cv2.remap(plain, map_x, map_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT), np.uint8)


class SignBoard(Scene):
    surface = staticmethod(textures.sign_board)
    pace = "still"

    def draw(self, t: float, raster: Raster) -> Image:
        return raster.view(self.texture, x=(TEXTURE_WIDTH - raster.width) / 2, y=(TEXTURE_HEIGHT - raster.frame_height) / 2)


SCENES: dict[str, type[Scene]] = {
    "lantern parade": LanternParade,
    "harbour water": HarbourWater,
    "stall pan": StallPan,
    "drummers": Drummers,
    "reed field": ReedField,
    "sign board": SignBoard,
    "night festival": NightFestival,
    "crowd": Crowd,
    "dusk water": DuskWater,
    "notice pan": NoticePan,
    "kiln fire": KilnFire,
    "aquarium": Aquarium,
    "bow camera": BowCamera,
}
