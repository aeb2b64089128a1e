"""All sheets of the Reckoner. To add one, write it beside its like and add it here."""

from __future__ import annotations

from yomikomi.core.errors import WrongUseError
from yomikomi.core.reckoner.amounts import CAPTURE, CARD, CLIPS, DRIVE, LOOKBACK, SIZE, TAPE, UPLOAD
from yomikomi.core.reckoner.engine import Sheet
from yomikomi.core.reckoner.pictures import CROP, DECIBELS, LEVELS, SHAPE, STOPS
from yomikomi.core.reckoner.times import TIMECODE

SHEETS: dict[str, Sheet] = {
    sheet.key: sheet
    for sheet in (SIZE, CAPTURE, DRIVE, CARD, LOOKBACK, CLIPS, UPLOAD, TAPE, SHAPE, CROP, TIMECODE, LEVELS, DECIBELS, STOPS)
}


def sheet_of(key: str) -> Sheet:
    """Raises WrongUseError for a sheet that does not exist."""
    if key not in SHEETS:
        raise WrongUseError(f"There is no sheet {key!r}.", remedy=f"Use one of: {', '.join(SHEETS)}.")
    return SHEETS[key]
