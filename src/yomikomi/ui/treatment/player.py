"""Two pictures side by side, before and after, moving in step and at their true rates."""

from __future__ import annotations

import time
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from yomikomi.core.treatment.loop import LoopSide
from yomikomi.core.video.rates import rate_text
from yomikomi.ui.widgets.basics import ElidedLabel, Well, label
from yomikomi.ui.widgets.pictures import PictureView, image_from_rgb

_TICK_MS = 8


class _Side(Well):
    def __init__(self, words: str) -> None:
        super().__init__()
        self.view = PictureView(exact=True, empty="…")
        self.words = ElidedLabel(words)
        self.rate_words = label(quiet=True, figure=True)
        self._pictures: Sequence[NDArray[np.uint8]] = ()
        self._images: dict[int, QImage] = {}  # made when first shown: all at once would hold the window
        self._rate = 1.0
        self._shown = -1
        foot = QHBoxLayout()
        foot.addWidget(self.words, 1)
        foot.addWidget(self.rate_words)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addWidget(self.view, 1)
        layout.addLayout(foot)

    def put(self, side: LoopSide | None, words: str) -> None:
        self._pictures, self._images = side.pictures if side else (), {}
        self._rate = float(side.rate) if side else 1.0
        self._shown = -1
        self.words.say(words)
        self.rate_words.setText(f"{rate_text(side.rate)} fps" if side else "")
        if not self._pictures:
            self.view.show_image(None)

    @property
    def seconds(self) -> float:
        return len(self._pictures) / self._rate

    def show_at(self, seconds: float) -> None:
        if not self._pictures:
            return
        number = min(len(self._pictures) - 1, int(seconds * self._rate + 1e-6))
        if number != self._shown:
            self._shown = number
            if number not in self._images:
                self._images[number] = image_from_rgb(self._pictures[number])
            self.view.show_image(self._images[number])


class LoopPlayer(QWidget):
    """Runs while it is visible and not held."""

    def __init__(self) -> None:
        super().__init__()
        self.before, self.after = _Side("before"), _Side("after")
        self._at, self._mark, self.held = 0.0, time.monotonic(), False
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self._tick)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(self.before, 1)
        layout.addWidget(self.after, 1)

    def put(self, before: LoopSide | None, after: LoopSide | None, words: str) -> None:
        self.before.put(before, "before: fields as they are")
        self.after.put(after, words)
        self._mark = time.monotonic()
        self._show()

    def hold(self, on: bool) -> None:
        self.held = on
        self._mark = time.monotonic()

    def run(self, on: bool) -> None:
        if on:
            self._mark = time.monotonic()
            self._timer.start()
        else:
            self._timer.stop()

    def step(self, frames: int) -> None:
        """Hold, and go so many pictures of the faster side forward or back."""
        self.held = True
        rate = max(self.before._rate, self.after._rate)
        self._at = (int(self._at * rate + 1e-6) + frames) / rate
        self._show()

    def _tick(self) -> None:
        now = time.monotonic()
        if not self.held:
            self._at += now - self._mark
        self._mark = now
        self._show()

    def _show(self) -> None:
        length = max(0.01, min(s for s in (self.before.seconds, self.after.seconds, 3600.0) if s))
        self._at %= length
        self.before.show_at(self._at)
        self.after.show_at(self._at)
