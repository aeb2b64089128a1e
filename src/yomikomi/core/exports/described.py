"""What the records of one carrier are made of."""

from __future__ import annotations

from yomikomi.core.exports.xml_records import Described
from yomikomi.core.ledger.record import Record


def described(record: Record, carrier: int) -> Described:
    """Raises WrongUseError where the carrier is gone."""
    view, page = record.carrier(carrier), record.pages.of(carrier)
    files = [one for one in record.files.all() if one.carrier_id == carrier]
    seen: dict[int, object] = {}
    return Described(view, page, [one for one in files if seen.setdefault(one.file_id, one) is one])
