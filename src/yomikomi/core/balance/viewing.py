"""How a copy is watched, and what a person sees of what it lost."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal, cast, get_args

from yomikomi.core.video.geometry import Geometry

Viewing = Literal["television", "desk", "phone"]
StepKey = Literal["none", "barely", "compared", "visible", "annoying"]
VIEWINGS: Final[tuple[Viewing, ...]] = get_args(Viewing)

# How far away the eye is, in heights of the picture: a television of 0.7 m at 2.8 m, a window of 0.3 m at 0.66 m on a
# desk, a phone of 7 cm held at 35 cm. Usual rooms, measured by nobody: judgement.
DISTANCE: Final[dict[Viewing, float]] = {"television": 4.0, "desk": 2.2, "phone": 5.0}
WORDS: Final[dict[Viewing, str]] = {"television": "a television", "desk": "a desk", "phone": "a phone"}

# The weights of the measure are taken to hold for 480 lines seen from four picture heights (34 samples a degree): what
# H.264 keeps at its usual quality for standard definition then reads "no visible difference", as people who set it so
# expect. The table's authors give no distance in what we know of them: judgement.
_TABLE_LINES, _TABLE_DISTANCE = 480, 4.0


def samples_as_seen(shape: Geometry, viewing: Viewing) -> tuple[float, float]:
    """How many times smaller a sample looks than in the pictures that the weights hold for: in height, in width."""
    down = shape.height * DISTANCE[viewing] / (_TABLE_LINES * _TABLE_DISTANCE)
    return down, down / float(shape.sample_aspect)


@dataclass(frozen=True)
class FidelityStep:
    """``least``: detail kept in dB from which on it holds."""

    key: StepKey | Literal["own"]
    words: str
    least: float


# Five steps in the order of impairment scales such as ITU-R BT.500's; where they lie is judgement (docs/science.md).
STEPS: Final = (
    FidelityStep("none", "no visible difference", 44.0),
    FidelityStep("barely", "barely visible", 40.0),
    FidelityStep("compared", "visible when compared", 36.0),
    FidelityStep("visible", "visible", 32.0),
    FidelityStep("annoying", "annoying", 0.0),
)


def step_key(detail_db: float) -> StepKey:
    """Of a step that is everybody's."""
    return cast(StepKey, step_of(detail_db).key)


def own_step(detail_db: float) -> FidelityStep:
    """From which on one person sees no difference."""
    return FidelityStep("own", "no difference that you see", detail_db)


def step_of(detail_db: float) -> FidelityStep:
    return next((step for step in STEPS if detail_db >= step.least), STEPS[-1])
