"""What was chosen before, to be had back."""

from __future__ import annotations

from yomikomi.core.treatment.model import Treatment


class History:
    """``now``: the treatment that is shown; None where there is nothing to treat."""

    def __init__(self) -> None:
        self._all: list[Treatment] = []
        self._at = -1

    @property
    def now(self) -> Treatment | None:
        return self._all[self._at] if self._all else None

    @property
    def can_undo(self) -> bool:
        return self._at > 0

    def clear(self) -> None:
        self._all, self._at = [], -1

    def begin(self, treatment: Treatment) -> None:
        self._all, self._at = [treatment], 0

    def add(self, treatment: Treatment) -> None:
        """What was undone is gone when something else is chosen."""
        if treatment != self.now:
            self._all = [*self._all[: self._at + 1], treatment]
            self._at = len(self._all) - 1

    def undo(self) -> bool:
        """Whether there was anything to go back to."""
        return self._go(self._at - 1)

    def redo(self) -> bool:
        return self._go(self._at + 1)

    def _go(self, at: int) -> bool:
        if not 0 <= at < len(self._all):
            return False
        self._at = at
        return True
