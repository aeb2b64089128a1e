"""Two workspaces become one: carriers with all that was done to them come over, their files proven on the way. Nothing is lost, nothing
comes twice, and the other workspace stays as it is.

First all files are copied, then all rows are written in one transaction: an end in between leaves files that the next try takes as they
are. What came once is known by the other workspace's id and its row; what both had before (one is a copy of the other) by its content.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import TypeVar

from sqlalchemy import JSON, select
from sqlalchemy.orm import Session

from yomikomi.core.capture.settings import TakeDetails
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.errors import WrongUseError
from yomikomi.core.fixity.checking import FixityFinding
from yomikomi.core.ledger.job_rows import add_jobs
from yomikomi.core.ledger.merged_files import Arrivals
from yomikomi.core.ledger.other_record import Other, open_other
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.schema import (
    Base,
    Carrier,
    Copy,
    Event,
    FileRow,
    LocationRow,
    LookRow,
    MergedRow,
    Overruling,
    PathSheetRow,
    PlaceRow,
    ReadingRow,
    ReleaseRow,
    Take,
    TreatmentRow,
    TrialRow,
)
from yomikomi.core.ledger.trust import id_of

Row = TypeVar("Row", bound=Base)
# What may have another name or path here, so that it is known again by its number there; all else is by what stands in it.
_KNOWN_AGAIN = {"carriers", "takes", "copies", "places", "files"}
# What is only ever added to a take, and never changed.
_OF_TAKES = (ReadingRow, Overruling, TreatmentRow)


@dataclass
class Merged:
    """What came. ``known``: carriers that were here already; ``renamed``: labels that were taken, as they were and as they are;
    ``missing``: files that the other workspace's record tells of and that are not there."""

    carriers: int = 0
    takes: int = 0
    copies: int = 0
    files: int = 0
    bytes: int = 0
    known: int = 0
    renamed: dict[str, str] = field(default_factory=dict)
    missing: list[str] = field(default_factory=list)


def merge(
    record: Record, folder: Path, check: Callable[[], None] = lambda: None, *, files: Path | None = None, origin: str = ""
) -> Merged:  # fmt: skip
    """Bring over what another workspace holds. ``files``: where its files lie, ``origin``: its id, where ``folder`` holds the record alone.

    Raises WrongUseError where it is this one, WorkspaceError where it cannot be read, and what the drives say; then nothing is written.
    """
    workspace = record.workspace
    workspace.check_writable()
    folder = folder.expanduser().resolve()
    if folder == workspace.folder:
        raise WrongUseError("That is this workspace itself.", remedy="Name another one.")
    told = Merged()
    with open_other(folder, origin) as other:
        with record.store.session() as session:
            known = _known(session, other, id_of(workspace.folder))
        arrivals = Arrivals(workspace, files or other.folder, check)
        fetched = _fetch(other, known, arrivals, told)
        with record.store.session() as session:
            _Writer(session, other, known, fetched, arrivals, told, own_id=id_of(workspace.folder)).write()
    told.files, told.bytes = arrivals.count, arrivals.bytes
    return told


def _known(session: Session, other: Other, own_id: str) -> dict[tuple[str, int], int]:
    """Rows of the other record that are here already: they came from it, or it has them from here, or both have them from a third; and, of
    a copy of this very workspace, what it began with."""
    came = {(row.origin, row.kind, row.origin_id): row.own_id for row in session.scalars(select(MergedRow))}
    known = {(kind, number): own for (origin, kind, number), own in came.items() if origin == other.id}
    for row in other.rows(MergedRow):
        own = row.origin_id if row.origin == own_id else came.get((row.origin, row.kind, row.origin_id))
        if own is not None:
            known.setdefault((row.kind, row.own_id), own)
    if other.id == own_id:
        begun: tuple[tuple[type[Base], Iterable[Base], str], ...] = (
            (Carrier, other.carriers, "created_at"), (Take, other.takes, "started_at"), (Copy, other.copies, "asked_at"),
        )  # fmt: skip
        for kind, rows, moment in begun:
            here = {row[0]: row[1] for row in session.execute(select(kind.__table__.c.id, kind.__table__.c[moment]))}
            same = [number for row in rows if here.get(number := getattr(row, "id", 0)) == getattr(row, moment)]
            known |= {(kind.__tablename__, number): number for number in same}
    return known


def _fetch(other: Other, known: dict[tuple[str, int], int], arrivals: Arrivals, told: Merged) -> dict[tuple[str, int], list[str]]:
    """Copy the files of takes and copies that are not here; returns, for each, its files as they are kept here."""
    fetched: dict[tuple[str, int], list[str]] = {}
    new_takes = [take for take in other.takes if ("takes", take.id) not in known]
    new_copies = [copy for copy in other.copies if ("copies", copy.id) not in known]
    for take in new_takes:
        parts = _details(take).parts or (take.path,)
        fetched["takes", take.id] = [_arrived(arrivals, one, "takes", told, expected=take.state in {"whole", "mended"}) for one in parts]
    for copy in new_copies:
        kept = copy.path
        made_as = _result(copy)
        if made_as is not None:
            kept = str(Path(kept).with_name(Path(made_as.file).name))
        made = copy.state in {"verified", "kept", "doubtful"}
        fetched["copies", copy.id] = [_arrived(arrivals, kept, "copies", told, expected=made)]
    return fetched


def _arrived(arrivals: Arrivals, kept: str, room: str, told: Merged, *, expected: bool) -> str:
    """A file as it is kept here. What lies outside the other workspace stays where it is; what is not there has a name all the same."""
    came = arrivals.fetch(kept, room)
    if came is None:
        if expected:
            told.missing.append(kept)
        return arrivals.name_for(kept, room)
    return came


class _Writer:
    """Rows of the other record, in one transaction."""

    def __init__(
        self, session: Session, other: Other, known: dict[tuple[str, int], int], fetched: dict[tuple[str, int], list[str]],
        arrivals: Arrivals, told: Merged, *, own_id: str,
    ) -> None:  # fmt: skip
        self._session, self._other, self._fetched, self._arrivals, self._told = session, other, fetched, arrivals, told
        self._own_id = own_id
        self._own, self._written = dict(known), set(known)
        self._labels = set(session.scalars(select(Carrier.label)))
        self._new: set[tuple[str, int]] = set()
        self._before: dict[type[Base], dict[tuple[object, ...], list[int]]] = {}

    def write(self) -> None:
        for carrier in self._other.carriers:
            self._carrier(carrier)
        for take in self._other.takes:
            self._take(take)
        for sheet in self._other.rows(PathSheetRow):
            if sheet.take_id is not None or self._is_new("carriers", sheet.carrier_id):
                self._put(sheet, carrier_id=self._of("carriers", sheet.carrier_id), take_id=self._of("takes", sheet.take_id))
        for kind in _OF_TAKES:
            for row in self._other.rows(kind):
                self._put(row, take_id=self._of("takes", getattr(row, "take_id", None)))
        for trials in self._other.rows(TrialRow):
            if ("takes", trials.take_id) in self._fetched:
                self._put(trials, take_id=self._of("takes", trials.take_id), folder=self._arrivals.folder(trials.folder))
        for copy in self._other.copies:
            self._copy(copy)
        for look in self._other.rows(LookRow):
            self._put(look, copy_id=self._of("copies", look.copy_id))
        self._files()
        for release in self._other.rows(ReleaseRow):
            held = release.state in {"held", "moving", "undoing"}  # its file stays in that workspace's own holding folder
            self._put(release, take_id=self._of("takes", release.take_id), state="elsewhere" if held else release.state)
        for event in self._other.rows(Event):
            self._put(event, carrier_id=self._of("carriers", event.carrier_id))
        self._others()

    def _others(self) -> None:
        """Where the other has its rows from: so that they are known when they come from there."""
        written = {(row.origin, row.kind, row.origin_id) for row in self._session.scalars(select(MergedRow))}
        for row in self._other.rows(MergedRow):
            own = self._own.get((row.kind, row.own_id))
            if own is not None and row.origin != self._own_id and (row.origin, row.kind, row.origin_id) not in written:
                self._session.add(MergedRow(origin=row.origin, kind=row.kind, origin_id=row.origin_id, own_id=own))

    def _carrier(self, one: Carrier) -> None:
        if ("carriers", one.id) in self._own:
            self._told.known += 1
            return
        label = one.label
        number = 2
        while label in self._labels:
            label = f"{one.label}-{number}"
            number += 1
        if label != one.label:
            self._told.renamed[one.label] = label
        self._labels.add(label)
        self._put(one, label=label)
        self._new.add(("carriers", one.id))
        self._told.carriers += 1

    def _is_new(self, kind: str, number: int) -> bool:
        return (kind, number) in self._new

    def _take(self, one: Take) -> None:
        if ("takes", one.id) in self._own:
            return
        files = self._fetched["takes", one.id]
        details = _details(one)
        parts = tuple(files) if details.parts else ()
        self._put(
            one, carrier_id=self._of("carriers", one.carrier_id), path=files[0],
            details=details.model_copy(update={"parts": parts}).model_dump(mode="json"),
        )  # fmt: skip
        self._told.takes += 1

    def _copy(self, one: Copy) -> None:
        if ("copies", one.id) in self._own:
            return
        (kept,) = self._fetched["copies", one.id]
        made_as = _result(one)
        result = made_as.model_copy(update={"file": Path(kept).name}).model_dump(mode="json") if made_as is not None else one.result
        state = "waiting" if one.state == "running" else one.state
        made = self._put(one, take_id=self._of("takes", one.take_id), path=kept, result=result, state=state)
        if state == "waiting" and made is not None:
            add_jobs(self._session, made)
        self._told.copies += 1

    def _files(self) -> None:
        places = {row.key: row.id for row in self._session.scalars(select(PlaceRow))}
        for place in self._other.rows(PlaceRow):
            if place.key in places:
                self._remember("places", place.id, places[place.key])
            else:
                self._put(place)
        for file in self._other.rows(FileRow):
            owner = ("takes", file.take_id) if file.take_id is not None else ("copies", file.copy_id or 0)
            if owner in self._fetched:
                self._put(file, take_id=self._of("takes", file.take_id), copy_id=self._of("copies", file.copy_id))
        for location in self._other.rows(LocationRow):
            if ("files", location.file_id) not in self._own:
                continue
            file_id, place_id = self._of("files", location.file_id), self._of("places", location.place_id)
            path = self._arrivals.kept.get(location.path)
            if location.place_id is not None:
                self._put(location, file_id=file_id, place_id=place_id)
            elif path is not None:
                self._put(location, file_id=file_id, path=path, **self._as_it_came(location))

    def _as_it_came(self, location: LocationRow) -> dict[str, object]:
        """It lies on another drive now, and is what it was hashed as, or came damaged."""
        content = self._arrivals.contents.get(location.path)
        changes: dict[str, object] = {"disk": self._arrivals.disk(location.path)}
        if content is not None and content != location.file.content:
            finding = FixityFinding(state="changed", words="not what was hashed, when it came")
            changes |= {"state": finding.state, "finding": finding.model_dump(mode="json")}
        return changes

    def _of(self, kind: str, number: int | None) -> int | None:
        """The number of a row here."""
        return self._own.get((kind, number)) if number is not None else None

    def _put(self, row: Row, **changes: object) -> Row | None:
        """A row like it, unless it came before."""
        kind = row.__tablename__
        if (kind, row.id) in self._own:  # type: ignore[attr-defined]
            return None
        values = {column.name: getattr(row, column.name) for column in row.__table__.columns if column.name != "id"} | changes
        same = self._alike(type(row)).get(_key(type(row), values))
        if same:
            self._remember(kind, row.id, same.pop())  # type: ignore[attr-defined]
            return None
        made = type(row)(**values)
        self._session.add(made)
        self._session.flush()
        self._remember(kind, row.id, made.id)  # type: ignore[attr-defined]
        return made

    def _alike(self, kind: type[Base]) -> dict[tuple[object, ...], list[int]]:
        """Rows that were here before, by what stands in them; each is found once."""
        if kind not in self._before:
            table = kind.__table__
            found: dict[tuple[object, ...], list[int]] = {}
            for row in self._session.execute(select(*table.columns)).mappings():
                found.setdefault(_key(kind, dict(row)), []).append(row["id"])
            self._before[kind] = found
        return self._before[kind]

    def _remember(self, kind: str, number: int, own: int) -> None:
        if (kind, number) not in self._own:
            self._own[kind, number] = own
        if kind in _KNOWN_AGAIN and (kind, number) not in self._written:
            self._written.add((kind, number))
            self._session.add(MergedRow(origin=self._other.id, kind=kind, origin_id=number, own_id=own))


def _details(take: Take) -> TakeDetails:
    """A damaged document costs what stands in it."""
    try:
        return TakeDetails.model_validate(take.details or {})
    except ValueError:
        return TakeDetails()


def _result(copy: Copy) -> CopyResult | None:
    try:
        return CopyResult.model_validate(copy.result) if copy.result is not None else None
    except ValueError:
        return None


def _key(kind: type[Base], values: dict[str, object]) -> tuple[object, ...]:
    """All of a row but its number and its documents, which never change once they are written."""
    return tuple(values[column.name] for column in kind.__table__.columns if column.name != "id" and not isinstance(column.type, JSON))
