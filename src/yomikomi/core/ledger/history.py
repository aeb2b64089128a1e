"""The history: a line for all that was done."""

from __future__ import annotations

from sqlalchemy import select

from yomikomi.core.ledger.schema import Carrier, Event
from yomikomi.core.ledger.store import Room


class HistoryRoom(Room):
    def note(self, carrier_id: int, words: str) -> None:
        """A line of the history."""
        with self._store.session() as session:
            self._store.note(session, carrier_id, words)

    def events(self, carrier_id: int | None = None, limit: int = 200) -> list[tuple[str, str, str]]:
        """History, newest first: time, carrier's label, words."""
        with self._store.session() as session:
            query = select(Event, Carrier.label).join(Carrier, Event.carrier_id == Carrier.id, isouter=True)
            if carrier_id is not None:
                query = query.where(Event.carrier_id == carrier_id)
            rows = session.execute(query.order_by(Event.id.desc()).limit(limit)).all()
            return [(event.at, label or "", event.words) for event, label in rows]
