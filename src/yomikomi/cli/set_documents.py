"""What the commands of sets answer."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from yomikomi.core.balance.models import Prediction
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.sets.model import CopySet


class SetsDocument(BaseModel):
    """``yomikomi sets``."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    sets: list[CopySet]


class SetPredictionRow(BaseModel):
    """``wrong``: what cannot be made to fit, in words; such a copy has no prediction."""

    model_config = ConfigDict(frozen=True)

    name: str
    wrong: list[str]
    prediction: Prediction | None


class SetPredictionDocument(BaseModel):
    """``yomikomi predict --set``."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    copies: list[SetPredictionRow]


class SetCopyRow(BaseModel):
    """``wrong``: what cannot be made to fit, in words; such a copy is not made."""

    model_config = ConfigDict(frozen=True)

    name: str
    wrong: list[str]
    result: CopyResult | None


class SetCopiesDocument(BaseModel):
    """``yomikomi copy --set``."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    copies: list[SetCopyRow]
