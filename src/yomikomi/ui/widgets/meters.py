"""Sound level with peak hold."""

from __future__ import annotations

import time

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from yomikomi.ui import theme
from yomikomi.ui.widgets.speaking import Voice

_FLOOR_DB = -60.0
_HOLD_S = 1.5
# Leave headroom: programme stays below this (common practice, no source).
_HEADROOM_DB = -2.0


class LevelMeter(QWidget):
    """One bar, −60 to 0 dB below full scale, with the peak of the last second and a half as a line.

    Parameters
    ----------
    ticks, bar : several meters may share one scale: bars without ticks over ticks without a bar.
    """

    def __init__(self, *, ticks: bool = True, bar: bool = True) -> None:
        super().__init__()
        self._ticks, self._bar = ticks, bar
        self._peak = self._rms = self._held = _FLOOR_DB
        self._held_at = 0.0
        self.setFixedHeight(52 if ticks and bar else 19 if bar else 16)
        self.setAccessibleName("Sound level")
        self._voice = Voice(self)

    def sizeHint(self) -> QSize:
        return QSize(200, self.height())

    def show_level(self, peak_db: float, rms_db: float) -> None:
        now = time.monotonic()
        self._peak, self._rms = peak_db, rms_db
        if peak_db >= self._held or now - self._held_at > _HOLD_S:
            self._held, self._held_at = peak_db, now
        words = f"peak {peak_db:.1f} dB, mean {rms_db:.1f} dB below full scale"
        self.setToolTip(words)
        self._voice.say(words)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        bar = QRectF(0, 8 if self._ticks else 3, self.width(), 14 if self._ticks else 12)
        if self._bar:
            self._draw_bar(painter, bar)
        if self._ticks:
            self._draw_ticks(painter, bar.bottom() + 5 if self._bar else 0)

    def _draw_bar(self, painter: QPainter, bar: QRectF) -> None:
        painter.fillRect(bar, QColor("#2B2C2F"))
        for level, colour in ((self._peak, "#14503C"), (self._rms, theme.OKABE_ITO["green"])):
            painter.fillRect(QRectF(0, bar.top(), self._x(level), bar.height()), QColor(colour))
        if self._held > _FLOOR_DB:
            hot = self._held > _HEADROOM_DB
            painter.fillRect(QRectF(self._x(self._held) - 3, bar.top() - 3, 3, bar.height() + 6), QColor("#FF9C9C" if hot else "white"))

    def _draw_ticks(self, painter: QPainter, top: float) -> None:
        painter.setPen(QColor(theme.WELL_MUTED))
        painter.setFont(theme.mono(10))
        for tick in (-60, -40, -20, -10, -6, 0):
            x = self._x(tick)
            place = QRectF(x - (0 if tick == -60 else 20), top, 40, 14)
            flag = Qt.AlignmentFlag.AlignLeft if tick == -60 else Qt.AlignmentFlag.AlignHCenter
            if tick == 0:
                place, flag = QRectF(self.width() - 40, top, 40, 14), Qt.AlignmentFlag.AlignRight
            painter.drawText(place, flag, f"{tick} dB".replace("-", "\N{MINUS SIGN}") if tick == 0 else f"\N{MINUS SIGN}{-tick}")

    def _x(self, level_db: float) -> float:
        """Half of the bar for the upper 20 dB, where it matters."""
        level = min(0.0, max(_FLOOR_DB, level_db))
        part = 0.5 + 0.5 * (level + 20) / 20 if level > -20 else 0.5 * (level - _FLOOR_DB) / 40
        return part * self.width()
