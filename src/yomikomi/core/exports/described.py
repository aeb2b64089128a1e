"""What the records of one carrier are made of."""

from __future__ import annotations

from yomikomi.core.exports.xml_records import Described
from yomikomi.core.ledger.record import Record


def described(record: Record, carrier: int) -> Described:
    """Raises WrongUseError where the carrier is gone."""
    return Described(record.carrier(carrier), record.pages.of(carrier), record.files.of_carriers([carrier]))
