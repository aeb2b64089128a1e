"""The backgrounds of the festival's scenes. Planes as in ``textures``."""

from __future__ import annotations

import cv2
import numpy as np

from yomikomi.sim.textures import Image, anti_alias, cloud, paint

_FONTS = (cv2.FONT_HERSHEY_DUPLEX, cv2.FONT_HERSHEY_TRIPLEX, cv2.FONT_HERSHEY_COMPLEX, cv2.FONT_HERSHEY_SCRIPT_COMPLEX)
_WORDS = (
    "KAMOME BAY", "LANTERN FESTIVAL", "parade at seven", "north gate", "ferry school", "kiln opening", "boat race", "harbour hall",
    "grilled squid 300", "shaved ice 150", "tea and rice cakes", "lost children: tent 4", "last boat 22:40", "no bicycles",
    "volunteers meet here",
    "drum group", "first prize", "programme", "Saturday", "Sunday", "bring a lantern", "thank you",
)  # fmt: skip


def _write(image: Image, words: str, place: tuple[int, int], scale: float, tone: int, font: int, thick: int = 2) -> None:
    cv2.putText(image, words, place, font, scale, (tone, 128, 128), thick, cv2.LINE_AA)


def _paper(rng: np.random.Generator, image: Image, box: tuple[int, int, int, int], tone: int, tint: tuple[int, int]) -> None:
    """A sheet with its shadow and its grain."""
    x, y, w, h = box
    shadow = image[y + 7 : y + h + 7, x + 9 : x + w + 9, 0]
    shadow[:] = (shadow * 0.62).astype(np.uint8)
    part = image[y : y + h, x : x + w]
    grain = 4 * cloud(rng, part.shape[0], part.shape[1], octaves=6, fall=0.9)
    part[..., 0] = np.clip(tone + grain, 16, 235)
    part[..., 1], part[..., 2] = tint


def festival_street(rng: np.random.Generator, height: int, width: int) -> Image:
    luma = 92 + 12 * cloud(rng, height, width)
    luma[: height // 3] -= 50  # the sky
    ground = int(height * 0.66)
    luma[ground:] = 86 + 15 * cloud(rng, height - ground, width, octaves=7, fall=0.8)
    for row in range(ground + 8, height, 19):  # paving
        luma[row : row + 2] -= 26
    image = paint(luma, 132 + 3 * cloud(rng, height, width, octaves=3), 126.0)
    x = 0
    while x < width:
        wide, top = int(rng.integers(110, 190)), int(height * 0.16 + rng.integers(0, 70))
        shade = int(rng.integers(70, 128))
        house = image[top:ground, x : x + wide - 6]
        planks = shade + 9 * cloud(rng, house.shape[0], house.shape[1], octaves=6)
        planks[:, :: int(rng.integers(7, 13))] -= 20
        house[..., 0] = np.clip(planks, 16, 235)
        house[..., 1:] = (int(rng.integers(112, 126)), int(rng.integers(132, 148)))
        cv2.rectangle(image, (x - 6, top - 12), (x + wide, top + 4), (44, 132, 130), -1)  # the eaves
        for wx in range(x + 14, x + wide - 40, 44):
            lit = rng.random() < 0.55
            cv2.rectangle(image, (wx, top + 34), (wx + 30, top + 82), ((205, 92, 152) if lit else (46, 134, 124)), -1)
            for bar in range(wx, wx + 31, 10):
                cv2.line(image, (bar, top + 34), (bar, top + 82), (38, 128, 132), 2)
            cv2.line(image, (wx, top + 58), (wx + 30, top + 58), (38, 128, 132), 2)
        cloth = (int(rng.integers(90, 180)), int(rng.integers(86, 168)), int(rng.integers(92, 190)))
        cv2.rectangle(image, (x + 8, ground - 118), (x + wide - 14, ground - 70), cloth, -1)
        _write(image, str(rng.choice(_WORDS))[:12], (x + 14, ground - 86), 0.72, 214, _FONTS[0])
        cv2.rectangle(image, (x + 12, ground - 66), (x + wide - 18, ground), (34, 128, 130), -1)
        x += wide
    return anti_alias(image)


def stage(rng: np.random.Generator, height: int, width: int) -> Image:
    image = paint(40 + 8 * cloud(rng, height, width), 136.0, 126.0)
    for x in range(0, width, 300):
        curtain = np.arange(300)
        fold = 92 + 34 * np.sin(curtain / 7.0) + 12 * np.sin(curtain / 2.9)
        part = image[40:330, x : x + 300]
        part[..., 0] = np.clip(fold[: part.shape[1]][None, :] + 5 * cloud(rng, part.shape[0], part.shape[1]), 16, 235)
        part[..., 1:] = (110, 178)
        cv2.rectangle(image, (x + 60, 96), (x + 240, 152), (196, 120, 136), -1)
        _write(image, ("KAMOME", "LANTERN", "DRUMS")[x // 300 % 3], (x + 70, 136), 1.2, 40, _FONTS[1])
    cv2.rectangle(image, (0, 330), (width, 352), (120, 112, 148), -1)
    for x in range(20, width, 130):  # lamps at the edge of the stage
        cv2.circle(image, (x, 326), 9, (232, 110, 140), -1, cv2.LINE_AA)
    return anti_alias(image)


def dusk_shore(rng: np.random.Generator, height: int, width: int) -> Image:
    horizon = height // 2
    fall = np.linspace(70, 178, horizon, dtype=np.float32)[:, None]
    luma = np.full((height, width), 60, np.float32)
    luma[:horizon] = fall + 10 * cloud(rng, horizon, width, octaves=6, fall=0.7)
    cb, cr = np.full((height, width), 140, np.float32), np.full((height, width), 122, np.float32)
    warm = np.linspace(0, 1, horizon, dtype=np.float32)[:, None] ** 2
    cb[:horizon], cr[:horizon] = 142 - 34 * warm, 124 + 30 * warm
    image = paint(luma, cb, cr)
    hills = horizon - 46 - 20 * cloud(rng, 1, width, octaves=5)[0]
    for x in range(width):
        image[int(hills[x]) : horizon, x] = (50, 136, 126)
    for x in range(0, width, 46):
        tall, tone = int(rng.integers(22, 84)), int(rng.integers(34, 74))
        cv2.rectangle(image, (x, horizon - tall), (x + 40, horizon), (tone, 134, 126), -1)
        for wy in range(horizon - tall + 6, horizon - 8, 11):
            for wx in range(x + 5, x + 36, 9):
                if rng.random() < 0.45:
                    cv2.rectangle(image, (wx, wy), (wx + 4, wy + 5), (int(rng.integers(150, 226)), 96, 150), -1)
    return anti_alias(image)


def notices(rng: np.random.Generator, height: int, width: int) -> Image:
    image = paint(104 + 11 * cloud(rng, height, width, octaves=7, fall=0.85), 116.0, 138.0)  # cork
    for x in range(16, width - 330, 318):
        y = int(rng.integers(14, 40))
        while y < height - 150:
            w, h = int(rng.integers(230, 300)), int(rng.integers(120, 250))
            h = min(h, height - y - 20)
            _paper(
                rng,
                image,
                (x + int(rng.integers(0, 16)), y, w, h),
                int(rng.integers(168, 224)),
                (int(rng.integers(112, 134)), int(rng.integers(122, 142))),
            )
            font, tone = _FONTS[int(rng.integers(4))], int(rng.integers(24, 84))
            _write(image, str(rng.choice(_WORDS[:12])), (x + 26, y + 42), 0.9, tone, font)
            for line in range(y + 70, y + h - 12, 23):
                _write(image, str(rng.choice(_WORDS)), (x + 28, line), 0.52, tone + 18, _FONTS[int(rng.integers(3))], 1)
            for pin in (x + 22, x + w - 8):
                cv2.circle(image, (pin, y + 10), 5, (90, 108, 190), -1, cv2.LINE_AA)
            y += h + int(rng.integers(14, 34))
    return anti_alias(image)


def kiln(rng: np.random.Generator, height: int, width: int) -> Image:
    image = paint(96 + 13 * cloud(rng, height, width, octaves=7, fall=0.8), 118.0, 144.0)
    for row, y in enumerate(range(0, height, 30)):  # bricks
        image[y : y + 3, :, 0] = np.clip(image[y : y + 3, :, 0] - 34.0, 16, 235)
        for x in range((row % 2) * 32, width, 64):
            image[y : y + 30, x : x + 3, 0] = np.clip(image[y : y + 30, x : x + 3, 0] - 34.0, 16, 235)
            tone = int(rng.integers(-12, 13))
            image[y + 3 : y + 30, x + 3 : x + 64, 0] = np.clip(image[y + 3 : y + 30, x + 3 : x + 64, 0].astype(np.int16) + tone, 16, 235)
    centre = width // 2
    cv2.ellipse(image, (centre, 390), (150, 140), 0, 0, 360, (52, 122, 140), -1, cv2.LINE_AA)
    cv2.ellipse(image, (centre, 390), (130, 120), 0, 0, 360, (18, 126, 132), -1, cv2.LINE_AA)
    for x in (centre - 330, centre - 270, centre + 210, centre + 280, centre + 330):  # shelves with bowls
        cv2.rectangle(image, (x - 30, 250), (x + 40, 258), (70, 118, 138), -1)
        cv2.ellipse(
            image,
            (x, 232),
            (26, 18),
            0,
            0,
            180,
            (int(rng.integers(110, 190)), int(rng.integers(110, 140)), int(rng.integers(120, 160))),
            -1,
        )
    return anti_alias(image)


def sea_floor(rng: np.random.Generator, height: int, width: int) -> Image:
    luma = np.linspace(150, 60, height, dtype=np.float32)[:, None] + 6 * cloud(rng, height, width, octaves=4)
    luma[int(height * 0.72) :] = 96 + 16 * cloud(rng, height - int(height * 0.72), width, octaves=7, fall=0.9)
    cb = np.full((height, width), 156, np.float32)
    cb[int(height * 0.72) :] = 122
    image = paint(luma, cb, 104.0)
    for _ in range(60):
        x, y, r = int(rng.integers(0, width)), int(rng.integers(int(height * 0.62), height)), int(rng.integers(8, 46))
        tone = int(rng.integers(54, 150))
        cv2.ellipse(
            image, (x, y), (r, int(r * 0.7)), 0, 0, 360, (tone, int(rng.integers(104, 136)), int(rng.integers(106, 168))), -1, cv2.LINE_AA
        )
    return anti_alias(image)


def open_sky(rng: np.random.Generator, height: int, width: int) -> Image:
    clouds = cloud(rng, height, width, octaves=7, fall=0.7)
    luma = np.linspace(120, 196, height, dtype=np.float32)[:, None] + 26 * np.clip(clouds, -0.5, 2)
    return anti_alias(paint(luma, 148 - 12 * np.clip(clouds, 0, 2), 116 + 6 * np.clip(clouds, 0, 2)))
