"""Which treatment a command was asked for."""

from __future__ import annotations

import json
from pathlib import Path

from pydantic import ValidationError

from yomikomi.core.errors import UnreadableError, WrongUseError
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.sentences import findings
from yomikomi.core.treatment.advice import fields_treatment, suggested
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace, Size
from yomikomi.core.video.standards import FieldOrder


def treatment_for(reading: Reading, file: Path | None, *, as_suggested: bool, fields: str) -> Treatment:
    """What a person asked for: a document, all that is suggested, or only what happens to fields."""
    if file is not None and as_suggested:
        raise WrongUseError("A treatment is either given or suggested.", remedy="Leave out --treatment or --as-suggested.")
    if file is not None:
        return read_treatment(file)
    return suggested(reading, findings(reading)) if as_suggested else choose_treatment(reading, fields)


def resized(treatment: Treatment, wish: str | None) -> Treatment:
    """With pictures of another size: a height, or width and height, in square pixels. Raises WrongUseError."""
    if wish is None:
        return treatment
    sides = wish.lower().split("x")
    if len(sides) > 2 or not all(side.isdigit() and 16 <= int(side) <= 16_384 for side in sides):
        raise WrongUseError(f"{wish!r} is no size of pictures.", remedy="Write it as 720 (the height) or 1280x720.")
    size = Size(height=int(sides[0])) if len(sides) == 1 else Size(width=int(sides[0]), height=int(sides[1]))
    return treatment.having(size)


def choose_treatment(reading: Reading, wish: str) -> Treatment:
    """``auto`` follows the reading; the others are taken at their word, with the field order that was found."""
    if wish == "auto":
        return fields_treatment(reading)
    if wish not in {d.value for d in Deinterlace}:
        raise WrongUseError(f"There is no way to deinterlace called {wish!r}.", remedy="Use auto, leave, single or double.")
    order = reading.scan.field_order
    if wish == "leave":
        return Treatment.of_fields(Deinterlace.LEAVE, FieldOrder(order) if order else None)
    if order is None:
        flagged = reading.scan.flagged if reading.scan.flagged in {"tff", "bff"} else None
        if reading.scan.kind == "progressive" or flagged is None:
            raise WrongUseError(
                f"{reading.file} has no fields to deinterlace ({reading.scan.kind}).", remedy="Use --deinterlace leave or auto."
            )
        return Treatment.of_fields(Deinterlace(wish), FieldOrder(flagged))
    return Treatment.of_fields(Deinterlace(wish), FieldOrder(order))


def read_treatment(file: Path) -> Treatment:
    """From JSON: a treatment, or the answer of ``advise`` that holds one. Raises UnreadableError, WrongUseError."""
    try:
        document = json.loads(file.read_bytes())
        return Treatment.model_validate(document.get("treatment", document) if isinstance(document, dict) else document)
    except OSError as error:
        raise UnreadableError(f"{file.name} cannot be read: {error.strerror}.", remedy="Check the name.", path=file) from error
    except (ValueError, RecursionError) as error:
        told = error.errors()[0]["msg"] if isinstance(error, ValidationError) else "it is no JSON"
        raise WrongUseError(f"{file.name} is no treatment: {told}.", remedy="See `yomikomi advise FILE --json`.") from error
