"""What is drawn on the plane at a point: a shape a codec, a star, and what a point says of itself."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from yomikomi.core.balance.curves import PlanePoint
from yomikomi.ui import theme

_PAPER = "#2B2C2F"


def draw_symbol(painter: QPainter, symbol: str, place: QPointF, radius: float) -> None:
    x, y = place.x(), place.y()
    if symbol == "s":
        painter.drawRect(QRectF(x - radius, y - radius, 2 * radius, 2 * radius))
    elif symbol == "t":
        painter.drawPolygon(QPolygonF([QPointF(x - radius, y - radius), QPointF(x + radius, y - radius), QPointF(x, y + radius)]))
    else:
        painter.drawEllipse(place, radius, radius)


def draw_beside(painter: QPainter, point: PlanePoint, place: QPointF) -> None:
    """A copy that lies on no curve: its codec's shape, hollow, with what it has that the curve has not."""
    recipe = point.prediction.recipe
    colour, symbol = theme.CODEC_LOOK[recipe.codec]
    painter.setPen(QPen(QColor(colour), 2))
    painter.setBrush(QColor(theme.WELL))
    draw_symbol(painter, symbol, place, 6.0)
    painter.setFont(theme.sans(theme.SMALL_PX))
    words = "without noise" if point.of_another_treatment else recipe.speed_words or recipe.rate.words
    # Curves rise to the right: what lies on another treatment's curve, above this one, is named where nothing is, at its left.
    across = -10.0 - painter.fontMetrics().horizontalAdvance(words) if point.of_another_treatment else 10.0
    painter.drawText(place + QPointF(across, -8), words)


def star(place: QPointF) -> QPolygonF:
    turns = [(13.0 if point % 2 == 0 else 5.5, math.pi * (point / 5 - 0.5)) for point in range(10)]
    return QPolygonF([QPointF(place.x() + radius * math.cos(turn), place.y() + radius * math.sin(turn)) for radius, turn in turns])


def clear_spot(spots: Sequence[QRectF], taken: Sequence[QRectF], *, within: QRectF) -> QRectF:
    """The first that lies within and clear of what is taken; the first of all where none does."""
    return next((one for one in spots if within.contains(one) and not any(one.intersects(other) for other in taken)), spots[0])


def draw_told(painter: QPainter, words: str, place: QPointF, field: QRectF, size: QSize) -> None:
    """Lines of text beside a point, on the side where there is room. ``field``: of the axes; ``size``: of the widget."""
    painter.setFont(theme.mono(theme.SMALL_PX))
    metrics = painter.fontMetrics()
    needed = metrics.boundingRect(0, 0, 10_000, 10_000, Qt.AlignmentFlag.AlignLeft, words)
    wide, tall = needed.width() + 20, needed.height() + 14
    left = place.x() - wide - 14 if place.x() > field.center().x() else place.x() + 14
    top = place.y() - tall - 10 if place.y() > field.center().y() else place.y() + 10
    left, top = (min(max(4.0, at), max(4.0, most - 4)) for at, most in ((left, size.width() - wide), (top, size.height() - tall)))
    box = QRectF(left, top, wide, tall)
    painter.setPen(QPen(QColor(theme.WELL_LINE), 1))
    painter.setBrush(QColor(_PAPER))
    painter.drawRect(box)
    painter.setPen(QColor(theme.WELL_TEXT))
    painter.drawText(box.adjusted(10, 6, -10, -6), Qt.AlignmentFlag.AlignLeft, words)
