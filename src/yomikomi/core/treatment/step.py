"""What a step of a treatment is: settings that are kept, what comes out for what goes in, and how frames go through it.

A step is a small document. Steps of the library's filters say which (``filters``); neighbouring ones run as one graph. Others work on
frames themselves (``open``). To add one: a file in ``steps/`` and a row in ``steps/__init__.py``.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import astuple, dataclass
from fractions import Fraction
from pathlib import Path
from typing import ClassVar, Protocol

import av
from pydantic import BaseModel, ConfigDict

from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.format import PictureFormat

Filters = list[tuple[str, str]]
# The library turns a picture upside down by counting its lines backwards; copied, it can be read like any other.
UPSIDE_DOWN: Filters = [("vflip", ""), ("copy", "")]


@dataclass
class Told:
    """What a step did, counted while it works: for the report of a copy."""

    interpolated: int = 0
    mended: int = 0
    left_out: int = 0
    repeated: int = 0

    def and_more(self, other: Told) -> Told:
        """What both counted."""
        pairs = zip(astuple(self), astuple(other), strict=True)
        return Told(*(one + two for one, two in pairs))


class Worker(Protocol):
    """A step at work on consecutive frames."""

    told: Told

    def push(self, frame: av.VideoFrame | None) -> Iterator[av.VideoFrame]:
        """Give a frame (None at the end), take those that are ready; each carries its stamp and its time base."""


@dataclass(frozen=True)
class Site:
    """Where a step works: on which take, between which frames of it.

    Parameters
    ----------
    first_frame : number, among the take's decoded frames, of the first one pushed.
    first_output, end_output : frames that are wanted, as they are numbered before any of them is left out for a lower rate, counted from
        the take's beginning; None: to the end.
    kept : seconds of the take between which everything lies that is kept of it.
    path : the take's file, for steps that look into it.
    """

    reading: Reading
    first_frame: int = 0
    first_output: int = 0
    end_output: int | None = None
    kept: tuple[Fraction, Fraction] | None = None
    path: Path | None = None


class Step(BaseModel):
    """``on_fields``: works on frames as they are stored, before a picture held sideways is turned; ``title``: what the step does."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    on_fields: ClassVar[bool] = False
    title: ClassVar[str] = ""

    def output(self, before: PictureFormat) -> PictureFormat:
        """What comes out. Raises WrongUseError where the step cannot work on such frames."""
        raise NotImplementedError

    def filters(self, before: PictureFormat) -> Filters | None:
        """The library's filters that do it; None where :meth:`open` does."""
        raise NotImplementedError

    def open(self, before: PictureFormat, site: Site | None) -> Worker:
        """``site``: None where frames of no take are treated. Raises ValueError where the step goes by a reading."""
        raise NotImplementedError

    def words(self, before: PictureFormat) -> str:
        """How it is set, short: "deinterlaced to 59.94"."""
        raise NotImplementedError

    @property
    def reach(self) -> int:
        """Frames before and after one that have a say in what becomes of it."""
        return 0
