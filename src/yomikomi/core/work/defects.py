"""What must not happen and did: kept in a log, so that the person can be told where it lies and somebody can mend it."""

from __future__ import annotations

import traceback
from datetime import UTC, datetime
from pathlib import Path

from platformdirs import user_log_path

from yomikomi.core.errors import UnfinishedError

_LARGEST_LOG = 2_000_000


def defect(error: BaseException, doing: str) -> UnfinishedError:
    """The error for people, after the whole of it was written to the log."""
    log = _note(error, doing)
    where = f"Its description lies in {log}." if log else "Its description could not be written down."
    return UnfinishedError(
        f"{doing}: {type(error).__name__}: {error}", remedy=f"This is a defect of the program; nothing else is affected. {where}"
    )


def _note(error: BaseException, doing: str) -> Path | None:
    try:
        folder = user_log_path("yomikomi")
        folder.mkdir(parents=True, exist_ok=True)
        log = folder / "defects.log"
        if log.exists() and log.stat().st_size > _LARGEST_LOG:
            log.replace(log.with_suffix(".old.log"))
        with log.open("a", encoding="utf-8", errors="backslashreplace") as file:
            file.write(f"--- {datetime.now(UTC).isoformat(timespec='seconds')} {doing}\n")
            file.writelines(traceback.format_exception(error))
    except OSError:
        return None
    return log
