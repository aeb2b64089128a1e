"""How the ledger keeps: when takes may go, how often files are read again, where backups lie, who works here."""

from __future__ import annotations

import getpass
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from yomikomi.core.ledger.schema import LedgerRulesRow
from yomikomi.core.release.rules import ReleaseRules


class LedgerRules(BaseModel):
    """Parameters
    ----------
    check_days : every file is read again after so many days, in idle time.
    backups : so many of the record are kept.
    backup_hours : one is made when the last is older.
    backup_folder : a second folder that each goes to as well; empty: none.
    operator : who works here; empty: as the user is called.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    schema_version: Literal[1] = 1
    release: ReleaseRules = ReleaseRules()
    check_days: float = Field(default=90.0, ge=1, le=3660)
    backups: int = Field(default=7, ge=1, le=365)
    backup_hours: float = Field(default=24.0, ge=1, le=24 * 366)
    backup_folder: str = ""
    operator: str = Field(default="", max_length=80)

    @property
    def who(self) -> str:
        return self.operator or _user()


def rules_in(session: Session) -> LedgerRules:
    """As they stand on record; as they are at first where they are damaged, or none were made."""
    row = session.scalar(select(LedgerRulesRow))
    try:
        return LedgerRules.model_validate(row.document) if row is not None else LedgerRules()
    except ValueError:
        return LedgerRules()


def _user() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError, ImportError):
        return "somebody"
