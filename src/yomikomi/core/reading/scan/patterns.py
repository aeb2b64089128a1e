"""The table of what a sequence of frames can be. To add a cadence, add a row to ``PATTERNS``.

A frame belongs to one of a few classes, by how old its fields are against each other and against the frame before:

==========  ==================================================================================================
class       the frame
==========  ==================================================================================================
WHOLE       one picture, not the one before
TOP, BOTTOM two moments, the top (bottom) field first
HELD_*      its first field is the one before it again, its second a new picture (the third frame of 2:3)
SPLIT_*     its first field belongs to the second field of the frame before, its second is a new picture
JOIN_*      one picture, whose second field was seen before (the last frame of 2:3)
REPEAT      the frame before again
CHAOS       nothing that fits together
==========  ==================================================================================================

``_T``: the top field comes first; ``_B``: the bottom field.
"""

from __future__ import annotations

import enum
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from yomikomi.core.video.standards import FieldOrder


class Class(enum.IntEnum):
    WHOLE = 0
    TOP = 1
    BOTTOM = 2
    HELD_T = 3
    SPLIT_T = 4
    JOIN_T = 5
    HELD_B = 6
    SPLIT_B = 7
    JOIN_B = 8
    REPEAT = 9
    CHAOS = 10


@dataclass(frozen=True)
class Pattern:
    """``classes``: of the frames of one round; ``weight``: how usual it is; ``words``: for people; ``pictures``: how many
    different pictures a frame there are."""

    key: str
    kind: str
    order: FieldOrder | None
    classes: tuple[Class, ...]
    weight: float
    words: str
    pictures: Fraction = Fraction(1)


def _film() -> list[Pattern]:
    rows = []
    for order, held, split, join in (
        (FieldOrder.TFF, Class.HELD_T, Class.SPLIT_T, Class.JOIN_T),
        (FieldOrder.BFF, Class.HELD_B, Class.SPLIT_B, Class.JOIN_B),
    ):
        whole, four_fifths = Class.WHOLE, Fraction(4, 5)
        rows += [
            Pattern(f"2:3 {order}", "film_2_3", order, (whole, whole, held, split, join), 0.06, "film with 2:3 pulldown", four_fifths),
            Pattern(
                f"2:3:3:2 {order}", "film_2_3_3_2", order, (whole, whole, held, join, whole), 0.02, "film with 2:3:3:2 pulldown",
                four_fifths,
            ),
            Pattern(f"2:2 {order}", "film_2_2", order, (split,), 0.02, "progressive with fields paired wrongly (2:2)"),
        ]  # fmt: skip
    return rows


def _repeats() -> list[Pattern]:
    rows = []
    for key, weight, words in (
        ("nr", 0.03, "every picture twice"), ("nrr", 0.01, "every picture three times"), ("nrrr", 0.01, "every picture four times"),
        ("nrrrr", 0.01, "every picture five times"), ("nrnrr", 0.02, "pictures two and three times in turn"),
        ("nnnnr", 0.02, "one picture in four repeated"), ("nnnnnr", 0.01, "one picture in five repeated"),
        ("nnr", 0.005, "one picture in two repeated"), ("nnnr", 0.005, "one picture in three repeated"),
    ):  # fmt: skip
        classes = tuple(Class.WHOLE if one == "n" else Class.REPEAT for one in key)
        rows.append(Pattern(key, "repeats", None, classes, weight, words, Fraction(key.count("n"), len(key))))
    return rows


PATTERNS: tuple[Pattern, ...] = (
    Pattern("progressive", "progressive", None, (Class.WHOLE,), 0.25, "progressive"),
    Pattern("interlaced tff", "interlaced", FieldOrder.TFF, (Class.TOP,), 0.2, "interlaced"),
    Pattern("interlaced bff", "interlaced", FieldOrder.BFF, (Class.BOTTOM,), 0.2, "interlaced"),
    *_film(),
    *_repeats(),
    Pattern("unknown", "undetermined", None, (Class.CHAOS,), 0.01, "nothing that fits together"),
)

_BY_KEY = {pattern.key: pattern.classes for pattern in PATTERNS}
# Repeats at a longer distance than the table has are named by it: "1 in 25".
_ONE_IN = "1 in "


def one_in(period: int) -> str:
    """The key of a round of so many frames, of which the first repeats the one before."""
    return f"{_ONE_IN}{period}"


def classes_named(key: str) -> tuple[Class, ...]:
    """The classes of a round, by the key that a reading keeps; of a key from another version nothing that fits together."""
    if key.startswith(_ONE_IN) and key.removeprefix(_ONE_IN).isdecimal():
        return (Class.REPEAT, *(Class.WHOLE,) * (min(10_000, int(key.removeprefix(_ONE_IN))) - 1))
    return _BY_KEY.get(key, (Class.CHAOS,))


# States are laid out as (pattern, place in its round), padded to the longest round.
ROUND = max(len(pattern.classes) for pattern in PATTERNS)
LENGTHS = np.array([len(pattern.classes) for pattern in PATTERNS])
REAL = np.arange(ROUND)[None, :] < LENGTHS[:, None]
CLASS_OF = np.array([[int(p.classes[place % len(p.classes)]) for place in range(ROUND)] for p in PATTERNS])
# The place in the round that comes before each.
BEFORE = np.array([[(place - 1) % len(p.classes) for place in range(ROUND)] for p in PATTERNS])
WEIGHTS = np.array([pattern.weight for pattern in PATTERNS])
