"""The JSON documents of planning's commands. They load little, so that these commands answer at once."""

from __future__ import annotations

from fractions import Fraction
from typing import TYPE_CHECKING, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.reckoner.quantities import NEVER

if TYPE_CHECKING:
    from yomikomi.core.disc.titles import Judged
    from yomikomi.core.ledger.views import CarrierView
    from yomikomi.core.reckoner.engine import Reckoning


class _Document(BaseModel):
    model_config = ConfigDict(frozen=True)


class DiscSound(_Document):
    language: str | None = Field(description="ISO 639-1, where the disc says it")
    codec: str
    channels: int
    purpose: str = Field(description="programme, commentary, … or empty")


class DiscSubtitles(_Document):
    language: str | None
    purpose: str


class TitleDocument(_Document):
    """One title of a disc."""

    index: int
    seconds: float
    chapters: int
    chapter_seconds: list[float]
    kind: Literal["programme", "episode", "extra", "menu"]
    confidence: float = Field(ge=0, le=1)
    reason: str
    same_as: int | None = Field(description="a title with the same pictures")
    joins: list[int] = Field(description="titles that this one plays one after another")
    shape: str
    size_bytes: int
    sound: list[DiscSound]
    subtitles: list[DiscSubtitles]
    missing: list[str] = Field(description="data files that are missing, so that it cannot be imported")

    @classmethod
    def of(cls, one: Judged) -> TitleDocument:
        title = one.title
        return cls(
            index=title.entry.index, seconds=round(float(title.seconds), 6), chapters=len(title.chapter_starts),
            chapter_seconds=[round(float(at), 6) for at in title.chapter_starts], kind=one.kind, confidence=one.confidence,
            reason=one.reason, same_as=one.same_as, joins=list(one.joins), shape=title.shape_words, size_bytes=title.size_bytes,
            sound=[DiscSound(language=s.language, codec=s.kind, channels=s.channels, purpose=s.purpose) for s in title.sounds],
            subtitles=[DiscSubtitles(language=s.language, purpose=s.purpose) for s in title.subtitles], missing=list(title.missing),
        )  # fmt: skip


class TitlesDocument(_Document):
    """``yomikomi titles``: what is on a disc."""

    disc: str
    titles: list[TitleDocument]
    menus: int = Field(description="menu files beside the titles")
    trouble: list[str] = Field(description="titles whose tables are damaged")


class ReckonDocument(_Document):
    """``yomikomi reckon``: all sides of a sheet, as written and, where they are numbers, in base units."""

    sheet: str
    given: list[str]
    text: dict[str, str]
    values: dict[str, float | str | None] = Field(description="seconds, bytes, bits a second, frames a second, pixels, ratios; None: never")
    explanation: list[str]

    @classmethod
    def of(cls, made: Reckoning, given: dict[str, str]) -> ReckonDocument:
        values = {key: _plain(value) for key, value in made.values.items()}
        text = {side.key: made.text(side.key) for side in made.sheet.fields}
        return cls(sheet=made.sheet.key, given=list(given), text=text, values=values, explanation=made.explain())


class SheetsDocument(_Document):
    """``yomikomi reckon`` without a sheet."""

    sheets: dict[str, dict[str, str]]


class CarrierDocument(_Document):
    """One carrier of the shelf."""

    label: str
    title: str
    kind: str
    standard: str | None
    seconds: float | None
    condition: str = Field(description="fine, care, unfit or not checked")
    rights: bool
    tags: list[str]
    note: str
    progress: int = Field(ge=0, le=8)
    next_station: str
    takes: int

    @classmethod
    def of(cls, view: CarrierView) -> CarrierDocument:
        details = view.details
        return cls(
            label=view.label, title=view.title, kind=view.kind, standard=view.standard, seconds=view.nominal_seconds,
            condition=details.condition.verdict, rights=details.rights, tags=list(details.tags), note=view.note,
            progress=view.progress, next_station=view.next_station, takes=view.takes,
        )  # fmt: skip


class ShelfDocument(_Document):
    """``yomikomi shelf list`` and ``add``."""

    carriers: list[CarrierDocument]


class ImportDocument(ShelfDocument):
    """``yomikomi shelf import``: what was taken in, and what was not."""

    problems: list[str]
    left_aside: int = Field(description="files in folders that are no footage")


def _plain(value: Any) -> float | str | None:
    if value == NEVER:
        return None
    return float(value) if isinstance(value, Fraction) else str(value)
