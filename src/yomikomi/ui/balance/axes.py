"""The axes of the plane: what they show, and how they are drawn."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from yomikomi.core.balance.scales import Scale
from yomikomi.ui import theme

# Pixels between two figures of the axis of sizes at least, and for one of the axis of fidelity.
_APART, _TALL = 58, 44
_FIGURE_PX, _BESIDE = 11, 38


@dataclass(frozen=True)
class Span:
    """What an axis shows: sizes as their decimal logarithm, fidelity in dB."""

    low: float
    high: float

    def part(self, value: float) -> float:
        return (value - self.low) / max(1e-9, self.high - self.low)


def log_size(size: float) -> float:
    return math.log10(max(1.0, size))


def draw_axes(
    painter: QPainter, field: QRectF, scale: Scale, *, foot: float, fidelity: Span, x: Callable[[float], float], y: Callable[[float], float]
) -> None:
    """``field``: where points lie; ``scale``: what sizes are said as; ``foot``: bottom of the whole; ``x``, ``y``: places of a size's
    logarithm and of a fidelity."""
    grid, text = QPen(QColor(255, 255, 255, 34), 1), QColor(theme.WELL_TEXT)
    painter.setFont(theme.mono(_FIGURE_PX))
    last = -math.inf
    for size, words in scale.ticks:
        at = x(log_size(size))
        if not field.left() <= at <= field.right() or at - last < _APART:
            continue
        last = at
        painter.setPen(grid)
        painter.drawLine(QPointF(at, field.top()), QPointF(at, field.bottom()))
        painter.setPen(text)
        painter.drawText(QRectF(at - 50, field.bottom() + 4, 100, 16), Qt.AlignmentFlag.AlignHCenter, words)
    step = _step((fidelity.high - fidelity.low) / max(1.0, field.height() / _TALL))
    value = math.ceil(fidelity.low / step) * step
    while value <= fidelity.high:
        at = y(value)
        painter.setPen(grid)
        painter.drawLine(QPointF(field.left(), at), QPointF(field.right(), at))
        painter.setPen(text)
        place = QRectF(field.left() - _BESIDE - 6, at - 8, _BESIDE, 16)
        painter.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{value:g}")
        value = round(value + step, 9)
    painter.setPen(QColor(theme.WELL_MUTED))
    painter.setFont(theme.sans(theme.SMALL_PX))
    painter.drawText(QRectF(field.left(), foot - 22, field.width(), 18), Qt.AlignmentFlag.AlignHCenter, f"{scale.title} ▾")
    painter.save()
    painter.translate(14, field.center().y())
    painter.rotate(-90)
    painter.drawText(
        QRectF(-field.height() / 2, -9, field.height(), 18), Qt.AlignmentFlag.AlignCenter, "detail kept of the treated take, dB"
    )
    painter.restore()


def _step(least: float) -> float:
    """The next of 1, 2, 5 and their tenfolds."""
    whole = 10.0 ** math.floor(math.log10(max(least, 1e-6)))
    return next(whole * one for one in (1, 2, 5, 10) if whole * one >= least * (1 - 1e-9))
