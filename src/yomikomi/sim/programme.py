"""A programme: scenes one after another, with a cut every few seconds, from a seed."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

import numpy as np

from yomikomi.sim.canvas import Raster
from yomikomi.sim.scene import TEXTURE_HEIGHT, TEXTURE_WIDTH, Scene
from yomikomi.sim.scenes import SCENES
from yomikomi.sim.textures import Image

# Which scenes a programme draws from, by the name a carrier's description uses.
MIXTURES: dict[str, tuple[str, ...]] = {
    "mixed": ("lantern parade", "harbour water", "stall pan", "drummers", "reed field", "sign board"),
    "lively": ("lantern parade", "harbour water", "stall pan", "drummers"),
    "still": ("sign board",),
    "festival": ("night festival", "crowd", "dusk water", "notice pan"),
    "kiln": ("kiln fire", "notice pan", "crowd"),
    "aquarium": ("aquarium", "notice pan", "dusk water"),
    "race": ("bow camera", "dusk water"),
}


# Of these, the sound fits the scenes.
_SOUNDING = {"festival", "kiln", "aquarium", "race"}
# What a scene's surface grows from; once given, a number stays, so that the same seed gives the same pictures for ever.
_ROOTS = {
    "drummers": 0, "harbour water": 1, "lantern parade": 2, "reed field": 3, "sign board": 4, "stall pan": 5, "night festival": 6,
    "crowd": 7, "dusk water": 8, "notice pan": 9, "kiln fire": 10, "aquarium": 11, "bow camera": 12,
}  # fmt: skip


@dataclass(frozen=True)
class Shot:
    """One scene of the programme: from ``start`` (frames) for ``length`` frames."""

    scene: str
    pace: str
    start: int
    length: int
    seed: int


class Programme:
    """Endless; the same seed gives the same pictures at the same instants.

    Parameters
    ----------
    seed : any non-negative integer.
    mixture : a key of ``MIXTURES``.
    rate : frames a second; cuts fall between frames, as edits on tape do.
    """

    def __init__(self, seed: int, *, mixture: str = "mixed", rate: Fraction = Fraction(30000, 1001)) -> None:
        self.seed, self.rate = seed, rate
        self._mixture, self._names = mixture, MIXTURES[mixture]
        self._rng = np.random.default_rng([seed, 1])
        self._shots: list[Shot] = []
        self._store: dict[str, Image] = {}
        self._live: tuple[int, Scene] | None = None

    def shot_at(self, frame: int) -> Shot:
        """The shot that a frame belongs to."""
        while not self._shots or self._shots[-1].start + self._shots[-1].length <= frame:
            self._append()
        index = len(self._shots) - 1
        while self._shots[index].start > frame:
            index -= 1
        return self._shots[index]

    def shots(self, frames: int) -> list[Shot]:
        """All shots that begin within the first ``frames`` frames."""
        self.shot_at(max(0, frames - 1))
        return [shot for shot in self._shots if shot.start < frames]

    def sounds(self, seconds: int) -> tuple[str, ...] | None:
        """What each of the first seconds sounds like; None where a programme has the sound that all have."""
        if self._mixture not in _SOUNDING:
            return None
        return tuple(SCENES[self.shot_at(int((second + 0.5) * self.rate)).scene].sound for second in range(seconds))

    def prepare(self, frames: int | None) -> None:
        """Make the surfaces of the first frames (None: of all there ever are) now, so that no cut has to wait for one."""
        for name in self._names if frames is None else {shot.scene for shot in self.shots(frames)}:
            self._surface(name)

    def draw(self, frame: int, instant: Fraction, raster: Raster) -> Image:
        """The picture ``instant`` seconds after the programme's start; it belongs to ``frame``."""
        shot = self.shot_at(frame)
        if self._live is None or self._live[0] != shot.start:
            surface = self._surface(shot.scene)
            self._live = (shot.start, SCENES[shot.scene](surface, np.random.default_rng([self.seed, 2, shot.seed])))
        return self._live[1].draw(float(instant - shot.start / self.rate), raster)

    def _append(self) -> None:
        start = self._shots[-1].start + self._shots[-1].length if self._shots else 0
        seconds = self._rng.uniform(2.5, 5.5)
        # No scene twice in a row where there is a choice: a cut must be one.
        before = self._shots[-1].scene if self._shots else ""
        choice = [name for name in self._names if name != before] or list(self._names)
        name = choice[int(self._rng.integers(len(choice)))]
        length = max(2, round(seconds * float(self.rate)))
        self._shots.append(Shot(name, SCENES[name].pace, start, length, int(self._rng.integers(2**31))))

    def _surface(self, name: str) -> Image:
        if name not in self._store:
            self._store[name] = _make_surface(name, self.seed)
        return self._store[name]


@lru_cache(maxsize=12)
def _make_surface(name: str, seed: int) -> Image:
    rng = np.random.default_rng([seed, 3, _ROOTS[name]])
    return SCENES[name].surface(rng, TEXTURE_HEIGHT, TEXTURE_WIDTH)
