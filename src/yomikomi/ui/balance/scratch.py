"""Folders for what is looked at once and thrown away, beside the trials."""

from __future__ import annotations

import secrets
import shutil
from collections.abc import Collection
from pathlib import Path

from yomikomi.core.errors import YomikomiError
from yomikomi.core.work.drive import drive_error
from yomikomi.ui.state import AppState


def scratch_folder(state: AppState, kind: str, *, live: Collection[Path] = ()) -> Path | None:
    """A new one, and those of a program that was ended meanwhile are cleared away; ``live``: not those. None where there can be none: a
    person was told why."""
    beside = state.workspace.folder / "trials"
    for old in beside.glob(f"{kind}-*"):
        if not old.is_symlink() and old not in live:
            shutil.rmtree(old, ignore_errors=True)
    folder = beside / f"{kind}-{secrets.token_hex(4)}"
    try:
        state.workspace.check_writable()
        folder.mkdir()
    except YomikomiError as error:
        state.tell_error(error)
        return None
    except OSError as error:
        state.tell_error(drive_error(error, folder))
        return None
    return folder
