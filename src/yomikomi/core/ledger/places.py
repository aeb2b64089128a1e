"""The places' room of the record: where second copies lie, and when each was last seen."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from sqlalchemy import func, select

from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.files import Located
from yomikomi.core.ledger.schema import FileRow, LocationRow, PlaceRow
from yomikomi.core.ledger.store import Room, now_text
from yomikomi.core.places.place import SeenPlace, see_place
from yomikomi.core.places.second_copy import SecondCopyRequest
from yomikomi.core.work.text import printable

_LONGEST = 80


@dataclass(frozen=True)
class PlaceView:
    """``always``: new copies go there by themselves; ``files``, ``bytes``: of second copies in it; ``wrong``: those that are not whole."""

    id: int
    key: str
    name: str
    path: Path
    disk: str
    seen_at: str
    free_bytes: int | None
    total_bytes: int | None
    files: int
    bytes: int
    wrong: int
    always: bool


class PlaceRoom(Room):
    def all(self) -> list[PlaceView]:
        with self._store.session() as session:
            wrong = func.sum(LocationRow.state != "whole")
            query = select(LocationRow.place_id, func.count(LocationRow.id), func.sum(FileRow.size), wrong).join(FileRow)
            held = {row[0]: (row[1], row[2] or 0, row[3] or 0) for row in session.execute(query.group_by(LocationRow.place_id))}
            return [
                PlaceView(
                    row.id, row.key, row.name, Path(row.path), row.disk, row.seen_at, row.free_bytes, row.total_bytes,
                    *held.get(row.id, (0, 0, 0)), row.role == "always",
                )
                for row in session.scalars(select(PlaceRow).order_by(PlaceRow.id))
            ]  # fmt: skip

    def add(self, seen: SeenPlace, name: str) -> int:
        """A place that is known already is the same under whatever path and name. Returns its id."""
        self._store.workspace.check_writable()
        words = printable(name).strip()[:_LONGEST] or seen.path.name
        with self._store.session() as session:
            row = session.scalar(select(PlaceRow).where(PlaceRow.key == seen.key))
            if row is None:
                row = PlaceRow(key=seen.key, role="second", added_at=now_text())
                session.add(row)
                self._store.note(session, None, f"place added: {words}")
            row.name = words
            _put(row, seen)
            session.flush()
            return row.id

    def seen(self, seen: SeenPlace) -> None:
        """It is there, perhaps under another path."""
        with self._store.session() as session:
            row = session.scalar(select(PlaceRow).where(PlaceRow.key == seen.key))
            if row is not None:
                _put(row, seen)

    def set_always(self, place_id: int, always: bool) -> None:
        """Whether new copies go there by themselves."""
        self._store.workspace.check_writable()
        with self._store.session() as session:
            row = session.get_one(PlaceRow, place_id)
            row.role = "always" if always else "second"
            how = "go there by themselves" if always else "wait to be sent there"
            self._store.note(session, None, f"place {row.name}: new copies {how}")

    def forget(self, place_id: int) -> None:
        """It is no place of ours any more; its files stay where they are. Raises WrongUseError for one that is not known."""
        self._store.workspace.check_writable()
        with self._store.session() as session:
            row = session.get(PlaceRow, place_id)
            if row is None:
                raise WrongUseError("That place is not on record.", remedy="yomikomi ledger places lists them.")
            for location in session.scalars(select(LocationRow).where(LocationRow.place_id == place_id)):
                session.delete(location)
            self._store.note(session, None, f"place forgotten: {row.name}")
            session.delete(row)

    def request(self, place: PlaceView, one: Located) -> SecondCopyRequest:
        """A file of the workspace goes there by its path in the workspace; one from elsewhere by its name and digest."""
        folder = self._store.workspace.folder
        inside = one.path.is_relative_to(folder)
        name = PurePosixPath(one.path.relative_to(folder)) if inside else PurePosixPath("elsewhere", one.content[:12], one.path.name)
        return SecondCopyRequest(one.path, one.size, one.content, place.path, place.key, name)


def there_now(places: Iterable[PlaceView]) -> dict[str, SeenPlace]:
    """Those of them that can be reached, by their keys, as they are just now. A drive that is gone may take long to say so."""
    seen = ((one.key, see_place(one.path)) for one in places)
    return {key: place for key, place in seen if place is not None and place.key == key}


def _put(row: PlaceRow, seen: SeenPlace) -> None:
    row.path, row.disk, row.seen_at = str(seen.path), seen.disk, now_text()
    row.free_bytes, row.total_bytes = seen.free_bytes, seen.total_bytes
