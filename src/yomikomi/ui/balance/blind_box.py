"""Blind comparisons: two moving loops, one of them the treated take, and a third that is one of the two."""

from __future__ import annotations

import random
import time
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QVBoxLayout, QWidget

from yomikomi.core.balance.loops import Loops
from yomikomi.core.balance.sentences import blind_result
from yomikomi.core.balance.threshold import MOST_ROUNDS, BlindTest, Round, Threshold
from yomikomi.ui.widgets.basics import Sentence, Well, button, form_body, label, row
from yomikomi.ui.widgets.pictures import PictureView, image_from_rgb

_TICK_MS = 8
_ASKED = "Which of the two is X?"
_HOW = "One of A and B is the treated take, the other a copy. Look as you would at your screen; guess where you see no difference"


class _Well(Well):
    def __init__(self, name: str) -> None:
        super().__init__()
        self.view = PictureView(exact=True)
        self.view.setMinimumWidth(264)
        self.view.setFixedHeight(188)
        self.view.setAccessibleName(f"Loop {name}")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(4, 4, 4, 6)
        layout.addWidget(self.view, 1)
        layout.addWidget(label(name), 0, Qt.AlignmentFlag.AlignHCenter)
        self.pictures: NDArray[np.uint8] | None = None
        self._shown = -1

    def put(self, pictures: NDArray[np.uint8]) -> None:
        self.pictures, self._shown = pictures, -1

    def show_number(self, number: int) -> None:
        if self.pictures is None or number == self._shown:
            return
        self._shown = number
        self.view.show_image(image_from_rgb(np.asarray(self.pictures[number])))


class BlindBox(QDialog):
    """``found`` with a Threshold that a person wants to keep. ``rng``: what decides which is which."""

    found = Signal(object)

    def __init__(self, loops: Loops, parent: QWidget, rng: random.Random | None = None) -> None:
        super().__init__(parent)
        self._loops, self._rng = loops, rng or random.SystemRandom()
        self._source = loops.source.pictures()
        self._copies = [copy.pictures() for copy in loops.copies]
        self.test = BlindTest([copy.detail_db or 0.0 for copy in loops.copies])
        self._level, self._x_is_a = 0, True
        self._rate, self._began = Fraction(loops.rate), time.monotonic()
        body = form_body(self, "Find what you see", width=900)
        self.sentence = Sentence()
        self.wells = {name: _Well(name) for name in ("A", "X", "B")}
        self.count = label("", quiet=True)
        self.a_button = button("X is A", lambda: self.answer(a=True), tip="A or Left")
        self.b_button = button("X is B", lambda: self.answer(a=False), tip="B or Right")
        self.keep_button = button("Use this", self._keep, primary=True)
        self.close_button = button("Stop", self.reject)
        body.addWidget(self.sentence)
        body.addLayout(row(*self.wells.values()))
        body.addLayout(row(self.count, 1, self.a_button, self.b_button, self.close_button, self.keep_button))
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)
        self._timer.start(_TICK_MS)
        self._next()

    @property
    def result_found(self) -> Threshold | None:
        """None as long as the test goes on."""
        return self.test.threshold if self.test.over else None

    def answer(self, *, a: bool) -> None:
        """What a person says X is."""
        if self.test.over:
            return
        level = self.test.levels[self._level]
        self.test = self.test.after(Round(level, right=a == self._x_is_a))
        self._next()

    def _next(self) -> None:
        found = self.result_found
        for one in (self.a_button, self.b_button):
            one.setVisible(found is None)
        self.keep_button.setVisible(found is not None)
        if found is not None:
            self.sentence.say(*blind_result(found))
            self.count.setText(f"{len(self.test.rounds)} comparisons")
            self.close_button.setText("Close")
            self.keep_button.setFocus()
            return
        self.sentence.say(_ASKED, _HOW)
        self.count.setText(f"Comparison {len(self.test.rounds) + 1} of {MOST_ROUNDS} at most")
        self._level = self.test.next_level()
        a_is_source, self._x_is_a = self._rng.random() < 0.5, self._rng.random() < 0.5
        copy = self._copies[self._level]
        a, b = (self._source, copy) if a_is_source else (copy, self._source)
        for name, pictures in (("A", a), ("B", b), ("X", a if self._x_is_a else b)):
            self.wells[name].put(pictures)
        self._began = time.monotonic()

    def _tick(self) -> None:
        number = int((time.monotonic() - self._began) * self._rate) % len(self._source)
        for well in self.wells.values():
            well.show_number(number)

    def _keep(self) -> None:
        found = self.result_found
        if found is not None:
            self.found.emit(found)
        self.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if key in {Qt.Key.Key_A, Qt.Key.Key_Left}:
            self.answer(a=True)
        elif key in {Qt.Key.Key_B, Qt.Key.Key_Right}:
            self.answer(a=False)
        else:
            super().keyPressEvent(event)
