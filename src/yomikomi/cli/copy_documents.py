"""What the commands of copies answer."""

from __future__ import annotations

from pydantic import Field

from yomikomi.core.balance.models import Prediction
from yomikomi.core.run.result import CopyResult


class CopyDocument(CopyResult):
    """``yomikomi copy``: the result, and the prediction where there was one."""

    predicted: Prediction | None = Field(default=None, description="only with --predict")
