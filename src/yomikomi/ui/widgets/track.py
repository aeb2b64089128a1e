"""The track of eight ticks that shows how far a carrier has come."""

from __future__ import annotations

import itertools

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from yomikomi.ui import theme

STATIONS_OF_WORK = ("added", "path", "captured", "read", "treated", "balanced", "run", "in the ledger")


def draw_track(painter: QPainter, place: QRectF, progress: int, *, radius: float = 4.5, background: str = theme.RAISED) -> None:
    """Passed ticks are full, the next one is a ring in the accent, the rest are open rings."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    inset = radius + 1  # half of the pen lies outside the circle
    step = (place.width() - 2 * inset) / 7
    points = [QPointF(place.left() + inset + step * i, place.center().y()) for i in range(8)]
    for i, (one, two) in enumerate(itertools.pairwise(points)):
        painter.setPen(QPen(QColor(theme.PINE if i + 1 < progress else theme.LINE), 2))
        painter.drawLine(one, two)
    for i, point in enumerate(points):
        done, here = i < progress, i == progress
        painter.setPen(QPen(QColor(theme.PINE if done else theme.ACCENT if here else theme.MUTED), 1.5))
        painter.setBrush(QColor(theme.PINE if done else background))
        painter.drawEllipse(point, radius, radius)
        if here:
            painter.setBrush(QColor(theme.ACCENT))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(point, radius - 2.5, radius - 2.5)
    painter.restore()


class ProgressTrack(QWidget):
    def __init__(self) -> None:
        super().__init__()
        self._progress = 0
        self.setFixedSize(310, 40)

    def sizeHint(self) -> QSize:
        return QSize(310, 40)

    def show_progress(self, progress: int) -> None:
        self._progress = progress
        passed = ", ".join(STATIONS_OF_WORK[:progress]) or "nothing yet"
        self.setToolTip(f"Done: {passed}")
        self.setAccessibleName(f"Progress {progress} of 8: {passed}")
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        draw_track(painter, QRectF(0, 4, self.width(), 14), self._progress)
        painter.setPen(QColor(theme.MUTED))
        painter.setFont(theme.sans(theme.SMALL_PX - 1))
        flags = Qt.AlignmentFlag
        painter.drawText(QRectF(0, 22, 100, 16), flags.AlignLeft, STATIONS_OF_WORK[0])
        painter.drawText(QRectF(self.width() - 100, 22, 100, 16), flags.AlignRight, STATIONS_OF_WORK[-1])
        if 0 < self._progress < 8:
            step = (self.width() - 9) / 7
            centre = 4.5 + step * self._progress
            if 80 < centre < self.width() - 90:
                painter.setPen(QColor(theme.ACCENT))
                painter.drawText(QRectF(centre - 60, 22, 120, 16), flags.AlignHCenter, f"next: {_NEXT[self._progress]}")


_NEXT = ("take in", "path", "capture", "read", "treat", "balance", "run", "ledger")
