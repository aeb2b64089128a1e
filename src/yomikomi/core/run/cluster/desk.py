"""Where this machine's desk finds its cluster, and where it sees the storages; kept for the person, not in the workspace: another machine
sees them elsewhere."""

from __future__ import annotations

from pathlib import Path

from pydantic import BaseModel, ConfigDict, ValidationError, field_validator

from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.run.cluster.parts import check_address
from yomikomi.core.work.new_file import write_over

_FILE = "desk.json"


class DeskPlace(BaseModel):
    """``address``: of the hub; ``storages``: folders by the names that workers know them by."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    address: str
    storages: dict[str, Path]

    @field_validator("address")
    @classmethod
    def _encrypted(cls, value: str) -> str:
        return check_address(value)


def desk_place(folder: Path) -> DeskPlace | None:
    """None where no cluster is set up. Raises UnfinishedError where what stands there is none."""
    path = folder / _FILE
    try:
        return DeskPlace.model_validate_json(path.read_bytes())
    except FileNotFoundError:
        return None
    except (OSError, ValidationError, WrongUseError) as error:
        raise UnfinishedError(f"{path} cannot be used.", remedy="yomikomi cluster use writes it anew.", path=path) from error


def known_desk_place(folder: Path) -> DeskPlace:
    """Raises UnfinishedError where no cluster is set up, too."""
    place = desk_place(folder)
    if place is None:
        raise UnfinishedError("This machine knows no cluster.", remedy="yomikomi cluster use tells it of one (docs/cluster.md).")
    return place


def keep_desk_place(folder: Path, place: DeskPlace) -> None:
    """Raises what :func:`drive_error` makes of an OSError."""
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    write_over(folder / _FILE, place.model_dump_json(indent=1).encode())
