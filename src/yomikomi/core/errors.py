"""Typed errors. Every one says what is wrong and what to do, and carries its exit code for the command line.

YomikomiError
├── WrongUseError          what was asked makes no sense as asked                     exit 2
│   └── NameTakenError     something has the name already, or is being written to it
├── UnreadableError        a file cannot be opened as footage                         exit 3
└── UnfinishedError        the work was begun and could not be finished               exit 4
    ├── DriveFullError     no room left where the result goes
    ├── DriveAwayError     the drive or folder where the result goes cannot be reached
    ├── SourceLostError    a player or device stopped answering
    ├── WorkerDiedError    a worker process ended without an answer
    └── CancelledError     a person stopped it
WorkspaceError             the workspace cannot be opened                             exit 4
"""

from __future__ import annotations

from pathlib import Path


class YomikomiError(Exception):
    """Root of all expected errors.

    Parameters
    ----------
    message : what is wrong, one sentence.
    remedy : what the person can do about it, one sentence.
    path : the file concerned, if there is one.
    """

    exit_code = 4

    def __init__(self, message: str, *, remedy: str = "", path: Path | None = None) -> None:
        super().__init__(message)
        self.message = message
        self.remedy = remedy
        self.path = path

    def __str__(self) -> str:
        return f"{self.message} {self.remedy}".strip()

    def __reduce__(self) -> tuple[object, ...]:
        # Errors cross process borders; the keyword-only arguments need a hand.
        return _rebuild, (type(self), self.message, self.remedy, self.path)


def _rebuild(kind: type[YomikomiError], message: str, remedy: str, path: Path | None) -> YomikomiError:
    return kind(message, remedy=remedy, path=path)


class WrongUseError(YomikomiError):
    exit_code = 2


class NameTakenError(WrongUseError):
    pass


class UnreadableError(YomikomiError):
    exit_code = 3


class UnfinishedError(YomikomiError):
    exit_code = 4


class DriveFullError(UnfinishedError):
    pass


class DriveAwayError(UnfinishedError):
    pass


class SourceLostError(UnfinishedError):
    pass


class WorkerDiedError(UnfinishedError):
    pass


class CancelledError(UnfinishedError):
    pass


class WorkspaceError(YomikomiError):
    exit_code = 4
