"""The scenes of the festival: what people of Kamome Bay filmed, with light, water, fire and crowds."""

from __future__ import annotations

import cv2
import numpy as np

from yomikomi.sim import festival_surfaces as surfaces
from yomikomi.sim import textures
from yomikomi.sim.canvas import Raster, disc, limb
from yomikomi.sim.light import Lamps, Swell, trail
from yomikomi.sim.people import Person, shaded
from yomikomi.sim.scene import TEXTURE_HEIGHT, TEXTURE_WIDTH, Scene
from yomikomi.sim.textures import Image

EXPOSURE_S = 1 / 120
_WIDTH, _HEIGHT = 720, 480


class NightFestival(Scene):
    """People with lanterns come down a street; every lamp lights what is near it."""

    sound = "drums"
    surface = staticmethod(surfaces.festival_street)

    def __init__(self, texture: Image, rng: np.random.Generator) -> None:
        super().__init__(texture, rng)
        self.pan = self.direction * float(rng.uniform(8, 22))
        self.lamps = Lamps(_WIDTH, 640, ambient=0.34)
        self.strings = [(float(x), float(rng.uniform(60, 120)), float(rng.uniform(0, 6.28))) for x in range(-20, 760, 88)]
        self.people = [
            (Person.any(rng, size=size, carries=bool(rng.random() < 0.6)), float(rng.uniform(-80, 800)),
             float(rng.uniform(42, 74) * size * rng.choice([-1, 1])), ground + float(rng.uniform(-6, 8)))
            for size, ground, count in ((0.62, 352.0, 6), (0.95, 432.0, 3), (1.25, 486.0, 2)) for _ in range(count)
        ]  # fmt: skip
        self.light = textures.glow(30)

    def draw(self, t: float, raster: Raster) -> Image:
        image = trail(raster.view(self.texture, x=self.start_x + self.pan * t, y=self.start_y), self.pan * EXPOSURE_S)
        lit: list[tuple[float, float, float, float]] = []
        glows: list[tuple[float, float, float]] = []
        for x, y, phase in self.strings:
            sway = 9 * np.sin(phase + 1.9 * t)
            place = (x - self.pan * t) % 800 - 40 + sway
            flicker = 0.9 + 0.1 * np.sin(13 * t + 5 * phase)
            raster.polygon(image, disc(place, y, 13, 17), (150, 92, 176))
            lit.append((place, y + 30, 74.0, 0.42 * flicker))
            glows.append((place, y, flicker))
        for person, start, speed, ground in self.people:
            x = (start + speed * t) % 900 - 90
            hand = person.draw(raster, image, x=x, ground=ground, stride=abs(speed) * t / (11 * person.size), facing=np.sign(speed))
            if person.carries:
                lamp = (hand[0] + 6 * np.sin(3 * t + start), hand[1] + 34 * person.size)
                raster.polygon(image, limb(hand[0], hand[1] - 24 * person.size, *lamp, 3), (40, 128, 132))
                raster.polygon(image, disc(*lamp, 11 * person.size, 15 * person.size), (176, 88, 172))
                lit.append((lamp[0], lamp[1], 66.0 * person.size, 0.7))
                glows.append((lamp[0], lamp[1], 1.0))
        self.lamps.shine(image, raster, lit)
        for x, y, strength in glows:
            raster.add_light(image, self.light, x=x, y=y, colour=(120 * strength, -26, 16))
        np.minimum(image[..., 0], 235, out=image[..., 0])
        return image


class Crowd(Scene):
    """The audience from behind, row over row; fans and arms wave, confetti comes down."""

    surface = staticmethod(surfaces.stage)
    pace = "fast"

    def __init__(self, texture: Image, rng: np.random.Generator) -> None:
        super().__init__(texture, rng)
        self.start_x = float(rng.uniform(200, TEXTURE_WIDTH - 1000))
        self.heads = [
            (
                float(x + rng.uniform(-14, 14)),
                ground,
                size,
                Person.any(rng, size=size, dark=40),
                float(rng.uniform(1.2, 3.4)),
                rng.random() < 0.3,
            )
            for size, ground, gap in ((0.55, 306.0, 46), (0.8, 366.0, 66), (1.15, 446.0, 96))
            for x in range(-30, 760, gap)
        ]
        self.paper = [
            (float(rng.uniform(0, 760)), float(rng.uniform(0, 560)), float(rng.uniform(70, 150)), float(rng.uniform(2, 7)),
             float(rng.uniform(0, 6.28)), (int(rng.integers(120, 220)), int(rng.integers(80, 170)), int(rng.integers(90, 180))))
            for _ in range(90)
        ]  # fmt: skip

    def draw(self, t: float, raster: Raster) -> Image:
        image = raster.view(self.texture, x=self.start_x + 5 * np.sin(0.6 * t), y=self.start_y + 3 * np.sin(0.9 * t))
        beam = 0.75 + 0.25 * np.sin(2.1 * t)
        image[..., 0] = np.clip((image[..., 0].astype(np.float32) - 16) * beam + 16, 16, 235)
        for x, ground, size, person, rate, waves in self.heads:
            up = 5 * size * np.sin(rate * t * 2 + person.phase)
            at = x + 6 * size * np.sin(rate * t + 2 * person.phase)
            shoulder = ground + up
            raster.polygon(image, disc(at, shoulder + 34 * size, 44 * size, 42 * size), person.coat)
            raster.polygon(image, disc(at, shoulder - 22 * size, 20 * size, 25 * size), person.hair)
            if waves:
                swing = np.sin(rate * 3 * t + person.phase)
                hand = (at + (40 + 22 * swing) * size, shoulder - (64 + 12 * swing) * size)
                raster.polygon(image, limb(at + 28 * size, shoulder + 10 * size, *hand, 13 * size), shaded(person.coat, 1.2))
                raster.polygon(image, disc(*hand, 15 * size, 18 * size), (190, 118, 140))
        for x, y, speed, turn, phase, colour in self.paper:
            place = (x + 26 * np.sin(turn * t / 3 + phase)) % 760 - 20
            height = (y + speed * t) % 560 - 40
            broad = 5.5 * abs(np.cos(turn * t + phase)) + 1.2
            raster.polygon(image, limb(place, height - 4, place + 3, height + 4 + speed * EXPOSURE_S, broad), colour)
        return image


class DuskWater(Scene):
    """The bay after sunset: the shore mirrored in waves that run in two directions, a boat, glints."""

    sound = "water"
    surface = staticmethod(surfaces.dusk_shore)
    horizon = 220.0

    def __init__(self, texture: Image, rng: np.random.Generator) -> None:
        super().__init__(texture, rng)
        self.start_y = TEXTURE_HEIGHT * 0.5 - self.horizon
        self.pan = self.direction * float(rng.uniform(5, 14))
        self.waves = Swell(rng, octaves=6)
        self.boat = (float(rng.uniform(-60, 300)), float(rng.uniform(22, 46)))

    def draw(self, t: float, raster: Raster) -> Image:
        image = raster.view(self.texture, x=self.start_x + self.pan * t, y=self.start_y)
        first = int(np.ceil((self.horizon - raster.first) / raster.step)) + 1
        lines = raster.first + raster.step * np.arange(first, raster.lines, dtype=np.float32)
        depth = ((lines - self.horizon) / (raster.frame_height - self.horizon))[:, None]
        drifts = ((26 * t + self.pan * t, 20 * t), (-17 * t + self.pan * t, 31 * t))
        field = self.waves.at(raster, drifts=drifts, stretch=3.2, part=(0, raster.width, first, raster.lines))
        columns = np.arange(raster.width, dtype=np.float32)[None, :]
        source = (2 * self.horizon - lines[:, None] - raster.first) / raster.step
        map_x = columns + field * (2 + 12 * depth)
        map_y = source + field * (1 + 7 * depth)
        mirror = cv2.remap(image, map_x, map_y.astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
        luma = (mirror[..., 0].astype(np.float32) - 16) * (0.78 - 0.3 * depth) + 16 + 11 * field
        luma += 90 * np.clip(field * (0.9 + depth) - 1.75, 0, 1)
        image[first:, :, 0] = np.clip(luma, 16, 235)
        image[first:, :, 1:] = (mirror[..., 1:].astype(np.int16) * 3 + np.array([146, 118])) // 4
        self._draw_boat(t, raster, image)
        return image

    def _draw_boat(self, t: float, raster: Raster, image: Image) -> None:
        x, y = self.boat[0] + self.boat[1] * t, 300 + 3 * np.sin(1.3 * t)
        tilt = 4 * np.sin(1.1 * t + 0.6)
        raster.polygon(image, np.array([[x, y + tilt], [x + 210, y - tilt], [x + 178, y + 32], [x + 30, y + 34]]), (46, 124, 150))
        raster.polygon(image, np.array([[x + 84, y - 40], [x + 140, y - 42], [x + 148, y], [x + 76, y]]), (112, 120, 138))
        raster.polygon(image, limb(x + 110, y - 40, x + 110 + tilt, y - 122, 4), (34, 128, 130))
        raster.polygon(image, disc(x + 112 + tilt, y - 124, 4, 4), (225, 96, 150))


class NoticePan(Scene):
    """A slow pan and a slower zoom over lettering: notices, programmes, prices on the festival's board."""

    sound = "speech"
    surface = staticmethod(surfaces.notices)

    def __init__(self, texture: Image, rng: np.random.Generator) -> None:
        super().__init__(texture, rng)
        self.speed = (self.direction * float(rng.uniform(24, 48)), float(rng.uniform(-9, 9)))
        self.zoom = float(rng.uniform(0.85, 1.1))

    def draw(self, t: float, raster: Raster) -> Image:
        zoom = self.zoom - 0.012 * t
        shake = (1.6 * np.sin(3.1 * t) + 0.7 * np.sin(7.7 * t), 1.1 * np.sin(2.6 * t + 1))  # a hand holds the camera
        return raster.view(
            self.texture, x=self.start_x + self.speed[0] * t + shake[0], y=self.start_y + 60 + self.speed[1] * t + shake[1], zoom=zoom
        )


class KilnFire(Scene):
    """The kiln is opened: flames behind the mouth, sparks, and the potter lifts a bowl out of it."""

    sound = "fire"
    surface = staticmethod(surfaces.kiln)
    pace = "fast"

    def __init__(self, texture: Image, rng: np.random.Generator) -> None:
        super().__init__(texture, rng)
        self.start_x = (TEXTURE_WIDTH - _WIDTH) / 2
        self.fire = Swell(rng, octaves=5, fall=0.7)
        self.lamps = Lamps(_WIDTH, 640, ambient=0.42)
        self.potter = Person.any(rng, size=1.5, dark=44, carries=True)
        self.sparks = [(float(rng.uniform(250, 470)), float(rng.uniform(0, 400)), float(rng.uniform(120, 260))) for _ in range(26)]

    def draw(self, t: float, raster: Raster) -> Image:
        image = raster.view(self.texture, x=self.start_x, y=self.start_y)
        self._burn(t, raster, image)
        reach = 0.5 + 0.5 * np.sin(0.9 * t)
        self.potter.draw(raster, image, x=600 - 96 * reach, ground=500, stride=0.6 * np.sin(0.9 * t), facing=-1.0)
        bowl = (470 - 118 * reach, 352.0 - 20 * reach)
        raster.polygon(image, limb(560 - 96 * reach, 330, *bowl, 5), (70, 126, 130))
        raster.polygon(image, disc(*bowl, 34, 20), (138 + 50 * int(reach > 0.8), 108, 160))
        raster.polygon(image, disc(bowl[0], bowl[1] - 8, 30, 9), (70, 122, 140))
        for place, start, speed in self.sparks:
            rise = (start + speed * t) % 420
            raster.polygon(
                image, limb(place + 14 * np.sin(rise / 30), 380 - rise, place + 14 * np.sin(rise / 30) + 1, 386 - rise, 2.4), (224, 84, 160)
            )
        self.lamps.shine(image, raster, [(360, 320, 190.0, 0.72 + 0.1 * np.sin(11 * t) + 0.06 * np.sin(23 * t))])
        return image

    def _burn(self, t: float, raster: Raster, image: Image) -> None:
        """Flames within the mouth of the kiln."""
        left, right = 232, 488
        first, end = (round((edge - raster.first) / raster.step) for edge in (200, 436))
        y = (raster.first + raster.step * np.arange(first, end, dtype=np.float32))[:, None]
        x = np.arange(left, right, dtype=np.float32)[None, :]
        mouth = ((x - 360) / 128) ** 2 + ((y - 318) / 118) ** 2
        drifts = ((14 * np.sin(t), 170 * t), (-9 * np.sin(1.3 * t), 240 * t))
        flame = self.fire.at(raster, drifts=drifts, stretch=0.8, part=(left, right, first, end))
        heat = np.clip(1.25 + 0.42 * flame - 0.9 * mouth - (400 - y) / 420, 0, 1.2) * (mouth < 1)
        part = image[first:end, left:right]
        part[..., 0] = np.clip(part[..., 0] + 190 * heat, 16, 235)
        part[..., 1] = np.clip(part[..., 1] - 52 * heat, 16, 240)
        part[..., 2] = np.clip(part[..., 2] + 44 * np.clip(heat * (1.5 - heat), 0, 1), 16, 240)


class Aquarium(Scene):
    """Fish in both directions, weeds, bubbles, and light that the surface above bends."""

    sound = "music"
    surface = staticmethod(surfaces.sea_floor)

    def __init__(self, texture: Image, rng: np.random.Generator) -> None:
        super().__init__(texture, rng)
        self.caustics = Swell(rng, octaves=4, fall=0.8)
        self.fish = [
            (float(rng.uniform(-80, 800)), float(rng.uniform(60, 400)), float(rng.uniform(30, 120) * rng.choice([-1, 1])),
             float(rng.uniform(0.5, 1.5)), (int(rng.integers(110, 215)), int(rng.integers(84, 150)), int(rng.integers(100, 196))))
            for _ in range(13)
        ]  # fmt: skip
        self.weeds = [(float(rng.uniform(0, 720)), float(rng.uniform(70, 190)), float(rng.uniform(0, 6.28))) for _ in range(16)]
        self.bubbles = [(float(rng.choice([150, 430, 610]) + rng.uniform(-16, 16)), float(rng.uniform(0, 480))) for _ in range(24)]

    def draw(self, t: float, raster: Raster) -> Image:
        image = raster.view(self.texture, x=self.start_x + 4 * t * self.direction, y=self.start_y)
        light = self.caustics.at(raster, drifts=((19 * t, 9 * t), (-13 * t, -12 * t)), stretch=1.6)
        image[..., 0] = np.clip(image[..., 0] + 26 * np.clip(1.1 - abs(light), 0, 1) ** 3, 16, 235)
        for x, tall, phase in self.weeds:
            tip = (x + 26 * np.sin(1.1 * t + phase), 480 - tall)
            middle = (x + 9 * np.sin(1.1 * t + phase - 0.7), 480 - tall * 0.55)
            raster.polygon(image, limb(x, 492, *middle, 13), (64, 118, 104))
            raster.polygon(image, limb(*middle, *tip, 8), (82, 114, 102))
        for start, height, speed, size, colour in self.fish:
            self._draw_fish(raster, image, (start + speed * t) % 940 - 110, height + 9 * np.sin(0.8 * t + start), t, speed, size, colour)
        for x, start in self.bubbles:
            rise = (start + 74 * t) % 500
            raster.polygon(image, disc(x + 5 * np.sin(rise / 17), 490 - rise, 4, 4), (196, 136, 118))
        return image

    @staticmethod
    def _draw_fish(
        raster: Raster, image: Image, x: float, y: float, t: float, speed: float, size: float, colour: tuple[int, int, int]
    ) -> None:  # fmt: skip
        way = np.sign(speed)
        wag = 9 * size * np.sin(abs(speed) * t / 7 + x / 60)
        tail = np.array([[x - way * 24 * size, y], [x - way * 52 * size, y - 15 * size + wag], [x - way * 52 * size, y + 15 * size + wag]])
        raster.polygon(image, tail, shaded(colour, 0.8))
        raster.polygon(image, disc(x, y, 32 * size, 15 * size), colour)
        for band in (-0.35, 0.1):
            raster.polygon(
                image,
                limb(x + band * 32 * size * way, y - 12 * size, x + band * 32 * size * way, y + 12 * size, 6 * size),
                shaded(colour, 0.45),
            )
        raster.polygon(
            image, np.array([[x - 8 * size, y - 13 * size], [x + 10 * size, y - 13 * size], [x, y - 25 * size]]), shaded(colour, 0.7)
        )
        raster.polygon(image, disc(x + way * 20 * size, y - 4 * size, 3 * size, 3 * size), (18, 128, 128))


class BowCamera(Scene):
    """From the bow of a racing boat: the sea comes on, the horizon rocks, other boats ahead."""

    sound = "sea"
    surface = staticmethod(surfaces.open_sky)
    pace = "fast"

    def __init__(self, texture: Image, rng: np.random.Generator) -> None:
        super().__init__(texture, rng)
        self.sea = Swell(rng, octaves=6, fall=0.72)
        self.rivals = [(float(rng.uniform(-120, 120)), float(rng.uniform(0.6, 1.2)), float(rng.uniform(0, 6.28))) for _ in range(3)]

    def draw(self, t: float, raster: Raster) -> Image:
        roll, horizon = 0.05 * np.sin(1.4 * t) + 0.02 * np.sin(3.3 * t), 196 + 16 * np.sin(1.9 * t)
        image = raster.view(self.texture, x=self.start_x + 8 * t, y=self.start_y + 130 - horizon / 3)
        first = max(0, int((horizon - abs(roll) * raster.width / 2 - raster.first) / raster.step))
        y = (raster.first + raster.step * np.arange(first, raster.lines, dtype=np.float32))[:, None]
        x = np.arange(raster.width, dtype=np.float32)[None, :]
        below = (y - np.float32(horizon)) - np.float32(roll) * (x - raster.width / 2)
        drifts = ((7 * t, -190 * t), (-11 * t, -260 * t))
        field = self.sea.at(raster, drifts=drifts, stretch=2.4, part=(0, raster.width, first, raster.lines))
        swell = field * np.minimum(1, 0.25 + np.maximum(below, 1) / 290)
        luma = cv2.convertScaleAbs(np.clip(84 + 26 * swell + 60 * np.clip(field - 1.3, 0, 1), 16, 235))
        sea, part = below > 0, image[first:]
        for plane, value in ((0, luma), (1, np.uint8(146)), (2, np.uint8(114))):
            part[..., plane] = np.where(sea, value, part[..., plane])
        for place, size, phase in self.rivals:
            bx, by = 360 + place * 2.2 + 20 * np.sin(0.3 * t + phase), horizon + 26 * size + 5 * np.sin(2 * t + phase)
            raster.polygon(
                image,
                np.array(
                    [
                        [bx - 44 * size, by - 7 * size],
                        [bx + 44 * size, by - 7 * size],
                        [bx + 30 * size, by + 9 * size],
                        [bx - 30 * size, by + 9 * size],
                    ]
                ),
                (60, 110, 176),
            )
            for rower in range(3):
                swing = np.sin(4.4 * t + phase)
                rx = bx + (rower - 1) * 22 * size
                raster.polygon(image, limb(rx, by - 6 * size, rx + 5 * swing * size, by - 24 * size, 9 * size), (150, 112, 150))
                raster.polygon(image, limb(rx, by - 14 * size, rx + 30 * swing * size, by + 12 * size, 2.5), (200, 122, 132))
        tip = (360 + 20 * np.sin(1.4 * t), 300 + 10 * np.sin(1.9 * t + 1))
        hull = np.array([[tip[0] - 8, tip[1]], [tip[0] + 8, tip[1]], [560.0, 560.0], [160.0, 560.0]])
        raster.polygon(image, hull, (176, 118, 136))
        raster.polygon(image, limb(tip[0], tip[1] + 4, 360, 560, 12), (120, 112, 150))
        return image
