"""The paths' room of the record: the settings sheet of each carrier and each take."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from yomikomi.core.ledger.schema import Carrier, PathSheetRow, Take
from yomikomi.core.ledger.store import Room, now_text
from yomikomi.core.path.sheet import PathSheet


class PathRoom(Room):
    def save(self, carrier_id: int, sheet: PathSheet) -> None:
        """The sheet that a carrier's work goes on with; the history tells when the path is another one."""
        with self._store.session() as session:
            carrier = self._store.row(session, carrier_id)
            document = sheet.model_dump(mode="json")
            row = next((one for one in carrier.sheets if one.take_id is None), None)
            before = row.document.get("route") if row else None
            if row is None:
                carrier.sheets.append(PathSheetRow(take_id=None, changed_at=now_text(), document=document))
            else:
                row.changed_at, row.document = now_text(), document
                self._store.maker.sheets.pop(row.id, None)
            if before != sheet.route:
                self._store.note(session, carrier_id, f"path: {sheet.route}")

    def of_take(self, take_id: int) -> PathSheet | None:
        """The sheet as it was when the take was begun."""
        with self._store.session() as session:
            row = session.scalar(select(PathSheetRow).where(PathSheetRow.take_id == take_id))
            return PathSheet.model_validate(row.document) if row else None

    def last(self, carrier_id: int) -> tuple[str, str, PathSheet] | None:
        """The newest sheet a take was made with, of this carrier, or else of another of the same kind: whose, when, what."""
        with self._store.session() as session:
            kind = self._store.row(session, carrier_id).kind
            query = (
                select(PathSheetRow, Carrier.label, Carrier.id == carrier_id)
                .join(Carrier, PathSheetRow.carrier_id == Carrier.id)
                .where(Carrier.kind == kind, PathSheetRow.take_id.is_not(None))
                .order_by((Carrier.id == carrier_id).desc(), PathSheetRow.id.desc())
            )
            found = session.execute(query.limit(1)).first()
            if found is None:
                return None
            row, label, _own = found
            return label, row.changed_at, PathSheet.model_validate(row.document)


def keep_sheet(session: Session, carrier: Carrier, take: Take) -> None:
    """What the sheet says when a take begins belongs to that take for good."""
    row = next((one for one in carrier.sheets if one.take_id is None), None)
    if row is not None:
        session.add(PathSheetRow(carrier_id=carrier.id, take_id=take.id, changed_at=now_text(), document=dict(row.document)))
