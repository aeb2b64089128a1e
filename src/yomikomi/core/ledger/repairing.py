"""A damaged record is replaced by what can be saved of it; it is kept itself, for whoever can read more of it."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

from yomikomi.core.errors import UnreadableError, WorkspaceError
from yomikomi.core.ledger.integrity import Salvaged, record_problems, salvage
from yomikomi.core.ledger.troubles import READ_ONLY_REMEDY, READ_ONLY_WORDS
from yomikomi.core.ledger.trust import is_trusted
from yomikomi.core.ledger.workspace import RECORD_FILE, held_alone
from yomikomi.core.work.new_file import free_name, is_taken, new_file


def repair_record(folder: Path) -> tuple[Salvaged, Path]:
    """What was saved, and where the damaged record is kept. It cannot be opened as a workspace, so its lock is taken here.

    Raises WorkspaceError where it is open elsewhere or somebody else's, UnreadableError where nothing can be saved.
    """
    if not is_trusted(folder):
        raise WorkspaceError(READ_ONLY_WORDS, remedy=READ_ONLY_REMEDY, path=folder)
    record = folder / RECORD_FILE
    with held_alone(folder), new_file(folder / f"{RECORD_FILE}.saved", safe="The damaged record is as it was.") as made:
        told = salvage(record, made.part)
        if not any(told.rows.values()) or record_problems(made.part):
            raise UnreadableError("Nothing can be saved of the record.", remedy="Restore a backup.", path=record)
        for suffix in ("-wal", "-shm"):
            made.part.with_name(made.part.name + suffix).unlink(missing_ok=True)
        kept = free_name(folder, f"{record.stem}-damaged-{datetime.now(UTC):%Y%m%d-%H%M%S}", record.suffix)
        for suffix in ("-wal", "-shm"):
            log = record.with_name(record.name + suffix)
            if is_taken(log):
                log.replace(kept.with_name(kept.name + suffix))
        made.take_place_of(record, spare=kept)
    return told, kept
