"""What ``yomikomi process`` and ``yomikomi house-rules`` print with --json."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from yomikomi.core.house.differences import Difference
from yomikomi.core.house.rules import HouseRules
from yomikomi.core.ledger.run_report import RunReport


class ProcessLine(BaseModel):
    """``state``: taken through, prepared for its capture, waiting for a person (then ``differences`` say why), or what was wrong."""

    carrier: str
    state: Literal["taken through", "prepared", "waiting", "wrong"]
    differences: list[Difference] = []
    wrong: str = ""


class ProcessDocument(BaseModel):
    """``report``: of the run; null where it was left for later."""

    schema_version: int = 1
    rules: str
    carriers: list[ProcessLine]
    report: RunReport | None = None


class RulesDocument(BaseModel):
    schema_version: int = 1
    rules: list[HouseRules]
