"""What the run asks of the desktop and the machine."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal, Protocol

Deed = Literal["suspend", "power off"]
# Lets the machine sleep again; may be called more than once.
Release = Callable[[], None]


class Desktop(Protocol):
    """Nothing here raises: a machine without the service says so by its answers."""

    def can(self, deed: Deed) -> bool:
        """Without asking anyone for a password."""
        ...

    def do(self, deed: Deed) -> bool:
        """Whether it was accepted."""
        ...

    def keep_awake(self, why: str) -> Release | None:
        """The machine does not sleep until released, or until this process ends; None where nothing can be asked for that."""
        ...

    def notify(self, head: str, body: str) -> bool:
        """Whether it was shown."""
        ...
