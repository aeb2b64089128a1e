"""Another shape out of a picture: a window on it, which may move from key position to key position."""

from __future__ import annotations

import itertools
from dataclasses import replace
from fractions import Fraction
from typing import ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from yomikomi.core.errors import WrongUseError
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters, Step
from yomikomi.core.video.geometry import Geometry

_LEAST = 16
_MOST_KEYS, _GROUP = 200, 16


class KeyPosition(BaseModel):
    """Where the window's centre is at a moment. ``at``: seconds of the take from its first picture; ``x``, ``y``: 0…1 of the picture
    from left and top. The window never leaves the picture."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    at: float = Field(default=0, ge=0, le=1_000_000, allow_inf_nan=False)
    x: float = Field(default=0.5, ge=0, le=1)
    y: float = Field(default=0.5, ge=0, le=1)


class Reframe(Step):
    """``shape``: of the result as it is shown, e.g. ``9:16``; ``part``: how much of the largest window of that shape, 0.1…1;
    ``keys``: positions in time, between which the window moves evenly and before and behind which it stands."""

    title: ClassVar[str] = "Reframe"

    step: Literal["reframe"] = "reframe"
    shape: str = Field(default="1:1", pattern=r"^[1-9]\d{0,3}:[1-9]\d{0,3}$")
    part: float = Field(default=1, ge=0.1, le=1)
    keys: tuple[KeyPosition, ...] = Field(default=(KeyPosition(),), min_length=1, max_length=_MOST_KEYS)

    @field_validator("keys")
    @classmethod
    def _in_time(cls, keys: tuple[KeyPosition, ...]) -> tuple[KeyPosition, ...]:
        ordered = tuple(sorted(keys, key=lambda one: one.at))
        if any(one.at == two.at for one, two in itertools.pairwise(ordered)):
            raise ValueError("two key positions stand at one moment")
        return ordered

    def window(self, before: PictureFormat) -> tuple[int, int]:
        """Width and height in samples, even: 607 becomes 606."""
        wide, high = (int(part) for part in self.shape.split(":"))
        shape = before.geometry
        samples = Fraction(wide, high) / shape.sample_aspect  # width over height, in samples
        width = min(Fraction(shape.width), shape.height * samples) * Fraction(self.part).limit_denominator(10_000)
        made = int(width) // 2 * 2, int(width / samples) // 2 * 2
        if min(made) < _LEAST:
            raise WrongUseError(f"A window of {self.shape} leaves next to nothing.", remedy="Choose a larger part of the picture.")
        return made

    def place_at(self, seconds: float, before: PictureFormat) -> tuple[int, int]:
        """Left and top of the window at a moment of the take, even."""
        width, height = self.window(before)
        centre_x, centre_y = self._centre(seconds)
        shape = before.geometry
        left = _even(centre_x * shape.width - width / 2, shape.width - width)
        return left, _even(centre_y * shape.height - height / 2, shape.height - height)

    def _centre(self, seconds: float) -> tuple[float, float]:
        keys = self.keys
        if seconds <= keys[0].at:
            return keys[0].x, keys[0].y
        for one, two in itertools.pairwise(keys):
            if seconds <= two.at:
                part = (seconds - one.at) / (two.at - one.at)
                return one.x + part * (two.x - one.x), one.y + part * (two.y - one.y)
        return keys[-1].x, keys[-1].y

    def output(self, before: PictureFormat) -> PictureFormat:
        if before.interlaced:
            raise WrongUseError("A window cannot move over fields.", remedy="Deinterlace it, or use a crop that stands.")
        width, height = self.window(before)
        return replace(before, geometry=Geometry(width, height, before.geometry.sample_aspect))

    def filters(self, before: PictureFormat) -> Filters:
        width, height = self.window(before)
        shape = before.geometry
        x = _moving([(key.at, key.x * shape.width - width / 2) for key in self.keys], shape.width - width)
        y = _moving([(key.at, key.y * shape.height - height / 2) for key in self.keys], shape.height - height)
        return [("crop", f"w={width}:h={height}:x='{x}':y='{y}':exact=1")]

    def words(self, before: PictureFormat) -> str:
        width, height = self.window(before)
        moves = f", {len(self.keys)} key positions" if len(self.keys) > 1 else ""
        return f"reframed to {self.shape}, {width} × {height}{moves}"


def _even(place: float, most: int) -> int:
    return min(max(0, round(place / 2) * 2), most // 2 * 2)


def _moving(places: list[tuple[float, float]], most: int) -> str:
    """The library's expression of the time t for a side of the window: even, and inside the picture. A sum of moves that each begin and
    end in their time, in groups: what lies a hundred deep the library refuses, and every + lies one deeper."""
    moves = [f"{places[0][1]:.4f}"]
    for (begin, one), (end, two) in itertools.pairwise(places):
        moves.append(f"({two - one:.4f})*clip((t-{begin:.6f})/{end - begin:.6f},0,1)")
    groups = [f"({'+'.join(moves[first : first + _GROUP])})" for first in range(0, len(moves), _GROUP)]
    return f"clip(2*round(({'+'.join(groups)})/2),0,{most // 2 * 2})"
