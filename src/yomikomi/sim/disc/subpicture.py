"""Bitmap subtitles as discs store them: a line of text, run-length coded, with its display commands.

Source: the subpicture unit of the DVD-Video structure as published openly (from memory); a decoder of the library reads
it back in the tests.
"""

from __future__ import annotations

import struct

import cv2
import numpy as np
from numpy.typing import NDArray

# Y, Cr, Cb of the sixteen colours a disc's chain names; subtitles here use the first four: paper, letter, edge, spare.
PALETTE = ((16, 128, 128), (235, 128, 128), (16, 128, 128), (126, 128, 128), *(((16 + 14 * k), 128, 128) for k in range(12)))
_TICK = 1024 / 90_000  # seconds in a unit of the display commands


def text_picture(words: str, width: int) -> NDArray[np.uint8]:
    """Letters (1) with an edge (2) on nothing (0), cut to their height; even number of lines. Shape=(lines, width)."""
    (w, h), base = cv2.getTextSize(words, cv2.FONT_HERSHEY_SIMPLEX, 0.8, 2)
    canvas = np.zeros((h + base + 12, min(width, w + 16)), np.uint8)
    cv2.putText(canvas, words, (8, h + 5), cv2.FONT_HERSHEY_SIMPLEX, 0.8, 255, 2)
    letters = canvas > 127
    edged = cv2.dilate(letters.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    canvas = np.where(letters, 1, np.where(edged, 2, 0)).astype(np.uint8)
    return canvas[: canvas.shape[0] // 2 * 2]


def encode_subpicture(picture: NDArray[np.uint8], *, x: int, y: int, seconds: float) -> bytes:
    """The unit that shows ``picture`` at (x, y) for ``seconds``. ``picture``: shape=(lines, columns), indices 0…3; even number of lines."""
    top, bottom = (b"".join(_line(line) for line in picture[parity::2]) for parity in (0, 1))
    x2, y2 = x + picture.shape[1] - 1, y + picture.shape[0] - 1
    place = bytes([x >> 4, (x & 15) << 4 | x2 >> 8, x2 & 255, y >> 4, (y & 15) << 4 | y2 >> 8, y2 & 255])
    control = 4 + len(top) + len(bottom)
    show = b"\x03\x32\x10" + b"\x04\x0f\xf0" + b"\x05" + place + b"\x06" + struct.pack(">HH", 4, 4 + len(top)) + b"\x01\xff"
    show += b"\xff" * (len(show) % 2)
    stop_at = control + 4 + len(show)
    commands = struct.pack(">HH", 0, stop_at) + show + struct.pack(">HH", round(seconds / _TICK), stop_at) + b"\x02\xff"
    unit = struct.pack(">HH", control + len(commands), control) + top + bottom + commands
    return unit + b"\xff" * (len(unit) % 2)


def _line(pixels: NDArray[np.uint8]) -> bytes:
    """Runs of one colour, in 4, 8, 12 or 16 bits each; a run to the end of the line has the length 0."""
    nibbles: list[int] = []
    edges = np.flatnonzero(np.diff(pixels)) + 1
    starts = [0, *edges.tolist()]
    for number, start in enumerate(starts):
        colour = int(pixels[start])
        if number + 1 == len(starts):
            nibbles += [0, 0, 0, colour]
            break
        left = starts[number + 1] - start
        while left:
            run = min(left, 255)
            code = run << 2 | colour
            count = 1 if run < 4 else 2 if run < 16 else 3 if run < 64 else 4
            nibbles += [code >> 4 * k & 15 for k in reversed(range(count))]
            left -= run
    nibbles += [0] * (len(nibbles) % 2)
    return bytes(high << 4 | low for high, low in zip(nibbles[::2], nibbles[1::2], strict=True))
