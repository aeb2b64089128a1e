"""A separately recorded sound put into a copy, as far as the pictures have come."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import ExitStack
from fractions import Fraction

import av
import av.container

from yomikomi.core.balance.recipes import Recipe
from yomikomi.core.errors import UnfinishedError, UnreadableError
from yomikomi.core.run.sound_track import SoundTrack
from yomikomi.core.treatment.joined import JoinedSound
from yomikomi.core.treatment.pieces import Pieces
from yomikomi.core.treatment.sounding import joined_plan
from yomikomi.core.video.identity import content_hash
from yomikomi.core.video.media import heard_streams, open_sound
from yomikomi.core.video.packets import frames_of


class JoinedTrack:
    """Opened with the copy; closed with it.

    Parameters
    ----------
    pieces : what is kept of the take.
    seconds : where its last picture ends: sound behind it is left out.
    """

    def __init__(
        self, joined: JoinedSound, sink: av.container.OutputContainer, recipe: Recipe, *, pieces: Pieces, seconds: Fraction,
        check: Callable[[], None],
    ) -> None:  # fmt: skip
        self._joined, self._check, self._stack = joined, check, ExitStack()
        container = self._stack.enter_context(open_sound(joined.path))
        if content_hash(joined.path, check) != joined.content:
            raise UnfinishedError(f"{joined.path.name} changed since it was aligned.", remedy="Join it again.", path=joined.path)
        streams = heard_streams(container)
        if not streams:
            raise UnreadableError(f"{joined.path.name} has no sound.", remedy="Join another file.", path=joined.path)
        plan = joined_plan(joined, streams[0].codec_context.channels)
        self._blocks = frames_of(container, streams[0], joined.path)
        base = Fraction(streams[0].time_base or Fraction(1, 1000))
        begin = (streams[0].start_time or 0) * base
        whole = pieces if pieces.length is not None else Pieces.until(seconds)
        self._track = SoundTrack(sink, streams[0], recipe, first=begin, plan=plan, pieces=whole)
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
