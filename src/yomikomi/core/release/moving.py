"""A take's files move away and come back: each by one renaming, so that at any moment, and after any crash, every file has a name."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.errors import UnfinishedError
from yomikomi.core.release.trash import from_trash, to_trash
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import is_same_file, is_taken, rename_new

_SAFE = "Nothing was removed."


class Move(BaseModel):
    """``home``: where the file belongs, ``away``: where it goes, empty for the trash; both as the record keeps paths."""

    model_config = ConfigDict(frozen=True)

    home: str
    away: str = ""
    size: int
    content: str = Field(description="BLAKE3 of the file as it was when it moved")


class Files:
    """Moves of one take, with paths as they truly are."""

    def __init__(self, moves: Sequence[tuple[Path, Path | None, Move]]) -> None:
        self._moves = list(moves)

    def go(self) -> None:
        """All of them, or none: what moved comes back where one cannot. Raises what the drive says, NameTakenError."""
        try:
            for home, away, _ in self._moves:
                _go(home, away)
        except BaseException:
            self.come_back()
            raise

    def come_back(self) -> None:
        """What is away gets its name again; what is at home stays. Raises NameTakenError where another file has the name meanwhile,
        UnfinishedError where it is nowhere."""
        for home, away, move in self._moves:
            there = away is not None and is_taken(away)
            if is_taken(home):
                if there and away is not None and is_same_file(home, away):
                    away.unlink()  # cut off between two names of one file
                continue
            if away is None:
                from_trash(home, move.size, move.content)
            elif there:
                rename_new(away, home)
            else:
                words = f"{home.name} is neither in its place nor where it was held."
                raise UnfinishedError(words, remedy="Look for it by its content.", path=home)

    @property
    def all_away(self) -> bool:
        """Whether none has its old name, and all that are held are there."""
        return all(not is_taken(home) and (away is None or is_taken(away)) for home, away, _ in self._moves)


def _go(home: Path, away: Path | None) -> None:
    if not is_taken(home):
        raise UnfinishedError(f"{home.name} is not there.", remedy=f"{_SAFE} Look for it before it is released.", path=home)
    if away is None:
        to_trash(home)
        return
    try:
        away.parent.mkdir(exist_ok=True)
    except OSError as error:
        raise drive_error(error, away, safe=_SAFE) from error
    rename_new(home, away)
