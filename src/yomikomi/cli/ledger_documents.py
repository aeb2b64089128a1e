"""What the commands of the ledger print with --json."""

from __future__ import annotations

from pydantic import BaseModel, Field

from yomikomi.core.house.differences import Difference
from yomikomi.core.ledger.backups import Backup
from yomikomi.core.ledger.files import Located
from yomikomi.core.ledger.finder import Hit
from yomikomi.core.ledger.merging import Merged
from yomikomi.core.ledger.places import PlaceView
from yomikomi.core.ledger.releases import Release
from yomikomi.core.release.judging import Judgement


class SearchLine(BaseModel):
    at: str = Field(description="UTC, ISO 8601")
    what: str = Field(description="History, Carrier, Take, Path, Overruled, Copy or Looked at")
    carrier: str = Field(description="label; empty where the line is of none")
    title: str
    kind: str
    words: str

    @classmethod
    def of(cls, hit: Hit) -> SearchLine:
        return cls(at=hit.at, what=hit.what, carrier=hit.label, title=hit.title, kind=hit.kind, words=hit.words)


class SearchDocument(BaseModel):
    """``yomikomi ledger search``."""

    schema_version: int = 1
    asked: str
    hits: list[SearchLine] = Field(description="the newest first")


class SameWayDocument(BaseModel):
    """``yomikomi ledger same-way``."""

    schema_version: int = 1
    carrier: str
    past: str = Field(description="the carrier that it was done like")
    done: tuple[str, ...]
    differences: tuple[Difference, ...] = Field(description="why a person is asked first")
    later: str = Field(description="what can only follow")


class FileLine(BaseModel):
    """A file in one place, as it was found last."""

    carrier: str
    what: str = Field(description="take or copy")
    place: str = Field(description="empty: the workspace, or where it was found")
    file: str
    size_bytes: int
    sha256: str
    content: str = Field(description="BLAKE3, hexadecimal")
    state: str = Field(description="whole, changed, missing, unreadable or away")
    checked_at: str = Field(description="UTC, ISO 8601")
    note: str

    @classmethod
    def of(cls, one: Located, *, away: bool) -> FileLine:
        state, note = ("away", "its drive is away") if away else (one.state, one.words)
        return cls(
            carrier=one.label, what=one.what, place=one.place, file=one.path.name, size_bytes=one.size, sha256=one.sha256,
            content=one.content, state=state, checked_at=one.checked_at, note=note,
        )  # fmt: skip


class VerifyDocument(BaseModel):
    """``yomikomi ledger verify``."""

    schema_version: int = 1
    hashed: int = Field(description="files that were hashed for the first time")
    checked: int
    repaired: int
    files: list[FileLine]


class PlaceLine(BaseModel):
    name: str
    path: str
    there: bool
    seen_at: str = Field(description="UTC, ISO 8601")
    drive: str = Field(description="the drive below it, as it names itself")
    free_bytes: int | None
    total_bytes: int | None
    files: int
    bytes_held: int
    wrong: int = Field(description="files in it that are not whole")
    always: bool = Field(description="new copies go there by themselves")

    @classmethod
    def of(cls, one: PlaceView, *, there: bool) -> PlaceLine:
        return cls(
            name=one.name, path=str(one.path), there=there, seen_at=one.seen_at, drive=one.disk, free_bytes=one.free_bytes,
            total_bytes=one.total_bytes, files=one.files, bytes_held=one.bytes, wrong=one.wrong, always=one.always,
        )  # fmt: skip


class PlacesDocument(BaseModel):
    """``yomikomi ledger places``."""

    schema_version: int = 1
    places: list[PlaceLine]


class SecondCopyDocument(BaseModel):
    """``yomikomi ledger second-copy``."""

    schema_version: int = 1
    place: str
    copied: int
    wrong: list[str]


class FoundDocument(BaseModel):
    """``yomikomi ledger find``."""

    schema_version: int = 1
    missing: int
    found: dict[str, str] = Field(description="name as it was → path as it is")


class SpotLine(BaseModel):
    seconds: float
    why: str
    verdict: str = Field(description="good, poor, wrong, or empty: not looked at")


class SpotsDocument(BaseModel):
    """``yomikomi ledger spots`` and ``looked``."""

    schema_version: int = 1
    copy_id: int
    spots: list[SpotLine]


class ReleaseLine(BaseModel):
    """``released``: the number of the release; null where the take stayed."""

    carrier: str
    judgement: Judgement | None
    released: int | None = None
    wrong: str = ""

    @property
    def words(self) -> str:
        if self.judgement is None or self.wrong:
            return f"{self.carrier}: {self.wrong}"
        head = f"{self.carrier}: " + (
            f"released, number {self.released}" if self.released else "may go" if self.judgement.may else "may not go"
        )
        rules = [f"    {'holds' if one.held else 'FAILS'} {one.rule}: {one.found}. {one.needed}" for one in self.judgement.results]
        return "\n".join(line.rstrip() for line in (head, *rules))


class ReleasedLine(BaseModel):
    number: int
    carrier: str
    file: str
    state: str = Field(description="moving, held, undoing, undone or gone")
    way: str
    at: str
    who: str
    until: str
    size_bytes: int
    term_over: bool

    @classmethod
    def of(cls, one: Release) -> ReleasedLine:
        return cls(
            number=one.id, carrier=one.label, file=one.file, state=one.state, way=one.way, at=one.at, who=one.who, until=one.until,
            size_bytes=one.bytes, term_over=one.over,
        )  # fmt: skip

    @property
    def words(self) -> str:
        until = f" until {self.until[:10]}" if self.state == "held" else ""
        return f"{self.number:>4}  {self.carrier:<10} {self.state}{until}  {self.file}"


class ReleasesDocument(BaseModel):
    """``yomikomi ledger release``."""

    schema_version: int = 1
    takes: list[ReleaseLine]
    releases: list[ReleasedLine] = Field(description="the newest first")


class BackupLine(BaseModel):
    file: str
    at: str = Field(description="UTC, ISO 8601")
    size_bytes: int
    carriers: int
    takes: int
    copies: int
    sha256: str

    @classmethod
    def of(cls, one: Backup) -> BackupLine:
        return cls(
            file=one.path.name, at=one.at.isoformat(timespec="seconds"), size_bytes=one.size, carriers=one.carriers, takes=one.takes,
            copies=one.copies, sha256=one.sha256,
        )  # fmt: skip


class BackupDocument(BaseModel):
    """``yomikomi ledger backup``."""

    schema_version: int = 1
    backups: list[BackupLine] = Field(description="the newest first")


class MergeDocument(BaseModel):
    """``yomikomi ledger merge``."""

    schema_version: int = 1
    carriers: int
    takes: int
    copies: int
    files: int
    bytes_copied: int
    known: int = Field(description="carriers that were here already")
    renamed: dict[str, str] = Field(description="labels that were taken → as they are here")
    missing: list[str] = Field(description="files that were not there")

    @classmethod
    def of(cls, one: Merged) -> MergeDocument:
        return cls(
            carriers=one.carriers, takes=one.takes, copies=one.copies, files=one.files, bytes_copied=one.bytes, known=one.known,
            renamed=one.renamed, missing=one.missing,
        )  # fmt: skip


class ExportDocument(BaseModel):
    """``yomikomi ledger export``."""

    schema_version: int = 1
    form: str
    file: str
    carriers: list[str]
    note: str
