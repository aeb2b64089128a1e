"""Two pictures side by side, before and after, moving in step and at their true rates."""

from __future__ import annotations

import time
from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from yomikomi.core.capture.scopes import Scopes
from yomikomi.core.treatment.loop import LoopSide
from yomikomi.core.video.rates import rate_text
from yomikomi.ui.treatment.levels_view import LevelsView
from yomikomi.ui.widgets.basics import ElidedLabel, Well, label
from yomikomi.ui.widgets.pictures import PictureView, image_from_rgb
from yomikomi.ui.widgets.scopes import VectorView, WaveformView

_TICK_MS = 8


# Ways to compare.
BESIDE, WIPE, DIFFERENCE, FIELDS = "Side by side", "Wipe", "Difference × 8", "Single fields"
WAVEFORM, VECTORS = "Waveform", "Vectorscope"
MODES = (BESIDE, WIPE, DIFFERENCE, FIELDS, WAVEFORM, VECTORS)
_TIMES, _NUDGE = 8, 0.02


class WipeView(PictureView):
    """Emits ``moved`` with the place of the mouse across the picture, 0…1; arrow keys move it too."""

    moved = Signal(float)

    def __init__(self) -> None:
        super().__init__(exact=True, empty="…")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._at = 0.5

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        area = self.picture_area()
        self._go((event.position().x() - area.left()) / max(1.0, area.width()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -_NUDGE, Qt.Key.Key_Right: _NUDGE}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        else:
            self._go(self._at + step)

    def _go(self, at: float) -> None:
        self._at = min(1.0, max(0.0, at))
        self.moved.emit(self._at)


def wiped(before: NDArray[np.uint8], after: NDArray[np.uint8], at: float) -> NDArray[np.uint8]:
    """ndarray [shape=(lines, columns, 3), RGB 0…255] of both: left of ``at`` (0…1) before, right of it after, a white line between."""
    lines, columns = (min(one.shape[axis] for one in (before, after)) for axis in (0, 1))
    edge = min(columns - 1, round(at * columns))
    made = after[:lines, :columns].copy()
    made[:, :edge] = before[:lines, :edge]
    made[:, edge] = 255
    return made


def difference(before: NDArray[np.uint8], after: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """ndarray [shape=(lines, columns, 3), RGB 0…255]: mid-grey where nothing changed, differences eight times as large."""
    lines, columns = (min(one.shape[axis] for one in (before, after)) for axis in (0, 1))
    gap = after[:lines, :columns].astype(np.int16) - before[:lines, :columns]
    return np.clip(128 + _TIMES * gap, 0, 255).astype(np.uint8)


def enlarged(picture: NDArray[np.uint8], scale: tuple[float, float]) -> NDArray[np.uint8]:
    """ndarray [shape=(lines, columns, 3), RGB 0…255], its upper left part as large as the scene is in the other picture: ``scale`` times,
    across and down."""
    if scale == (1.0, 1.0):
        return picture
    return np.asarray(cv2.resize(picture, None, fx=scale[0], fy=scale[1], interpolation=cv2.INTER_LINEAR), np.uint8)


def field_of(picture: NDArray[np.uint8], parity: int) -> NDArray[np.uint8]:
    """ndarray [shape=(lines, columns, 3)]: the lines of one field, each twice."""
    return np.repeat(picture[parity::2], 2, axis=0)[: len(picture)]


class _Side(Well):
    def __init__(self, words: str) -> None:
        super().__init__()
        self.view = WipeView()
        self.waveform, self.vectors = LevelsView(), VectorView()
        self._looks: dict[str, WaveformView | VectorView] = {WAVEFORM: self.waveform, VECTORS: self.vectors}
        for scope in self._looks.values():
            scope.hide()
        self.words = ElidedLabel(words)
        self.rate_words = label(quiet=True, figure=True)
        self._pictures: Sequence[NDArray[np.uint8]] = ()
        self._scopes: tuple[Scopes, ...] = ()
        self._scope = -1
        self._images: dict[int, QImage] = {}  # made when first shown: all at once would hold the window
        self._rate, self.scale = 1.0, (1.0, 1.0)
        self._shown = -1
        foot = QHBoxLayout()
        foot.addWidget(self.words, 1)
        foot.addWidget(self.rate_words)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addWidget(self.view, 1)
        for scope in self._looks.values():
            layout.addWidget(scope, 1)
        layout.addLayout(foot)

    def put(self, side: LoopSide | None, words: str) -> None:
        self._pictures, self._images = side.pictures if side else (), {}
        self._scopes, self._scope = side.scopes if side else (), -1
        self._rate = float(side.rate) if side else 1.0
        self.scale = side.scale if side else (1.0, 1.0)
        self._shown = -1
        self.words.say(words)
        self.rate_words.setText(f"{rate_text(side.rate)} fps" if side else "")
        if not self._pictures:
            self.view.show_image(None)

    @property
    def seconds(self) -> float:
        return len(self._pictures) / self._rate

    def number_at(self, seconds: float) -> int | None:
        return min(len(self._pictures) - 1, int(seconds * self._rate + 1e-6)) if self._pictures else None

    def picture(self, number: int) -> NDArray[np.uint8]:
        return self._pictures[number]

    def show_mixed(self, picture: NDArray[np.uint8]) -> None:
        """Something made of both sides."""
        self._shown = -1
        self.view.show_image(image_from_rgb(picture))

    def look(self, mode: str) -> None:
        """Pictures, or one of the scopes."""
        self.view.setVisible(mode not in self._looks)
        for key, scope in self._looks.items():
            scope.setVisible(mode == key)
        self._scope = -1

    def show_scope_at(self, seconds: float) -> None:
        """Those of the whole frame nearest before a moment."""
        number = min(len(self._scopes) - 1, int(seconds / max(1e-6, self.seconds) * len(self._scopes))) if self._scopes else -1
        if number != self._scope or number < 0:
            self._scope = number
            for scope in self._looks.values():
                scope.show_scopes(self._scopes[number] if number >= 0 else None)

    def show_at(self, seconds: float) -> None:
        number = self.number_at(seconds)
        if number is not None and number != self._shown:
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
        self._mode, self._wipe, self._mixed = BESIDE, 0.5, (-1, -1, -1.0)
        self.after.view.moved.connect(self._wiped)
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

    @property
    def mode(self) -> str:
        return self._mode

    def set_mode(self, mode: str) -> None:
        """One of ``MODES``."""
        self._mode, self._mixed = mode, (-1, -1, -1.0)
        self.before.setVisible(mode not in {WIPE, DIFFERENCE})
        for side in (self.before, self.after):
            side.look(mode)
        self.after.view.setMouseTracking(mode == WIPE)
        self._show()

    def _wiped(self, at: float) -> None:
        self._wipe = at
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
        if self._mode == BESIDE:
            self.before.show_at(self._at)
            self.after.show_at(self._at)
        elif self._mode in {WAVEFORM, VECTORS}:
            self.before.show_scope_at(self._at)
            self.after.show_scope_at(self._at)
        else:
            self._show_mixed()

    def _show_mixed(self) -> None:
        one, two = self.before.number_at(self._at), self.after.number_at(self._at)
        second = int(self._at * self.before._rate * 2 + 1e-6) % 2
        now = (one or 0, two or 0, self._wipe if self._mode == WIPE else float(second))
        if now == self._mixed or one is None or two is None:
            return
        self._mixed = now
        before, after = self.before.picture(one), self.after.picture(two)
        if self._mode == FIELDS:
            self.before.show_mixed(field_of(before, second))
            self.after.show_mixed(field_of(after, second))
        else:
            before = enlarged(before, self.after.scale)
            self.after.show_mixed(wiped(before, after, self._wipe) if self._mode == WIPE else difference(before, after))
