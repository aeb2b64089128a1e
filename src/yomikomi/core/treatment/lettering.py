"""Subtitles as pictures: text set in the program's own type or a person's, and bitmaps brought to another size."""

from __future__ import annotations

from fractions import Fraction
from functools import lru_cache
from importlib.resources import files
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from yomikomi.core.errors import UnreadableError
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.subtitles import Bitmap, Caption

# Parts of the picture's height and width: the lowest line's foot, the widest line; of the letters' height: the edge around them.
_FOOT, _WIDEST, _EDGE = 0.07, 0.9, 0.09
_SHIPPED = "IBMPlexSans-Medium.ttf"
# A square that no font has a letter for.
_NOWHERE = "\U0010ffff"

# shape=(lines, columns, 4), red, green, blue, opacity 0…255, not premultiplied; as large as the picture.
Overlay = NDArray[np.uint8]


def overlay_of(caption: Caption, shape: Geometry, canvas: Geometry, *, size: float, font: str = "") -> Overlay:
    """What is laid over a picture.

    Parameters
    ----------
    shape : of the picture.
    canvas : what bitmaps were drawn for.
    size : height of the letters of text, percent of the picture's height.
    font : file of a font; empty: the program's own.
    """
    made = np.zeros((shape.height, shape.width, 4), np.uint8)
    if caption.text:
        made[:] = _set(caption.text, shape, size=size, font=font)
    for bitmap in caption.bitmaps:
        _lay(made, bitmap, shape, canvas)
    return made


def unknown_letters(text: str, font: str = "") -> str:
    """Letters of a text that the font has no form for; each once. Raises UnreadableError where the file is no font."""
    type_ = _font(font, 24)
    missing = type_.getmask(_NOWHERE)
    wanted = sorted({letter for letter in text if not letter.isspace()})
    return "".join(one for one in wanted if bytes(type_.getmask(one)) == bytes(missing) and type_.getmask(one).size == missing.size)


@lru_cache(maxsize=8)
def _font(file: str, pixels: int) -> ImageFont.FreeTypeFont:
    path = Path(file) if file else files("yomikomi") / "assets" / "fonts" / _SHIPPED
    try:
        return ImageFont.truetype(str(path), pixels)
    except OSError as error:
        raise UnreadableError(f"{path.name} is no font that can be used.", remedy="Choose a TrueType or OpenType file.") from error


def _set(text: str, shape: Geometry, *, size: float, font: str) -> Overlay:
    """White letters with a dark edge, centred at the foot; set with square pixels, then brought to those of the picture."""
    wide = max(1, round(shape.width * shape.sample_aspect))
    pixels = max(6, round(shape.height * size / 100))
    type_ = _font(font, pixels)
    edge = max(1, round(pixels * _EDGE))
    sheet = Image.new("RGBA", (wide, shape.height), (0, 0, 0, 0))
    pen = ImageDraw.Draw(sheet)
    lines = "\n".join(_broken(line, type_, wide * _WIDEST) for line in text.split("\n"))
    pen.multiline_text(
        (wide / 2, shape.height * (1 - _FOOT)), lines, font=type_, anchor="md", align="center", fill=(255, 255, 255, 255),
        stroke_width=edge, stroke_fill=(16, 16, 16, 255), spacing=pixels * 0.15,
    )  # fmt: skip
    return _sized(np.asarray(sheet, np.uint8), shape.width, shape.height)


def _broken(line: str, type_: ImageFont.FreeTypeFont, widest: float) -> str:
    """A line in as many as it needs; a single word may be wider."""
    made, current = [], ""
    for word in line.split():
        longer = f"{current} {word}" if current else word
        if current and type_.getlength(longer) > widest:
            made.append(current)
            current = word
        else:
            current = longer
    return "\n".join([*made, current])


def _lay(made: Overlay, bitmap: Bitmap, shape: Geometry, canvas: Geometry) -> None:
    """At the same part of the picture, as large against its height, and never outside of it."""
    down = Fraction(shape.height, canvas.height)
    across = down * canvas.sample_aspect / shape.sample_aspect
    rgba = bitmap.rgba
    tall, wide = rgba.shape[:2]
    fit = min(Fraction(1), shape.width / (wide * across), shape.height / (tall * down))
    width, height = (max(1, round(length * scale * fit)) for length, scale in ((wide, across), (tall, down)))
    centre = (Fraction(bitmap.x) + Fraction(wide, 2)) / canvas.width * shape.width
    left = min(max(0, round(centre - Fraction(width, 2))), shape.width - width)
    top = min(max(0, round(bitmap.y * down)), shape.height - height)
    made[top : top + height, left : left + width] = _sized(rgba, width, height)


def _sized(rgba: NDArray[np.uint8], width: int, height: int) -> NDArray[np.uint8]:
    """Colours weigh as much as they are opaque, so that what is not seen does not show at edges."""
    if rgba.shape[:2] == (height, width):
        return rgba
    whole = rgba.astype(np.float32)
    whole[..., :3] *= whole[..., 3:] / 255
    smaller = height <= rgba.shape[0] and width <= rgba.shape[1]
    made = cv2.resize(whole, (width, height), interpolation=cv2.INTER_AREA if smaller else cv2.INTER_CUBIC)
    made[..., 3] = np.clip(made[..., 3], 0, 255)
    made[..., :3] = np.where(made[..., 3:] > 0, made[..., :3] * 255 / np.maximum(made[..., 3:], 1e-3), 0)
    return np.clip(np.rint(made), 0, 255).astype(np.uint8)
