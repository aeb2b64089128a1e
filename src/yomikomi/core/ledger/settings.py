"""The settings' room of the record: what this workshop has, how it captures, what its machine was measured to do."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from yomikomi.core.capture.settings import CaptureSettings
from yomikomi.core.ledger.schema import CaptureSettingsRow, EquipmentRow, MachineTrialRow, Reckoning
from yomikomi.core.ledger.store import Room, now_text
from yomikomi.core.path.equipment import Equipment
from yomikomi.core.planning.machine import MachineSpeeds

_HISTORY_KEPT = 200  # reckonings


class SettingsRoom(Room):
    def capture(self) -> CaptureSettings:
        with self._store.session() as session:
            row = session.scalar(select(CaptureSettingsRow))
            return CaptureSettings.model_validate(row.document) if row else CaptureSettings()

    def save_capture(self, settings: CaptureSettings) -> None:
        with self._store.session() as session:
            _put(session, CaptureSettingsRow, settings.model_dump(mode="json"))

    def equipment(self) -> Equipment:
        with self._store.session() as session:
            row = session.scalar(select(EquipmentRow))
            return Equipment.model_validate(row.document) if row else Equipment()

    def save_equipment(self, equipment: Equipment) -> None:
        with self._store.session() as session:
            _put(session, EquipmentRow, equipment.model_dump(mode="json", exclude_defaults=True))

    def machine_speeds(self) -> MachineSpeeds | None:
        """The newest measurement of this machine, if there is one."""
        with self._store.session() as session:
            row = session.scalar(select(MachineTrialRow).order_by(MachineTrialRow.id.desc()).limit(1))
            return MachineSpeeds.model_validate(row.document) if row else None

    def save_machine_speeds(self, speeds: MachineSpeeds) -> None:
        with self._store.session() as session:
            session.add(MachineTrialRow(made_at=now_text(), document=speeds.model_dump(mode="json")))

    def reckonings(self) -> list[tuple[str, dict[str, Any], str]]:
        """The Reckoner's history, newest first: sheet, what was typed, the result in words."""
        with self._store.session() as session:
            rows = session.scalars(select(Reckoning).order_by(Reckoning.id.desc()).limit(_HISTORY_KEPT))
            return [(row.sheet, row.typed, row.words) for row in rows]

    def save_reckoning(self, sheet: str, typed: dict[str, str], words: str) -> None:
        with self._store.session() as session:
            newest = session.scalar(select(Reckoning).order_by(Reckoning.id.desc()).limit(1))
            if newest is not None and newest.sheet == sheet and newest.typed.items() <= typed.items():
                newest.typed, newest.words, newest.at = dict(typed), words, now_text()  # the same line, gone on with
                return
            session.add(Reckoning(at=now_text(), sheet=sheet, typed=dict(typed), words=words))


def _put(session: Session, table: type[CaptureSettingsRow | EquipmentRow], document: dict[str, Any]) -> None:
    """The one row of a table."""
    row = session.scalar(select(table))
    if row is None:
        session.add(table(changed_at=now_text(), document=document))
    else:
        row.changed_at, row.document = now_text(), document
