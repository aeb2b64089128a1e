"""How pictures come to be frames: whole, in fields, as film, repeated, blended."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import cycle

import numpy as np

from bench.unseen.pictures import Luma, Scene

FRAMES = 50


@dataclass(frozen=True)
class Form:
    """``kind`` and ``order`` as the program names them; ``moments``: the fields each frame shows, first and second, counted in fields
    from the beginning of the take; ``fields_apart``: whether the two are taken line by line from two moments."""

    kind: str
    order: str | None
    moments: tuple[tuple[float, float], ...]
    pictures: str = ""

    def frames(self, scene: Scene) -> Iterator[Luma]:
        for first, second in self.moments:
            picture = scene(first)
            if second == first or self.order is None:
                yield picture
                continue
            frame, later = picture.copy(), 1 if self.order == "tff" else 0
            frame[later::2] = scene(second)[later::2]
            yield frame


def progressive(count: int = FRAMES) -> Form:
    return Form("progressive", None, tuple((2.0 * n, 2.0 * n) for n in range(count)))


def interlaced(order: str, count: int = FRAMES) -> Form:
    return Form("interlaced", order, tuple((2.0 * n, 2.0 * n + 1) for n in range(count)))


def film(order: str, rounds: tuple[int, ...], kind: str, count: int = FRAMES, phase: int = 0) -> Form:
    """Film pictures lie evenly in time, however many fields each is held."""
    spacing = sum(rounds) / len(rounds)
    fields: list[float] = []
    for number, held in zip(range(2 * count + 8), cycle(rounds), strict=False):
        fields += [number * spacing] * held
    shown = fields[phase : phase + 2 * count]
    return Form(kind, order, tuple(zip(shown[::2], shown[1::2], strict=True)))


def repeats(each: int, count: int) -> Form:
    """``each`` pictures, and the last of them again: a conversion from ``each`` to ``each`` + 1 pictures."""
    shown = [number for number in range(count) for _ in range(2 if number % each == each - 1 else 1)][:count]
    return Form("repeats", None, tuple((2.0 * n, 2.0 * n) for n in shown), pictures=f"{each}/{each + 1}")


def blended(frames: Iterator[Luma], way: str) -> Iterator[Luma]:
    """Interlaced frames mixed into whole pictures: ``lines`` by a vertical filter over both fields, ``mean`` by the mean of the two fields,
    each filled up by interpolation."""
    for frame in frames:
        lines = np.pad(frame.astype(np.float32), ((1, 1), (0, 0)), mode="edge")
        if way == "lines":
            mixed = 0.25 * lines[:-2] + 0.5 * lines[1:-1] + 0.25 * lines[2:]
        else:
            between = 0.5 * (lines[:-2] + lines[2:])
            mixed = 0.5 * (frame + between)
        yield np.asarray(np.round(mixed), np.uint8)
