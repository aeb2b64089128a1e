"""What a drawn widget says to those who cannot see it."""

from __future__ import annotations

import time
from collections.abc import Callable

from PySide6.QtGui import QAccessible, QAccessibleEvent
from PySide6.QtWidgets import QWidget

# What moves says something new at most so often (seconds): a reader that is interrupted all the time says nothing.
_PAUSE_S = 2.0


class Voice:
    """Keeps a widget's accessible description, and tells when it changed."""

    def __init__(self, widget: QWidget, *, pause_s: float = _PAUSE_S, now: Callable[[], float] = time.monotonic) -> None:
        self._widget, self._pause_s, self._now = widget, pause_s, now
        self._said_at = float("-inf")

    def say(self, words: str) -> None:
        if words == self._widget.accessibleDescription() or not self.due:
            return
        self._said_at = self._now()
        self._widget.setAccessibleDescription(words)
        QAccessible.updateAccessibility(QAccessibleEvent(self._widget, QAccessible.Event.DescriptionChanged))

    @property
    def due(self) -> bool:
        """Whether something new would be said now: asked before what is costly to word."""
        return self._now() - self._said_at >= self._pause_s
