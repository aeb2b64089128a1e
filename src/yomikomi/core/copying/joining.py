"""A separately recorded sound put into a copy, as far as the pictures have come."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import ExitStack
from fractions import Fraction

import av
import av.container

from yomikomi.core.copying.sound_track import SoundTrack
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.joined import JoinedSound, open_joined
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.pieces import Pieces
from yomikomi.core.treatment.sounding import joined_plan
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.video.packets import frames_of


class JoinedTrack:
    """Opened with the copy; closed with it.

    Parameters
    ----------
    timing : of the copy; sound behind its last picture is left out.
    """

    def __init__(
        self, joined: JoinedSound, sink: av.container.OutputContainer, recipe: Recipe, *, treatment: Treatment, timing: Timing,
        check: Callable[[], None],
    ) -> None:  # fmt: skip
        self._check, self._stack = check, ExitStack()
        container, stream, begin = self._stack.enter_context(open_joined(joined, check))
        plan = joined_plan(joined, treatment, stream.codec_context.layout, timing.seconds)
        self._blocks = frames_of(container, stream, joined.path)
        whole = timing.pieces if timing.cut else Pieces.until(timing.between[1])
        self._track = SoundTrack(sink, stream, recipe, first=begin, plan=plan, pieces=whole)
        self._over = False

    def until(self, seconds: Fraction) -> Iterator[av.Packet]:
        """Packets up to a second of the copy, and a little more."""
        while not self._over and self._track.given_to < seconds:
            self._check()
            block = next(self._blocks, None)
            if block is None or self._track.over:
                self._over = True
                return
            yield from self._track.push(block)

    def finish(self) -> list[av.Packet]:
        return self._track.finish()

    @property
    def ends_at(self) -> Fraction:
        """Seconds of the copy where it ends, once it is finished."""
        return self._track.given_to

    def close(self) -> None:
        self._stack.close()
