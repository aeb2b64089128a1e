"""Writing a small file whole or not at all."""

from __future__ import annotations

from pathlib import Path

from yomikomi.core.errors import UnfinishedError


def write_whole(path: Path, content: bytes) -> None:
    """Raises UnfinishedError when it cannot be written; nothing half-written is left."""
    part = path.with_name(f".{path.name}.part")
    try:
        part.write_bytes(content)
        part.replace(path)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise UnfinishedError(f"{path.name} cannot be written: {error.strerror}.", remedy="Choose another place.", path=path) from error
