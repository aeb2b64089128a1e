"""What is watched while recording: scopes, sound, looking back, and when it ends by itself."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from yomikomi.core.capture.health import CaptureStatus
from yomikomi.core.capture.ring import RingRules
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.video.timecode import spoken
from yomikomi.ui import theme
from yomikomi.ui.capture.sound_panel import SoundPanel
from yomikomi.ui.widgets.basics import button, label, row
from yomikomi.ui.widgets.scopes import ScopesPanel
from yomikomi.ui.widgets.speaking import Voice


class RingBar(QWidget):
    """How much of the ring is filled."""

    def __init__(self) -> None:
        super().__init__()
        self._seconds, self._of = 0.0, 300.0
        self.words = "off"
        self.setFixedHeight(26)
        self.setAccessibleName("Look-back buffer")
        self._voice = Voice(self)

    def sizeHint(self) -> QSize:
        return QSize(200, 26)

    def show_ring(self, seconds: float, minutes: float, words: str) -> None:
        self._seconds, self._of, self.words = seconds, minutes * 60, words
        self._voice.say(words)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.WELL))
        whole = QRectF(self.rect())
        painter.drawRoundedRect(whole, 4, 4)
        part = min(1.0, self._seconds / max(1.0, self._of))
        if part > 0:
            painter.setBrush(QColor(theme.ACCENT))
            painter.drawRoundedRect(QRectF(whole.right() - whole.width() * part, whole.top(), whole.width() * part, whole.height()), 4, 4)
        painter.setPen(QColor("white" if part > 0.5 else theme.WELL_TEXT))
        painter.setFont(theme.sans(theme.SMALL_PX))
        painter.drawText(whole.adjusted(10, 0, -10, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, self.words)


class WatchPage(QWidget):
    """``armed`` and ``kept`` are asked for by the buttons of looking back."""

    armed = Signal()
    kept = Signal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.scopes, self.sound, self.ring = ScopesPanel(), SoundPanel(), RingBar()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(self.scopes, 1)
        layout.addWidget(self.sound)
        self.arm_button = button("Start buffering", self.armed.emit, tip="Ctrl+B: keep the last minutes ready without recording a take")
        self.keep_button = button("Keep the last 30 s", lambda: self.kept.emit(30.0, 0.0), tip="F11: keep from 30 s ago until now")
        self.keep_on_button = button("+ 10 s", lambda: self.kept.emit(30.0, 10.0), tip="Keep from 30 s ago until 10 s from now")
        self.keep_on_button.setAccessibleName("Keep from 30 s ago until 10 s from now")
        self._look_back = label("Look-back buffer", name="section")
        layout.addWidget(self._look_back)
        layout.addWidget(self.ring)
        layout.addLayout(row(self.arm_button, 1, self.keep_button, self.keep_on_button))
        self._ends_head = label("Automatic stop", name="section")
        self.ends = label(quiet=True, wrap=True)
        layout.addWidget(self._ends_head)
        layout.addWidget(self.ends)
        self.show_rules(EndRules())
        self.show_ring(None, RingRules(), possible=True)

    def show_rules(self, rules: EndRules) -> None:
        self.ends.setText(rules.words)

    def show_ring(self, status: CaptureStatus | None, rules: RingRules, *, possible: bool) -> None:
        """``status`` is that of an armed pass, else None."""
        self.arm_button.setText("Stop buffering" if status is not None else "Start buffering")
        self.arm_button.setEnabled(possible)
        for one in (self.keep_button, self.keep_on_button):
            one.setEnabled(status is not None and status.ring_seconds > 0)
        if status is None:
            self.ring.show_ring(0, rules.minutes, "off")
        else:
            self.ring.show_ring(status.ring_seconds, rules.minutes, f"last {spoken(status.ring_seconds)} kept ready")

    def show_status(self, status: CaptureStatus) -> None:
        self.sound.show_status(status)
        if status.looks is not None and status.looks.scopes is not None:
            self.scopes.show_scopes(status.looks.scopes, (status.looks.below_black, status.looks.above_white))

    def clear(self) -> None:
        self.scopes.show_scopes(None)
        self.sound.clear()
