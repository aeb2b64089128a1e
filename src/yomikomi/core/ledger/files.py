"""The room of the record for files by their bytes: hashed once, checked again at a stated pace, known in every place they lie in."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path, PurePosixPath

from sqlalchemy import Select, func, select, text
from sqlalchemy.orm import Session, joinedload

from yomikomi.core.capture.settings import TakeDetails
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.errors import WrongUseError
from yomikomi.core.fixity.checking import CheckRequest, FixityFinding
from yomikomi.core.fixity.digests import Digests
from yomikomi.core.fixity.repair import RepairRequest
from yomikomi.core.ledger.schema import Carrier, Copy, FileRow, LocationRow, PlaceRow, Take
from yomikomi.core.ledger.store import Room, now_text
from yomikomi.core.video.units import counted
from yomikomi.core.work.drive import size_of

_AT_ONCE = 400
_MOST_UNHASHED = 2000
_UNHASHED_TAKES = text("""
    SELECT t.id FROM takes t WHERE t.state IN ('whole', 'mended') AND (SELECT count(*) FROM files f WHERE f.take_id = t.id) <
    max(1, CASE WHEN json_valid(t.details) THEN coalesce(json_array_length(t.details, '$.parts'), 1) ELSE 1 END)
    ORDER BY t.id DESC LIMIT :most
""")
_UNHASHED_COPIES = text("""
    SELECT c.id, c.path, json_extract(c.result, '$.file'), json_extract(c.result, '$.content') FROM copies c
    WHERE c.state IN ('verified', 'kept') AND json_valid(c.result) AND NOT EXISTS (SELECT 1 FROM files f WHERE f.copy_id = c.id)
    ORDER BY c.id DESC LIMIT :most
""")
# Of a location whose file was let go by a person: nothing is expected there.
RELEASED = "released"


@dataclass(frozen=True)
class Unhashed:
    """A file without digests. ``made``: BLAKE3 of a copy as it was made, where that is known."""

    take_id: int | None
    copy_id: int | None
    part: int
    path: Path
    made: str | None = None


@dataclass(frozen=True)
class Located:
    """A file in one place. ``place``: its name, empty in the workspace (or where it was found); ``root``: the folder that is there as long
    as the drive is; ``key``: of the place."""

    id: int
    file_id: int
    take_id: int | None
    copy_id: int | None
    carrier_id: int
    label: str
    place_id: int | None
    place: str
    key: str
    root: Path
    path: Path
    size: int
    content: str
    sha256: str
    state: str
    disk: str
    checked_at: str
    words: str

    @property
    def what(self) -> str:
        return "take" if self.take_id is not None else "copy"


class FileRoom(Room):
    def unhashed(self, most: int = _MOST_UNHASHED) -> list[Unhashed]:
        """Files of takes and copies that were never hashed and are there, the newest first."""
        found: list[Unhashed] = []
        with self._store.session() as session:
            numbers = [int(one) for one in session.scalars(_UNHASHED_TAKES, {"most": most})]
            for take in session.scalars(select(Take).where(Take.id.in_(numbers)).order_by(Take.id.desc())):
                known = set(session.scalars(select(FileRow.part).where(FileRow.take_id == take.id)))
                found += [Unhashed(take.id, None, part, path) for part, path in enumerate(self.paths_of(take)) if part not in known]
            for copy_id, kept, name, made in session.execute(_UNHASHED_COPIES, {"most": most}):
                path = self._store.workspace.path(kept)
                found.append(Unhashed(None, copy_id, 0, path.with_name(Path(str(name or path.name)).name), made))
        return [one for one in found if size_of(one.path) is not None]

    def paths_of(self, take: Take) -> list[Path]:
        """All files of a take, in order."""
        details = self._store.maker.document(f"take {take.id}: details", lambda: TakeDetails.model_validate(take.details or {}))
        parts = details.parts if details is not None else ()
        return [self._store.workspace.path(one) for one in (parts or (take.path,))]

    def add(self, one: Unhashed, digests: Digests, disk: str) -> None:
        """A file was hashed for the first time. A copy that is not what was made is written down as changed."""
        changed = one.made is not None and one.made != digests.content
        same = (FileRow.take_id == one.take_id) if one.take_id is not None else (FileRow.copy_id == one.copy_id)
        with self._store.session() as session:
            if session.scalar(select(FileRow.id).where(same, FileRow.part == one.part)) is not None:
                return  # two went at it
            finding = FixityFinding(state="changed", words="not what was made") if changed else None
            row = FileRow(
                take_id=one.take_id, copy_id=one.copy_id, part=one.part, size=digests.size, content=one.made or digests.content,
                sha256="" if changed else digests.sha256, hashed_at=now_text(),
            )  # fmt: skip
            row.locations.append(LocationRow(
                place_id=None, path=self._store.workspace.keep(one.path), state="changed" if changed else "whole", disk=disk,
                checked_at=now_text(), finding=finding.model_dump(mode="json") if finding else None,
            ))  # fmt: skip
            session.add(row)
            if finding is not None:
                self._tell(session, row, one.path, finding)

    def all(self) -> list[Located]:
        """Every file in every place."""
        return self._found(_located())

    def of_carriers(self, carriers: Collection[int]) -> list[Located]:
        """Files of all their takes and copies, wherever they lie."""
        takes = select(Take.id).where(Take.carrier_id.in_(carriers))
        copies = select(Copy.id).where(Copy.take_id.in_(takes))
        return self._found(_located().where(FileRow.take_id.in_(takes) | FileRow.copy_id.in_(copies)).order_by(LocationRow.id))

    def of_take(self, take_id: int) -> list[Located]:
        """Files of the take itself and of its copies, wherever they lie."""
        copies = select(Copy.id).where(Copy.take_id == take_id)
        return self._found(_located().where((FileRow.take_id == take_id) | FileRow.copy_id.in_(copies)))

    def due(self, *, days: float, now: datetime, most: int = 50) -> list[Located]:
        """What was not read for so many days, the longest first; what is known to be damaged is not asked again and again. A check that
        lies ahead counts as none: some clock was wrong."""
        old, ahead = (moment.isoformat(timespec="seconds") for moment in (now - timedelta(days=days), now + timedelta(minutes=5)))
        query = _located().where(LocationRow.state == "whole", (LocationRow.checked_at < old) | (LocationRow.checked_at > ahead))
        return self._found(query.order_by(LocationRow.checked_at).limit(most))

    def troubled(self) -> list[Located]:
        """What was found changed, missing or unreadable."""
        return self._found(_located().where(LocationRow.state.not_in(("whole", RELEASED))).order_by(LocationRow.id))

    def counts(self) -> tuple[int, int, str | None]:
        """Files in all places, of those the ones in trouble, and the oldest check."""
        with self._store.session() as session:
            kept = select(func.count(LocationRow.id), func.min(LocationRow.checked_at)).where(LocationRow.state != RELEASED)
            count, oldest = session.execute(kept).one()
            bad = session.scalar(select(func.count(LocationRow.id)).where(LocationRow.state.not_in(("whole", RELEASED)))) or 0
            return count, bad, oldest

    def check_request(self, one: Located, *, exchange: bool = False) -> CheckRequest:
        """With another copy to compare by, where a whole one is within reach."""
        second = next((other.path for other in self._siblings(one) if other.state == "whole" and size_of(other.path) == one.size), None)
        return CheckRequest(
            path=one.path, size=one.size, content=one.content, exchange=one.sha256 if exchange else "", root=one.root, key=one.key,
            second=second,
        )  # fmt: skip

    def save_check(self, one: Located, found: FixityFinding, disk: str) -> bool:
        """Write down what a check found; a drive that is away says nothing of the file. Returns whether it is news and bad."""
        if found.state == "away":
            return False
        with self._store.session() as session:
            row = session.get(LocationRow, one.id)
            if row is None:
                return False
            news = found.bad and row.state != found.state
            row.state, row.checked_at, row.finding = found.state, now_text(), found.model_dump(mode="json")
            row.disk = disk or row.disk
            if news:
                self._tell(session, row.file, one.path, found)
            return news

    def repair_request(self, one: Located) -> RepairRequest:
        """Raises WrongUseError where no whole copy of it is within reach, or the file is not ours to replace: one that lies outside the
        workspace may have been changed by whoever it belongs to."""
        self._store.workspace.check_writable()
        if one.place_id is None and not self._store.workspace.holds(one.path.parent):
            words = f"{one.path.name} lies outside the workspace, and is only read."
            raise WrongUseError(words, remedy="If it was damaged, put its second copy there by hand.")
        good = next((other for other in self._siblings(one) if other.state == "whole" and size_of(other.path) == one.size), None)
        if good is None:
            raise WrongUseError(
                f"There is no whole copy of {one.path.name} within reach.", remedy="Connect a place that has one, or make the copy anew."
            )
        return RepairRequest(one.path, good.path, one.size, one.content, one.root if one.key else None, one.key)

    def repaired(self, one: Located, disk: str) -> None:
        with self._store.session() as session:
            row = session.get_one(LocationRow, one.id)
            row.state, row.checked_at, row.finding, row.disk = "whole", now_text(), None, disk
            self._store.note(session, one.carrier_id, f"{one.path.name} repaired from its second copy")

    def add_second(self, file_id: int, place_id: int, name: PurePosixPath, disk: str) -> None:
        """A file lies in a place too, and was read back from there."""
        with self._store.session() as session:
            query = select(LocationRow).where(LocationRow.file_id == file_id, LocationRow.place_id == place_id)
            row = session.scalar(query)
            if row is None:
                row = LocationRow(file_id=file_id, place_id=place_id)
                session.add(row)
            row.path, row.state, row.disk, row.checked_at, row.finding = str(name), "whole", disk, now_text(), None

    def moved(self, one: Located, path: Path, disk: str) -> None:
        """A file of the workspace lies elsewhere now: its take or copy is found there from now on."""
        kept = self._store.workspace.keep(path)
        with self._store.session() as session:
            row = session.get_one(LocationRow, one.id)
            before, row.path, row.state, row.disk, row.checked_at, row.finding = row.path, kept, "whole", disk, now_text(), None
            if one.place_id is None and row.file.take_id is not None:
                take = session.get_one(Take, row.file.take_id)
                details = TakeDetails.model_validate(take.details or {})
                if details.parts:
                    parts = tuple(kept if part == before else part for part in details.parts)
                    take.details = details.model_copy(update={"parts": parts}).model_dump(mode="json")
                if take.path == before:
                    take.path = kept
            elif one.place_id is None and row.file.copy_id is not None:
                copy = session.get_one(Copy, row.file.copy_id)
                copy.path = kept
                if copy.result is not None:
                    result = CopyResult.model_validate(copy.result)
                    copy.result = result.model_copy(update={"file": path.name}).model_dump(mode="json")
            self._store.note(session, one.carrier_id, f"{Path(before).name} found again as {path.name}")

    def missing_in(self, place_id: int, *, takes: bool = True) -> list[Located]:
        """Whole files of the workspace that a place has not; ``takes``: those of takes too."""
        there = select(LocationRow.file_id).where(LocationRow.place_id == place_id, LocationRow.state == "whole")
        query = _located().where(LocationRow.place_id.is_(None), LocationRow.state == "whole", FileRow.id.not_in(there))
        return self._found(query if takes else query.where(FileRow.copy_id.is_not(None)))

    def _siblings(self, one: Located) -> list[Located]:
        """The same file in other places."""
        return self._found(_located().where(LocationRow.file_id == one.file_id, LocationRow.id != one.id))

    def _tell(self, session: Session, row: FileRow, path: Path, found: FixityFinding) -> None:
        carrier = _carrier_of(session, row)
        self._store.note(session, carrier.id, f"{path.name}: {found.state}, {found.words}")

    def _found(self, query: Select[LocationRow]) -> list[Located]:
        with self._store.session() as session:
            rows = session.scalars(query).unique().all()
            carriers = _carriers(session, [row.file for row in rows])
            places = {one.id: one for one in session.scalars(select(PlaceRow))}
            return [self._view(row, carriers[row.file_id], places) for row in rows if row.file_id in carriers]

    def _view(self, row: LocationRow, carrier: tuple[int, str], places: dict[int, PlaceRow]) -> Located:
        file, place = row.file, places.get(row.place_id or 0)
        if place is not None:
            root = Path(place.path)
            path = root / row.path
        else:
            path = self._store.workspace.path(row.path)
            root = self._store.workspace.folder if path.is_relative_to(self._store.workspace.folder) else path.parent
        words = row.finding.get("words", "") if isinstance(row.finding, dict) else ""
        return Located(
            id=row.id, file_id=file.id, take_id=file.take_id, copy_id=file.copy_id, carrier_id=carrier[0], label=carrier[1],
            place_id=row.place_id, place=place.name if place is not None else "", key=place.key if place is not None else "", root=root,
            path=path, size=file.size, content=file.content, sha256=file.sha256, state=row.state, disk=row.disk,
            checked_at=row.checked_at, words=str(words),
        )  # fmt: skip


def _located() -> Select[LocationRow]:
    return select(LocationRow).join(FileRow).options(joinedload(LocationRow.file))


def _carriers(session: Session, files: Sequence[FileRow]) -> dict[int, tuple[int, str]]:
    """Id and label of the carrier of each file, by the file's id."""
    found: dict[int, tuple[int, str]] = {}
    ids = sorted({one.id for one in files})
    for start in range(0, len(ids), _AT_ONCE):
        some = ids[start : start + _AT_ONCE]
        direct = select(FileRow.id, Carrier.id, Carrier.label).join(Take, FileRow.take_id == Take.id).join(Carrier)
        by_copy = select(FileRow.id, Carrier.id, Carrier.label).join(Copy, FileRow.copy_id == Copy.id).join(Take, Copy.take_id == Take.id)
        for query in (direct, by_copy.join(Carrier, Take.carrier_id == Carrier.id)):
            found |= {row[0]: (row[1], row[2]) for row in session.execute(query.where(FileRow.id.in_(some)))}
    return found


def _carrier_of(session: Session, row: FileRow) -> Carrier:
    take_id = row.take_id if row.take_id is not None else session.get_one(Copy, row.copy_id).take_id
    return session.get_one(Take, take_id).carrier


def fixity_words(files: int, troubled: int, oldest: str | None, now: datetime) -> str:
    """The state of all files in one sentence."""
    if not files:
        return "No file is hashed yet."
    age = (now - datetime.fromisoformat(oldest)).days if oldest else 0
    if troubled:
        return f"{counted(troubled, 'file needs', 'files need')} attention, of {files}."
    return f"{counted(files, 'file', 'files')} whole; the oldest check is {counted(max(0, age), 'day', 'days')} old."
