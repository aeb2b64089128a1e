"""The trials' room of the record, and what their figures hold for."""

from __future__ import annotations

import secrets
import shutil
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from yomikomi.core.balance.models import TrialSet
from yomikomi.core.ledger.schema import Take, TrialRow
from yomikomi.core.ledger.store import Room, now_text
from yomikomi.core.video.timecode import spoken
from yomikomi.core.work.drive import drive_error


@dataclass(frozen=True)
class Ground:
    """What figures of a take hold for besides their treatment, which they name: the id of its newest reading, how often it was
    overruled."""

    reading: int | None
    overrulings: int


class TrialRoom(Room):
    def save(self, take_id: int, trials: TrialSet, folder: Path, *, ground: Ground | None = None) -> bool:
        """Kept under the treatment that was tried, whichever is chosen now. ``ground``: the reading that the trials were made on; False,
        and nothing kept, where the take has another by now: they would be taken for figures of that one."""
        with self._store.session() as session:
            if ground is not None and ground != self._ground(session, take_id):
                return False
            kept = self._store.workspace.keep(folder)
            row = TrialRow(take_id=take_id, made_at=now_text(), folder=kept, digest=trials.digest, document=trials.model_dump(mode="json"))
            session.add(row)
            session.flush()
            self._store.maker.trials[row.id] = trials
            carrier = session.get_one(Take, take_id).carrier_id
            self._store.note(session, carrier, f"{len(trials.points)} recipes tried in {spoken(trials.trial_seconds)}")
            return True

    def new_folder(self, take_id: int) -> Path:
        """A folder of their own for the pictures of a set of trials; those of earlier sets of the take go. Raises WorkspaceError, and
        what :func:`drive_error` makes of an OSError."""
        self._store.workspace.check_writable()
        beside = self._store.workspace.folder / "trials"
        with self._store.session() as session:
            kept = {Path(folder).name for folder in session.scalars(select(TrialRow.folder).where(TrialRow.take_id == take_id))}
        for old in beside.glob(f"take-{take_id}-*"):
            if old.name not in kept and not old.is_symlink():
                shutil.rmtree(old, ignore_errors=True)
        folder = beside / f"take-{take_id}-{secrets.token_hex(4)}"
        try:
            folder.mkdir()
        except OSError as error:
            raise drive_error(error, folder) from error
        return folder

    def ground(self, take_id: int) -> Ground:
        """What trials and copies of a take would be made on now."""
        with self._store.session() as session:
            return self._ground(session, take_id)

    @staticmethod
    def _ground(session: Session, take_id: int) -> Ground:
        take = session.get_one(Take, take_id)
        return Ground(reading=take.readings[-1].id if take.readings else None, overrulings=len(take.overrulings))
