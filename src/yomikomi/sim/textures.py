"""Procedural surfaces. All planes are YCbCr, 8 bits, limited range, shape (lines, columns, 3)."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

# shape=(lines, columns, 3): Y′, Cb, Cr at full size, 8-bit codes of limited range.
Image = NDArray[np.uint8]
# shape=(lines, columns); unit told where it is used.
Field32 = NDArray[np.float32]


def cloud(rng: np.random.Generator, height: int, width: int, *, octaves: int = 6, fall: float = 0.6) -> Field32:
    """Fractal noise around 0 with a spread of about 1; each octave has twice the detail and ``fall`` the strength."""
    total = np.zeros((height, width), np.float32)
    strength = 1.0
    for octave in range(octaves):
        cells = 4 * 2**octave
        grid = rng.standard_normal((max(2, cells * height // width), cells)).astype(np.float32)
        total += strength * cv2.resize(grid, (width, height), interpolation=cv2.INTER_CUBIC)
        strength *= fall
    return np.asarray(total / total.std(), np.float32)


def paint(luma: Field32, cb: Field32 | float, cr: Field32 | float) -> Image:
    """Three planes to one image, clipped to the limited range."""
    image = np.empty((*luma.shape, 3), np.uint8)
    image[..., 0] = np.clip(luma, 16, 235)
    image[..., 1] = np.clip(cb, 16, 240)
    image[..., 2] = np.clip(cr, 16, 240)
    return image


def anti_alias(image: Image) -> Image:
    """Soften vertically as a camera does before it takes fields, so that fine detail does not flicker."""
    return np.asarray(cv2.sepFilter2D(image, -1, np.array([1.0]), np.array([0.25, 0.5, 0.25])), np.uint8)


def night_street(rng: np.random.Generator, height: int, width: int) -> Image:
    luma = 42 + 7 * cloud(rng, height, width)
    luma += np.linspace(-12, 14, height, dtype=np.float32)[:, None]
    cb = 140 + 3 * cloud(rng, height, width, octaves=3)
    image = paint(luma, cb, 122.0)
    for x in range(0, width, 150):
        top = int(height * 0.28 + rng.integers(0, 60))
        shade = int(rng.integers(28, 62))
        cv2.rectangle(image, (x, top), (x + 140, int(height * 0.8)), (shade, 132, 130), -1)
        for wx in range(x + 14, x + 130, 26):
            for wy in range(top + 14, int(height * 0.7), 34):
                if rng.random() < 0.4:
                    cv2.rectangle(image, (wx, wy), (wx + 13, wy + 17), (int(rng.integers(80, 150)), 100, 148), -1)
    return anti_alias(image)


def harbour(rng: np.random.Generator, height: int, width: int) -> Image:
    horizon = int(height * 0.5)
    luma = np.full((height, width), 168, np.float32) + 9 * cloud(rng, height, width, octaves=4)
    luma[horizon:] = 104 + 16 * cloud(rng, height - horizon, width, octaves=7, fall=0.85)
    cb = np.full((height, width), 136, np.float32)
    cb[horizon:] = 142
    image = paint(luma, cb, 120.0)
    for x in range(-20, width, 62):
        tall = int(rng.integers(40, 150))
        tone = int(rng.integers(70, 150))
        colour = (tone, int(rng.integers(112, 132)), int(rng.integers(126, 152)))
        cv2.rectangle(image, (x, horizon - tall), (x + 56, horizon), colour, -1)
        for wx in range(x + 6, x + 50, 9):
            for wy in range(horizon - tall + 8, horizon - 6, 12):
                cv2.rectangle(image, (wx, wy), (wx + 3, wy + 6), (max(16, tone - 44), 128, 128), -1)
    return anti_alias(image)


def stalls(rng: np.random.Generator, height: int, width: int) -> Image:
    image = paint(120 + 14 * cloud(rng, height, width), 122.0, 138.0)
    for x in range(0, width, 180):
        hue = (int(rng.integers(90, 200)), int(rng.integers(80, 150)), int(rng.integers(110, 190)))
        cv2.rectangle(image, (x, 60), (x + 165, height - 90), hue, -1)
        for line in range(x + 6, x + 160, 6):
            cv2.line(image, (line, 200), (line, height - 96), (60, 128, 128), 1)
        for row in range(4):
            y = 86 + row * 30
            for _ in range(9):
                a = (int(x + rng.integers(10, 150)), int(y + rng.integers(0, 18)))
                b = (a[0] + int(rng.integers(-9, 9)), a[1] + int(rng.integers(-9, 9)))
                cv2.line(image, a, b, (28, 128, 128), 2, cv2.LINE_AA)
    return anti_alias(image)


def workshop(rng: np.random.Generator, height: int, width: int) -> Image:
    luma = 88 + 12 * cloud(rng, height, width)
    for x in range(0, width, 48):
        luma[:, x : x + 2] -= 30
    return anti_alias(paint(luma, 118.0, 142 + 3 * cloud(rng, height, width, octaves=3)))


def reeds(rng: np.random.Generator, height: int, width: int) -> Image:
    image = paint(120 + 12 * cloud(rng, height, width), 118.0, 118.0)
    for _ in range(width * 2):
        x, y = int(rng.integers(0, width)), int(rng.integers(height // 4, height))
        tip = (x + int(rng.integers(-14, 14)), y - int(rng.integers(50, 170)))
        shade = (int(rng.integers(60, 205)), int(rng.integers(96, 116)), int(rng.integers(112, 136)))
        cv2.line(image, (x, y), tip, shade, 1, cv2.LINE_AA)
    return anti_alias(image)


def sign_board(rng: np.random.Generator, height: int, width: int) -> Image:
    image = paint(176 + 5 * cloud(rng, height, width), 120.0, 136.0)
    cv2.rectangle(image, (width // 2 - 290, height // 2 - 130), (width // 2 + 290, height // 2 + 130), (44, 140, 122), -1)
    for row, text in enumerate(("KAMOME BAY", "LANTERN ARCHIVE", "harbour hall, north gate")):
        scale = (2.4, 1.7, 1.0)[row]
        size = cv2.getTextSize(text, cv2.FONT_HERSHEY_DUPLEX, scale, 3)[0]
        place = ((width - size[0]) // 2, height // 2 - 40 + row * 66)
        cv2.putText(image, text, place, cv2.FONT_HERSHEY_DUPLEX, scale, (206, 122, 134), 2, cv2.LINE_AA)
    return anti_alias(image)


def glow(radius: int) -> Field32:
    """A lantern's light: bright core, long skirt; 0…1."""
    axis = np.arange(-radius, radius + 1, dtype=np.float32) / radius
    distance = np.hypot(axis[:, None], axis[None, :])
    return np.asarray(np.clip(1 - distance, 0, 1) ** 2 * 0.55 + (distance < 0.28) * 0.6, np.float32).clip(0, 1)
