"""A carrier's page as a document: its entries in the order of time, and the lines of its history."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

EntryMark = Literal["", "fine", "check", "fault", "undetermined"]
Stage = Literal["shelf", "path", "capture", "reading", "treatment", "balance", "run", "ledger"]

# As marks are in the window: by shape, not by colour.
SIGNS: dict[EntryMark, str] = {"": "", "fine": "●", "check": "▲", "fault": "■", "undetermined": "◇"}


class Entry(BaseModel):
    """One thing that was done, with its details; ``stage``: the station where it is done."""

    model_config = ConfigDict(frozen=True)

    at: str = Field(description="UTC, ISO 8601")
    stage: Stage
    head: str
    lines: tuple[str, ...] = ()
    mark: EntryMark = ""
    take_id: int | None = None
    copy_id: int | None = None


class HistoryLine(BaseModel):
    model_config = ConfigDict(frozen=True)

    at: str = Field(description="UTC, ISO 8601")
    words: str


class CarrierPage(BaseModel):
    """``yomikomi ledger show``: all that was done with a carrier."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    carrier_id: int
    label: str
    title: str
    kind: str
    tags: tuple[str, ...]
    entries: tuple[Entry, ...] = Field(description="in the order of time")
    history: tuple[HistoryLine, ...] = Field(description="the newest first")


def page_words(page: CarrierPage) -> str:
    """For a terminal."""
    made = [f"{page.label}  {page.title}".rstrip()]
    for one in page.entries:
        mark = f" ({one.mark})" if one.mark not in {"", "fine"} else ""
        made.append(f"{one.at[:16].replace('T', ' ')}  {one.stage:<9} {one.head}{mark}")
        made += [f"{'':29}{line}" for line in one.lines]
    return "\n".join(made)
