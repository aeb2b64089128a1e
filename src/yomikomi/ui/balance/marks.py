"""The marks on the plane: a shape a codec, and a star."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPolygonF


def draw_symbol(painter: QPainter, symbol: str, place: QPointF, radius: float) -> None:
    x, y = place.x(), place.y()
    if symbol == "s":
        painter.drawRect(QRectF(x - radius, y - radius, 2 * radius, 2 * radius))
    elif symbol == "t":
        painter.drawPolygon(QPolygonF([QPointF(x - radius, y - radius), QPointF(x + radius, y - radius), QPointF(x, y + radius)]))
    else:
        painter.drawEllipse(place, radius, radius)


def star(place: QPointF) -> QPolygonF:
    turns = [(13.0 if point % 2 == 0 else 5.5, math.pi * (point / 5 - 0.5)) for point in range(10)]
    return QPolygonF([QPointF(place.x() + radius * math.cos(turn), place.y() + radius * math.sin(turn)) for radius, turn in turns])
