"""The one place where the program tells people things; the window, the console and the log listen to it."""

from __future__ import annotations

import enum
from collections.abc import Callable
from dataclasses import dataclass


class Weight(enum.StrEnum):
    FINE = "fine"
    LOOK = "check"
    WRONG = "fault"


@dataclass(frozen=True)
class Notice:
    weight: Weight
    text: str
    remedy: str = ""


class NoticeCentre:
    """Hands each notice to all listeners, in order; keeps the last hundred for whoever comes later."""

    def __init__(self) -> None:
        self.history: list[Notice] = []
        self._listeners: list[Callable[[Notice], None]] = []

    def listen(self, listener: Callable[[Notice], None]) -> Callable[[], None]:
        self._listeners.append(listener)
        return lambda: self._listeners.remove(listener)

    def tell(self, weight: Weight, text: str, remedy: str = "") -> None:
        self.pass_on(Notice(weight, text, remedy))

    def pass_on(self, notice: Notice) -> None:
        self.history = [*self.history[-99:], notice]
        for listener in list(self._listeners):
            listener(notice)
