"""Tables of ``workspace.sqlite``. A change here needs a migration in ``migrations/versions``.

Documents (readings, trials, recipes, checks) are kept whole as JSON: they carry their own schema version. Times are
UTC in ISO 8601. Paths inside the workspace are kept relative to it, others as they are.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, ForeignKey, Text
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship


class Base(DeclarativeBase):
    type_annotation_map = {dict[str, Any]: JSON, list[Any]: JSON, str: Text}


class Carrier(Base):
    __tablename__ = "carriers"

    id: Mapped[int] = mapped_column(primary_key=True)
    label: Mapped[str] = mapped_column(unique=True)
    title: Mapped[str]
    kind: Mapped[str]
    standard: Mapped[str | None]
    nominal_seconds: Mapped[float | None]
    source: Mapped[dict[str, Any] | None]
    note: Mapped[str] = mapped_column(default="")
    details: Mapped[dict[str, Any] | None]
    created_at: Mapped[str]
    takes: Mapped[list[Take]] = relationship(back_populates="carrier", order_by="Take.id", cascade="all, delete-orphan")
    sheets: Mapped[list[PathSheetRow]] = relationship(order_by="PathSheetRow.id", cascade="all, delete-orphan")


class Take(Base):
    """``origin`` is captured, imported or copied; ``state`` recording, whole, mended, away (its file cannot be reached) or lost (it
    never had a frame, or none can be read)."""

    __tablename__ = "takes"

    id: Mapped[int] = mapped_column(primary_key=True)
    carrier_id: Mapped[int] = mapped_column(ForeignKey("carriers.id"), index=True)
    path: Mapped[str]
    origin: Mapped[str]
    state: Mapped[str]
    started_at: Mapped[str]
    seconds: Mapped[float | None]
    frames: Mapped[int | None]
    late: Mapped[int | None]
    dropped: Mapped[int | None]
    size_bytes: Mapped[int | None]
    note: Mapped[str] = mapped_column(default="")
    details: Mapped[dict[str, Any] | None]
    carrier: Mapped[Carrier] = relationship(back_populates="takes")
    readings: Mapped[list[ReadingRow]] = relationship(order_by="ReadingRow.id", cascade="all, delete-orphan")
    overrulings: Mapped[list[Overruling]] = relationship(order_by="Overruling.id", cascade="all, delete-orphan")
    treatments: Mapped[list[TreatmentRow]] = relationship(order_by="TreatmentRow.id", cascade="all, delete-orphan")
    trials: Mapped[list[TrialRow]] = relationship(order_by="TrialRow.id", cascade="all, delete-orphan")
    copies: Mapped[list[Copy]] = relationship(back_populates="take", order_by="Copy.id", cascade="all, delete-orphan")
    files: Mapped[list[FileRow]] = relationship(order_by="FileRow.part", cascade="all, delete-orphan")


class ReadingRow(Base):
    __tablename__ = "readings"

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("takes.id"), index=True)
    made_at: Mapped[str]
    document: Mapped[dict[str, Any]] = mapped_column(deferred=True)  # large, and never changed once written


class Overruling(Base):
    """A person's word against a measured verdict; the measurement stays."""

    __tablename__ = "overrulings"

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("takes.id"), index=True)
    topic: Mapped[str]
    was: Mapped[str]
    now: Mapped[str]
    reason: Mapped[str]
    made_at: Mapped[str]


class TreatmentRow(Base):
    __tablename__ = "treatments"

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("takes.id"), index=True)
    treatment: Mapped[dict[str, Any]]
    digest: Mapped[str]
    chosen_at: Mapped[str]


class TrialRow(Base):
    """``digest``: of the treatment that was tried."""

    __tablename__ = "trial_sets"

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("takes.id"), index=True)
    made_at: Mapped[str]
    folder: Mapped[str]
    digest: Mapped[str]
    document: Mapped[dict[str, Any]] = mapped_column(deferred=True)


class Copy(Base):
    """``state`` is waiting, running, verified, doubtful (a check failed), kept (all the same), failed or cancelled. ``path`` is the
    name that was asked for; the result tells under which it lies."""

    __tablename__ = "copies"

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("takes.id"), index=True)
    path: Mapped[str] = mapped_column(index=True)
    state: Mapped[str] = mapped_column(index=True)
    recipe: Mapped[dict[str, Any]]
    treatment: Mapped[dict[str, Any]]
    digest: Mapped[str]
    outlet: Mapped[dict[str, Any] | None]
    predicted: Mapped[dict[str, Any] | None]
    result: Mapped[dict[str, Any] | None]
    trouble: Mapped[str] = mapped_column(default="")
    asked_at: Mapped[str]
    ended_at: Mapped[str | None]
    take: Mapped[Take] = relationship(back_populates="copies")
    jobs: Mapped[list[JobRow]] = relationship(back_populates="copy", order_by="JobRow.id", cascade="all, delete-orphan")
    files: Mapped[list[FileRow]] = relationship(order_by="FileRow.part", cascade="all, delete-orphan")
    looks: Mapped[list[LookRow]] = relationship(order_by="LookRow.id", cascade="all, delete-orphan")


class JobRow(Base):
    """A job of the run: one task of a copy. ``state`` is one of the scheduler's; ``after_id``: the job whose end it waits for; ``log``:
    what happened to it, with times; ``peak_bytes``: the most memory that its process took."""

    __tablename__ = "jobs"

    id: Mapped[int] = mapped_column(primary_key=True)
    copy_id: Mapped[int] = mapped_column(ForeignKey("copies.id"), index=True)
    kind: Mapped[str]
    task: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(index=True)
    rank: Mapped[float] = mapped_column(index=True)
    after_id: Mapped[int | None] = mapped_column(ForeignKey("jobs.id"))
    attempts: Mapped[int] = mapped_column(default=0)
    held: Mapped[bool] = mapped_column(default=False)
    stopping: Mapped[bool] = mapped_column(default=False)
    worker: Mapped[str] = mapped_column(default="")
    log: Mapped[list[Any]] = mapped_column(default=list)
    peak_bytes: Mapped[int | None]
    began_at: Mapped[str | None]
    ended_at: Mapped[str | None]
    copy: Mapped[Copy] = relationship(back_populates="jobs")


class HouseCaseRow(Base):
    """A carrier that house rules were applied to: ``state`` is applied, waiting (for a person), accepted, by hand or left out. ``rules``:
    the document as it was then; ``differences``: why a person was asked."""

    __tablename__ = "house_cases"

    id: Mapped[int] = mapped_column(primary_key=True)
    carrier_id: Mapped[int] = mapped_column(ForeignKey("carriers.id"), index=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("takes.id"), index=True)
    key: Mapped[str]
    rules: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(index=True)
    differences: Mapped[list[Any]]
    at: Mapped[str]
    answered_at: Mapped[str | None]


class RunRulesRow(Base):
    """How the run goes on: hours, how many at once, what happens at the end; one row."""

    __tablename__ = "run_rules"

    id: Mapped[int] = mapped_column(primary_key=True)
    changed_at: Mapped[str]
    document: Mapped[dict[str, Any]]


class MachineTrialRow(Base):
    """What this machine and its take drive were measured to do."""

    __tablename__ = "machine_trials"

    id: Mapped[int] = mapped_column(primary_key=True)
    made_at: Mapped[str]
    document: Mapped[dict[str, Any]]


class CaptureSettingsRow(Base):
    """How this workspace captures; one row."""

    __tablename__ = "capture_settings"

    id: Mapped[int] = mapped_column(primary_key=True)
    changed_at: Mapped[str]
    document: Mapped[dict[str, Any]]


class Reckoning(Base):
    """A line of the Reckoner's history: the sheet, what was typed, and the result in words."""

    __tablename__ = "reckonings"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[str]
    sheet: Mapped[str]
    typed: Mapped[dict[str, Any]]
    words: Mapped[str]


class EquipmentRow(Base):
    """The equipment there is; one row."""

    __tablename__ = "equipment"

    id: Mapped[int] = mapped_column(primary_key=True)
    changed_at: Mapped[str]
    document: Mapped[dict[str, Any]]


class PathSheetRow(Base):
    """A path with its settings sheet. ``take_id`` is empty for the one a carrier's work goes on with."""

    __tablename__ = "path_sheets"

    id: Mapped[int] = mapped_column(primary_key=True)
    carrier_id: Mapped[int] = mapped_column(ForeignKey("carriers.id"), index=True)
    take_id: Mapped[int | None] = mapped_column(ForeignKey("takes.id"))
    changed_at: Mapped[str]
    document: Mapped[dict[str, Any]]


class FileRow(Base):
    """A file of a take or of a copy, by its bytes: ``content`` is BLAKE3, ``sha256`` for exchange, both hexadecimal, as the file was when
    it was first hashed. ``part``: which of a take's files, from 0. Where it lies stands in ``locations``."""

    __tablename__ = "files"

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int | None] = mapped_column(ForeignKey("takes.id"), index=True)
    copy_id: Mapped[int | None] = mapped_column(ForeignKey("copies.id"), index=True)
    part: Mapped[int]
    size: Mapped[int]
    content: Mapped[str] = mapped_column(index=True)
    sha256: Mapped[str]
    hashed_at: Mapped[str]
    locations: Mapped[list[LocationRow]] = relationship(back_populates="file", order_by="LocationRow.id", cascade="all, delete-orphan")


class PlaceRow(Base):
    """A drive or folder that second copies lie on. ``key`` stands in the place's own marker file; ``disk``: the drive below it as it was
    seen last; ``role`` is second, or always: new copies go there by themselves."""

    __tablename__ = "places"

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    role: Mapped[str]
    path: Mapped[str]
    disk: Mapped[str]
    added_at: Mapped[str]
    seen_at: Mapped[str]
    free_bytes: Mapped[int | None]
    total_bytes: Mapped[int | None]


class LocationRow(Base):
    """Where a file lies: in a place, by a path from there; or, without one, where its take or copy is, by a path as the record keeps them.
    ``state`` is whole, changed, missing or unreadable, as found at ``checked_at``, or released (by a person: nothing is expected there);
    ``disk``: the drive below it then."""

    __tablename__ = "locations"

    id: Mapped[int] = mapped_column(primary_key=True)
    file_id: Mapped[int] = mapped_column(ForeignKey("files.id"), index=True)
    place_id: Mapped[int | None] = mapped_column(ForeignKey("places.id"), index=True)
    path: Mapped[str]
    state: Mapped[str] = mapped_column(index=True)
    disk: Mapped[str]
    checked_at: Mapped[str] = mapped_column(index=True)
    finding: Mapped[dict[str, Any] | None]
    file: Mapped[FileRow] = relationship(back_populates="locations")


class LookRow(Base):
    """A person looked at a spot of a copy beside its take: ``why`` that one, and the ``verdict`` (good, poor or wrong)."""

    __tablename__ = "looks"

    id: Mapped[int] = mapped_column(primary_key=True)
    copy_id: Mapped[int] = mapped_column(ForeignKey("copies.id"), index=True)
    seconds: Mapped[float]
    why: Mapped[str]
    verdict: Mapped[str]
    who: Mapped[str]
    note: Mapped[str] = mapped_column(default="")
    at: Mapped[str]


class ReleaseRow(Base):
    """A raw take that was released. ``state`` is moving, held (can be undone), undoing, undone or gone; ``files``: where each lay and lies;
    ``until``: the end of its term; ``rules``: by which it was judged, with what was found."""

    __tablename__ = "releases"

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("takes.id"), index=True)
    state: Mapped[str] = mapped_column(index=True)
    way: Mapped[str]
    at: Mapped[str]
    who: Mapped[str]
    until: Mapped[str]
    ended_at: Mapped[str | None]
    files: Mapped[list[Any]]
    rules: Mapped[dict[str, Any]]


class MergedRow(Base):
    """A row that came from another workspace: ``origin`` is that one's id, ``kind`` the table, ``origin_id`` its number there, ``own_id``
    the one here. So that nothing comes twice."""

    __tablename__ = "merged"

    id: Mapped[int] = mapped_column(primary_key=True)
    origin: Mapped[str] = mapped_column(index=True)
    kind: Mapped[str]
    origin_id: Mapped[int]
    own_id: Mapped[int]


class LedgerRulesRow(Base):
    """When takes may be released, how often files are checked, where backups go; one row."""

    __tablename__ = "ledger_rules"

    id: Mapped[int] = mapped_column(primary_key=True)
    changed_at: Mapped[str]
    document: Mapped[dict[str, Any]]


class Event(Base):
    """A line of the history."""

    __tablename__ = "events"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[str]
    carrier_id: Mapped[int | None] = mapped_column(ForeignKey("carriers.id"), index=True)
    words: Mapped[str]
