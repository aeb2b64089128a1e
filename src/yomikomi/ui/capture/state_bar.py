"""The state of a pass, readable across the room."""

from __future__ import annotations

from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from yomikomi.core.capture.health import CaptureStatus
from yomikomi.core.video.timecode import clock, spoken
from yomikomi.core.video.units import bit_rate_text
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import ElidedLabel, MarkShape, label

_LARGE_PX = 30


class StateBar(QFrame):
    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("alarm")
        self.state, self.lost, self.left, self.rate = (label(figure=figure) for figure in (False, False, False, True))
        self.state.setFont(theme.sans(_LARGE_PX, medium=True))
        for one in (self.lost, self.left):
            one.setFont(theme.sans(_LARGE_PX - 6))
        self.warning = ElidedLabel()
        self.warning.setFont(theme.sans(theme.BODY_PX))
        self.warning_mark = MarkShape("check")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 7, 16, 7)
        layout.setSpacing(2)
        head = QHBoxLayout()
        head.setSpacing(12)
        head.addWidget(MarkShape("fault"))
        head.addWidget(self.state)
        for one in (self.lost, self.left):
            head.addStretch(1)
            head.addWidget(one)
        head.addStretch(1)
        head.addWidget(self.rate)
        layout.addLayout(head)
        below = QHBoxLayout()
        below.setSpacing(8)
        below.addWidget(self.warning_mark)
        below.addWidget(self.warning, 1)
        layout.addLayout(below)
        self.begin("RECORDING")

    def begin(self, word: str) -> None:
        self._word = word
        self.state.setText(f"{word}  0:00:00")
        for one in (self.lost, self.left, self.rate):
            one.setText("")
        self._warn("the source is starting", "undetermined")

    def show_status(self, status: CaptureStatus) -> None:
        left = spoken(status.seconds_left) if status.bits_per_second else "–"
        self.state.setText(f"{self._word}  {clock(int(status.seconds))}")
        self.lost.setText(f"{status.dropped} lost")
        self.left.setText(f"{left} left")
        self.rate.setText(bit_rate_text(status.bits_per_second) if status.bits_per_second else "–")
        headroom = f"encoder headroom {status.headroom:.1f}×" if status.headroom else ""
        if status.warnings:
            self._warn(" · ".join(one.words for one in status.warnings), "fault" if status.dropped else "check")
        else:
            part = f" · part {status.part_number}" if status.part_number > 1 else ""
            self._warn(f"no faults{' · ' + headroom if headroom else ''}{part}", "fine")

    def _warn(self, words: str, mark: str) -> None:
        if self.warning_mark.mark != mark:
            self.warning_mark.show_mark(mark)
        self.warning.say(words)
