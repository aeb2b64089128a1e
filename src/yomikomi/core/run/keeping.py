"""What the run asks of whoever keeps its jobs (the record), and what passes between them."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Protocol

from pydantic import BaseModel

from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.errors import YomikomiError
from yomikomi.core.run.rules import RunRules
from yomikomi.core.run.scheduler import Entry
from yomikomi.core.run.task import TaskKind
from yomikomi.core.work.notices import Notice


@dataclass(frozen=True)
class Work:
    """What a job is given. ``carrier``: its label."""

    copy: int
    kind: TaskKind
    name: str
    carrier: str
    request: CopyRequest


@dataclass(frozen=True)
class Ended:
    """How a job's process ended. ``words``: for its log; ``cut_off``: with the program, or with its machine; ``worker``: who had it."""

    job: int
    words: str
    result: BaseModel | None = None
    error: YomikomiError | None = None
    peak_bytes: int | None = None
    cut_off: bool = False
    worker: str = ""


class Keeper(Protocol):
    def entries(self, known: Collection[int] = ()) -> list[Entry]:
        """Jobs that are not finished, without ``known`` ones."""
        ...

    def of_copies(self, copies: Sequence[int]) -> list[Entry]: ...
    def work(self, job_id: int) -> Work: ...
    def there(self) -> bool:
        """Whether the drive with takes and copies is where it was."""
        ...

    def write(self, entries: Sequence[Entry], ended: Ended | None = None) -> Notice | None:
        """In one transaction, on the drive when it comes back."""
        ...

    def peaks(self) -> list[int]: ...
    def rules(self) -> RunRules: ...
    def save_rules(self, rules: RunRules) -> None: ...
