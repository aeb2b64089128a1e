"""What the commands of copies answer."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.balance.learning import Account
from yomikomi.core.balance.models import Learned, Prediction
from yomikomi.core.copying.result import CopyResult


class CopyDocument(CopyResult):
    """``yomikomi copy``: the result, and the prediction where there was one."""

    predicted: Prediction | None = Field(default=None, description="only with --predict")


class AccuracyRow(BaseModel):
    """One codec (or kind of carrier, or machine, as was asked): mean errors in per cent, how many intervals held, and the factors that are
    put on the next predictions."""

    model_config = ConfigDict(frozen=True)

    codec: str
    copies: int
    size_error_percent: float
    sizes_held: int
    seconds_error_percent: float
    seconds_held: int
    next: Learned
    compared: int = Field(default=0, description="copies of which fidelity was predicted and measured")
    detail_error_db: float | None = Field(default=None, description="mean difference of these; null where there is none")
    steps_held: int = Field(default=0, description="of how many of these the difference is seen as was predicted, or less")

    @classmethod
    def of(cls, account: Account) -> AccuracyRow:
        return cls(
            codec=account.group, copies=account.copies, size_error_percent=round(account.size_error, 2), sizes_held=account.size_held,
            seconds_error_percent=round(account.seconds_error, 2), seconds_held=account.seconds_held, next=account.next.learned,
            compared=account.compared, detail_error_db=round(account.detail_error, 2) if account.compared else None,
            steps_held=account.steps_held,
        )  # fmt: skip


class AccuracyDocument(BaseModel):
    """``yomikomi accuracy``."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    codecs: list[AccuracyRow]
