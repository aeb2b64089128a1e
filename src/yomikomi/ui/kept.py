"""What a person chose, kept for all workspaces: one small document a subject in the folder for settings."""

from __future__ import annotations

import contextlib
import json
from pathlib import Path

from platformdirs import user_config_path

from yomikomi.core.errors import YomikomiError
from yomikomi.core.work.new_file import write_over


def _file(subject: str) -> Path:
    return user_config_path("yomikomi") / f"{subject}.json"


def read_kept(subject: str) -> dict[str, object]:
    """What was chosen last; empty where nothing was, or where the file is damaged."""
    with contextlib.suppress(OSError, ValueError, RecursionError):
        document = json.loads(_file(subject).read_text(encoding="utf-8"))
        if isinstance(document, dict):
            return document
    return {}


def keep(subject: str, document: dict[str, object]) -> None:
    """Raises YomikomiError where the folder for settings cannot be written to."""
    path = _file(subject)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_over(path, json.dumps(document).encode())
    except OSError as error:
        raise YomikomiError(
            f"The {subject} could not be kept: {error.strerror}.", remedy=f"Check that {path.parent.name} can be written to."
        ) from error
