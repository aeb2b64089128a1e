"""A stand-in that ships: for machines without these services, for tests and for practice. It remembers what it was asked."""

from __future__ import annotations

from dataclasses import dataclass, field

from yomikomi.core.run.desktop.face import Deed, Release


@dataclass
class StandInDesktop:
    """``able``: what it says it can do."""

    able: frozenset[Deed] = frozenset()
    awake: bool = False
    done: list[Deed] = field(default_factory=list)
    told: list[tuple[str, str]] = field(default_factory=list)
    holds: list[str] = field(default_factory=list)

    def can(self, deed: Deed) -> bool:
        return deed in self.able

    def do(self, deed: Deed) -> bool:
        self.done.append(deed)
        return deed in self.able

    def keep_awake(self, why: str) -> Release | None:
        if not self.awake:
            return None
        self.holds.append(why)

        def release() -> None:
            if why in self.holds:
                self.holds.remove(why)

        return release

    def notify(self, head: str, body: str) -> bool:
        self.told.append((head, body))
        return bool(self.able) or self.awake
