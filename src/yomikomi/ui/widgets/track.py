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
        for words, place, ink in self._labels(painter):
            painter.setPen(QColor(ink))
            painter.drawText(place, Qt.AlignmentFlag.AlignLeft, words)

    def _labels(self, painter: QPainter) -> list[tuple[str, QRectF, str]]:
        """What stands under the ticks, where, in which ink: the next step under its own, the ends where they stay clear of it."""
        wide = painter.fontMetrics().horizontalAdvance

        def placed(words: str, left: float) -> QRectF:
            return QRectF(max(0.0, min(left, self.width() - wide(words))), 22, wide(words) + 1, 16)

        first, last = STATIONS_OF_WORK[0], STATIONS_OF_WORK[-1]
        ends = [(first, placed(first, 0.0), theme.MUTED), (last, placed(last, self.width()), theme.MUTED)]
        if not 0 < self._progress < 8:
            return ends
        words = f"next: {_NEXT[self._progress]}"
        centre = 4.5 + (self.width() - 9) / 7 * self._progress
        place = placed(words, centre - wide(words) / 2)
        clear = place.adjusted(-_APART_PX, 0, _APART_PX, 0)
        return [(words, place, theme.ACCENT), *(end for end in ends if not end[1].intersects(clear))]


# Between words under the ticks.
_APART_PX = 8
_NEXT = ("take in", "path", "capture", "read", "treat", "balance", "run", "ledger")
