"""A carrier as the shelf shows it: what is written down of it and how far it has come, without any document of its takes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.planning.forecast import Work
from yomikomi.core.planning.intake import CarrierDetails, Intake

# The kind of source that is copied as data, and those that are captured from.
DISC_TITLE = "disc title"
_CAPTURED = {"tape player", "feed", "device"}


@dataclass(frozen=True)
class TakeSpine:
    """A take's row. ``codec_bits``: bits a pixel that each capture codec takes of such pictures, where they were weighed."""

    id: int
    path: Path
    origin: str
    state: str
    seconds: float | None
    frames: int | None
    late: int | None
    dropped: int | None
    size_bytes: int | None
    note: str
    started_at: str
    codec: str = "ffv1"
    codec_bits: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class Written:
    """What is written down of a carrier: its row."""

    id: int
    label: str
    title: str
    kind: str
    standard: str | None
    nominal_seconds: float | None
    source: dict[str, Any] | None
    note: str
    details: CarrierDetails
    created_at: str

    @property
    def has_player(self) -> bool:
        """There is something to capture from; a disc's title is copied instead."""
        if self.source is not None and self.source.get("kind") in _CAPTURED:
            return True
        return kind_of(self.kind).way == "live" and bool(self.standard)

    @property
    def unfit(self) -> bool:
        """It must not be played as it is."""
        return self.details.condition.verdict == "unfit"

    @property
    def intake(self) -> Intake:
        """What was written down of it, as it can be changed or exported."""
        return Intake(
            label=self.label, title=self.title, kind=kind_of(self.kind).key, format=self.standard, seconds=self.nominal_seconds,
            note=self.note, details=self.details,
        )  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class Spine(Written):
    """``take``: the newest; ``planned``: there is a path for it; ``read``, ``treated`` and ``tried``: of that take, there is a reading,
    a treatment, trials; ``copies``: the states of its copies, in the order they were asked for."""

    take: TakeSpine | None
    takes: int
    planned: bool
    read: bool
    treated: bool
    tried: bool
    copies: tuple[str, ...]

    @property
    def progress(self) -> int:
        """Stations passed, 0…8."""
        if "verified" in self.copies:
            return 8
        if self.copies or self.tried:
            return 6
        if self.treated:
            return 5
        if self.read:
            return 4
        if self.take is not None and self.take.state != "recording":
            return 3
        return 2 if self.planned else 1

    @cached_property
    def work(self) -> Work:
        """As the forecast sees it; a thousand carriers are summed up whenever one of them changes."""
        take = self.take
        return Work(
            label=self.label,
            kind=self.kind,
            format=self.standard,
            seconds=self.nominal_seconds,
            unfit=self.unfit,
            captured=take is not None and take.state != "recording",
            take_bytes=take.size_bytes if take and take.origin == "captured" else None,
            take_seconds=take.seconds if take else None,
            take_codec=take.codec if take else "ffv1",
            codec_bits=dict(take.codec_bits) if take else {},
            copied="verified" in self.copies,
        )

    @property
    def next_station(self) -> str:
        """Where the work goes on."""
        if self.take is None:
            if self.unfit or kind_of(self.kind).way == "copy" or not self.standard:
                return "shelf"
            if not self.planned:
                return "path"
            return "capture" if self.has_player else "shelf"
        if not self.read:
            return "reading"
        if not self.treated:
            return "treatment"
        if not self.copies:
            return "balance"
        return "ledger" if "verified" in self.copies else "run"
