"""Subtitles painted into the picture, for players that cannot show them. They can never be removed again."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any, ClassVar, Literal

import av
import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from yomikomi.core.treatment.format import PictureFormat, source_format
from yomikomi.core.treatment.step import Site, Step, Told, Worker
from yomikomi.core.video.colour import HLG, PQ, weights_of
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.planes import plane_samples
from yomikomi.core.video.subtitles import Caption, Captions, captions_of

_TAKEN = {f"yuv{kind}p{depth}" for kind in ("420", "422", "444") for depth in ("", "10le", "12le")}
# White of a subtitle, part of the signal: that of graphics in wide range (ITU-R BT.2408: 203 cd/m² is 58 % of PQ and 75 % of HLG).
_WHITE = {PQ: 0.58, HLG: 0.75}
# A stretch of a take looks for subtitles that began so long before it, seconds.
_EARLIER = Fraction(12)


class BurnIn(Step):
    """``track``: number of the subtitle stream, from 0; ``size``: height of letters, percent of the picture's; ``font``: a file, for
    letters that the program's own has not. The track is not carried besides."""

    title: ClassVar[str] = "Burn in subtitles"

    step: Literal["burn in"] = "burn in"
    track: int = Field(default=0, ge=0, le=1000)
    size: float = Field(default=5.5, ge=2, le=15)
    font: str = Field(default="", max_length=4096)

    def output(self, before: PictureFormat) -> PictureFormat:
        kind = before.pixel_format if before.pixel_format in _TAKEN else "yuv444p" if before.bits == 8 else "yuv444p10le"
        return replace(before, pixel_format=kind)

    def filters(self, before: PictureFormat) -> None:
        return None

    def open(self, before: PictureFormat, site: Site | None) -> Worker:
        if site is None:
            raise ValueError("subtitles are read from the file of a take, and there is none")
        return _Burning(self, self.output(before), site)

    def words(self, before: PictureFormat) -> str:
        return f"subtitles {self.track + 1} burned in"


def drawable(path: Path, step: BurnIn) -> str:
    """Letters of the subtitles that the type has no form for; empty where all can be drawn.

    Raises UnreadableError (no such track, no font) and WrongUseError (a kind that cannot be drawn).
    """
    from yomikomi.core.treatment.lettering import unknown_letters

    texts = {one.text for one in captions_of(path, step.track).shown}
    return unknown_letters("".join(sorted({letter for text in texts for letter in text})), step.font)


class _Burning:
    def __init__(self, step: BurnIn, made: PictureFormat, site: Site) -> None:
        self.told = Told()
        self._step, self._made, self._site = step, made, site
        self._captions: Captions | None = None
        self._begins: list[Fraction] = []
        self._longest = Fraction(0)
        self._shown: tuple[tuple[int, ...], list[tuple[NDArray[Any], NDArray[Any]]], tuple[slice, slice]] | None = None

    def push(self, frame: av.VideoFrame | None) -> Iterator[av.VideoFrame]:
        if frame is None:
            return
        at = (frame.pts or 0) * Fraction(frame.time_base or 1)
        numbers = self._at(at + Fraction(self._site.reading.first_seconds))
        frame = self._alike(frame)
        if not numbers:
            yield frame
            return
        if self._shown is None or self._shown[0] != numbers:
            self._shown = (numbers, *self._layers(numbers))
        yield _laid_over(frame, self._made, self._shown[1], self._shown[2])

    def _alike(self, frame: av.VideoFrame) -> av.VideoFrame:
        """All in the format that letters can be laid on, those without any too."""
        if frame.format.name == self._made.pixel_format:
            return frame
        made = frame.reformat(format=self._made.pixel_format)
        made.pts, made.time_base, made.duration = frame.pts, frame.time_base, frame.duration
        return made

    def _at(self, moment: Fraction) -> tuple[int, ...]:
        """Which are shown at a moment of the file's clock."""
        if self._captions is None:
            if self._site.path is None:
                raise ValueError("subtitles are read from the file of a take, and there is none")
            self._captions = captions_of(self._site.path, self._step.track, between=self._stretch(moment))
            self._begins = [one.begin for one in self._captions.shown]
            self._longest = max((one.end - one.begin for one in self._captions.shown), default=Fraction(0))
        first, last = bisect_left(self._begins, moment - self._longest), bisect_right(self._begins, moment)
        return tuple(number for number in range(first, last) if moment < self._captions.shown[number].end)

    def _stretch(self, moment: Fraction) -> tuple[Fraction, Fraction] | None:
        """Where to look in the file: a second that is looked at does not wait for hours of it to be read."""
        site = self._site
        if site.end_output is None:
            return None
        lasts = Fraction(max(1, site.end_output - site.first_output)) / self._made.rate
        return moment - _EARLIER, moment + 2 * lasts + 4

    def _layers(self, numbers: tuple[int, ...]) -> tuple[list[tuple[NDArray[Any], NDArray[Any]]], tuple[slice, slice]]:
        """For each plane its values and their weight 0…1, and the part of the picture that they lie on."""
        assert self._captions is not None
        shape, canvas = self._made.geometry, self._canvas(self._captions)
        whole = np.zeros((shape.height, shape.width, 4), np.uint8)
        for number in numbers:
            over = self._overlay(self._captions.shown[number], shape, canvas)
            whole = np.where(over[..., 3:] > 0, over, whole)
        lines, columns = (np.flatnonzero(whole[..., 3].any(axis=axis)) for axis in (1, 0))
        if not lines.size:
            return [], (slice(0, 0), slice(0, 0))
        # On the grid of the chroma, whatever that is.
        rows, across = (slice(int(one[0]) // 4 * 4, (int(one[-1]) // 4 + 1) * 4) for one in (lines, columns))
        return _as_planes(whole[rows, across], self._made), (rows, across)

    def _overlay(self, caption: Caption, shape: Geometry, canvas: Geometry) -> NDArray[np.uint8]:
        from yomikomi.core.treatment.lettering import overlay_of  # sets type: few takes need it

        return overlay_of(caption, shape, canvas, size=self._step.size, font=self._step.font)

    def _canvas(self, captions: Captions) -> Geometry:
        """Bitmaps were drawn for the picture as it is stored, unless they say otherwise."""
        stored = source_format(self._site.reading).geometry
        if captions.canvas is None or captions.canvas == (stored.width, stored.height):
            return stored
        width, height = captions.canvas
        return Geometry(width, height, stored.display_aspect / Fraction(width, height))


def _as_planes(rgba: NDArray[np.uint8], made: PictureFormat) -> list[tuple[NDArray[Any], NDArray[Any]]]:
    """Luma and chroma in code values, of the depth, range and matrix of the picture, and their weights 0…1; for each plane two arrays.

    Parameters
    ----------
    rgba : ndarray [shape=(lines, columns, 4), 0…255, not premultiplied]
    """
    bits, full = made.bits, made.colour.range == 2
    red, blue = weights_of(made.colour.matrix, height=made.geometry.height)
    r, g, b = (rgba[..., place].astype(np.float64) / 255 * _WHITE.get(made.colour.transfer, 1.0) for place in range(3))
    y = red * r + (1 - red - blue) * g + blue * b
    scale = 2 ** (bits - 8)
    low, luma, chroma = (0, 2**bits - 1, 2**bits - 1) if full else (16 * scale, 219 * scale, 224 * scale)
    middle = 2 ** (bits - 1)
    weight = rgba[..., 3].astype(np.float64) / 255
    planes = [low + luma * y, middle + chroma * (b - y) / (2 * (1 - blue)), middle + chroma * (r - y) / (2 * (1 - red))]
    found = [(planes[0], weight)]
    across, down = (1 if "444" in made.pixel_format else 2), (2 if "420" in made.pixel_format else 1)
    for plane in planes[1:]:
        size = (rgba.shape[1] // across, rgba.shape[0] // down)
        thin = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
        # What is not seen does not colour what is.
        seen = cv2.resize(plane * weight, size, interpolation=cv2.INTER_AREA) / np.maximum(thin, 1e-6)
        found.append((seen, thin))
    return found


def _laid_over(
    frame: av.VideoFrame, made: PictureFormat, layers: list[tuple[NDArray[Any], NDArray[Any]]], place: tuple[slice, slice]
) -> av.VideoFrame:
    """A new frame: the one given may be shown again without."""
    out = av.VideoFrame(frame.width, frame.height, frame.format.name)
    kind: Any = np.uint8 if made.bits == 8 else np.uint16
    for number, (target, given) in enumerate(zip(out.planes, frame.planes, strict=True)):
        samples, old = plane_samples(target, kind), plane_samples(given, kind)
        samples[:] = old
        if not layers:
            continue
        values, weight = layers[number]
        top, left = (place[axis].start * samples.shape[axis] // (frame.height, frame.width)[axis] for axis in (0, 1))
        part = samples[top : top + values.shape[0], left : left + values.shape[1]]
        values, weight = values[: part.shape[0], : part.shape[1]], weight[: part.shape[0], : part.shape[1]]
        part[:] = np.rint(part * (1 - weight) + values * weight).astype(kind)
    out.pts, out.time_base, out.duration = frame.pts, frame.time_base, frame.duration
    out.colorspace, out.color_range = frame.colorspace, frame.color_range
    out.color_primaries, out.color_trc = frame.color_primaries, frame.color_trc
    return out
