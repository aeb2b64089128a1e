"""A separately recorded sound file that goes with the pictures as a track of its own."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path

import av
import av.container
from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.errors import UnfinishedError, UnreadableError
from yomikomi.core.video.identity import FileIdentity, content_hash, identify
from yomikomi.core.video.media import heard_streams, open_sound
from yomikomi.core.video.units import number_text

# What was found in files of this state: the player opens one at every jump.
_hashed: dict[tuple[Path, FileIdentity], str] = {}


class JoinedSound(BaseModel):
    """``content``: hash of the file as it was aligned; ``later_ms``: its beginning comes so much after the first picture; ``longer_ppm``:
    by how many parts in a million it is made longer, since its clock ran slow; ``instead``: the take's own sound is left out;
    ``channels``: of the file."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    file: str = Field(min_length=1, max_length=4096)
    content: str = Field(min_length=8, max_length=128)
    later_ms: float = Field(ge=-40_000_000, le=40_000_000, allow_inf_nan=False)
    longer_ppm: float = Field(default=0, ge=-20_000, le=20_000, allow_inf_nan=False)
    instead: bool = False
    channels: int = Field(default=2, ge=1, le=64)

    @property
    def path(self) -> Path:
        return Path(self.file)

    @property
    def words(self) -> str:
        drift = f", drift of {number_text(3.6 * self.longer_ppm, places=0)} ms an hour" if abs(self.longer_ppm) > 1 else ""
        return f"{self.path.name} joined at {number_text(self.later_ms / 1000, places=2)} s{drift}"


@contextlib.contextmanager
def open_joined(
    joined: JoinedSound, check: Callable[[], None] = lambda: None
) -> Iterator[tuple[av.container.InputContainer, av.AudioStream, Fraction]]:
    """Its sound stream, and the stamp that its places count from, seconds; if it is still the file that was aligned.

    Raises UnfinishedError where it is another one now, UnreadableError where nothing in it is sound, OSError.
    """
    with open_sound(joined.path) as container:
        key = (joined.path, identify(joined.path))
        if key not in _hashed:
            _hashed[key] = content_hash(joined.path, check)
        if _hashed[key] != joined.content:
            raise UnfinishedError(f"{joined.path.name} changed since it was aligned.", remedy="Join it again.", path=joined.path)
        streams = heard_streams(container)
        if not streams:
            raise UnreadableError(f"{joined.path.name} has no sound.", remedy="Join another file.", path=joined.path)
        yield container, streams[0], (streams[0].start_time or 0) * Fraction(streams[0].time_base or Fraction(1, 1000))
