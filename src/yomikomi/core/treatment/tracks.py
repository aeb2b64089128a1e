"""Which tracks of a source go into what is made of it. All of them, unless a person says no."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.reading.models import Reading
from yomikomi.core.video.media import heard_streams, open_media
from yomikomi.core.video.units import counted

_Number = Annotated[int, Field(ge=0, le=1000)]
Kind = Literal["sound", "subtitles", "chapters", "captions"]


class Tracks(BaseModel):
    """``without_sound``, ``without_subtitles``: numbers of the streams of that kind in the source, from 0, that are left out;
    ``captions``: those of line 21, as text."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    without_sound: tuple[_Number, ...] = ()
    without_subtitles: tuple[_Number, ...] = ()
    chapters: bool = True
    captions: bool = True

    @property
    def all(self) -> bool:
        return self == Tracks()

    @property
    def words(self) -> str:
        """What is left out; empty where nothing is."""
        parts = [f"sound {number + 1}" for number in sorted(set(self.without_sound))]
        parts += [f"subtitles {number + 1}" for number in sorted(set(self.without_subtitles))]
        parts += [] if self.chapters else ["chapters"]
        parts += [] if self.captions else ["line-21 captions"]
        return f"without {', '.join(parts)}" if parts else ""


@dataclass(frozen=True)
class TrackInfo:
    """A track of a source, as it names itself."""

    kind: Kind
    number: int
    words: str


def has_line21(reading: Reading) -> bool:
    """Whether captions of line 21 were found, coded or in the picture."""
    return reading.hidden is not None and bool(reading.hidden.coded or reading.hidden.captions)


def tracks_of(path: Path) -> list[TrackInfo]:
    """Raises UnreadableError."""
    found: list[TrackInfo] = []
    with open_media(path) as container:
        for number, stream in enumerate(heard_streams(container)):
            context = stream.codec_context
            about = (stream.metadata.get("title"), stream.language, f"{context.channels} channels" if context.channels > 1 else "mono")
            found.append(TrackInfo("sound", number, f"Sound {number + 1}: {', '.join(one for one in (*about, context.name) if one)}"))
        for number, text in enumerate(container.streams.subtitles):
            name = text.codec_context.name if text.codec_context is not None else "unknown"
            said = (text.metadata.get("title"), text.metadata.get("language"), name)
            found.append(TrackInfo("subtitles", number, f"Subtitles {number + 1}: {', '.join(one for one in said if one)}"))
        chapters = len(container.chapters())
        if chapters:
            found.append(TrackInfo("chapters", 0, counted(chapters, "chapter", "chapters")))
    return found
