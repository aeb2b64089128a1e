"""A waveform on which the black and the white point are set."""

from __future__ import annotations

from typing import Literal

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen

from yomikomi.ui import theme
from yomikomi.ui.widgets.scopes import WaveformView

Point = Literal["black", "white"]
# Pixels within which a line is taken; code values that the points stay apart, at least.
_GRAB, _APART = 6, 24
_LEAST, _MOST = 0.0, 255.0


class LevelsView(WaveformView):
    """Emits ``chosen`` with the black and the white point, code values of 8 bits. ``points``: None where nothing can be set."""

    chosen = Signal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.points: tuple[float, float] | None = None
        self._held: Point | None = None
        self._keyed: Point = "black"

    def offer(self, black: float, white: float) -> None:
        """Lines that can be dragged; the place before a treatment offers them, the one after does not."""
        self.points = (black, white)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(f"{self.name}; black point {black:.0f}, white point {white:.0f}: B or W, then Up and Down")
        self.setToolTip("Drag the lines to where black and white should begin; or B, W, then Up, Down, with Shift ten at once")
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held = self._near(event.position().y()) if event.button() == Qt.MouseButton.LeftButton else None
        if self._held is not None:
            self._keyed = self._held
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is None:
            near = self._near(event.position().y()) is not None
            self.setCursor(Qt.CursorShape.SizeVerCursor if near else Qt.CursorShape.ArrowCursor)
        else:
            self._put(self._held, self.code_at(event.position().y()))

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        held, self._held = self._held, None
        if held is not None and self.points is not None:
            self.chosen.emit(*self.points)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        ways = {Qt.Key.Key_Up: 1.0, Qt.Key.Key_Down: -1.0}
        if self.points is None or key not in {*ways, Qt.Key.Key_B, Qt.Key.Key_W}:
            super().keyPressEvent(event)
        elif key in ways:
            step = 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self._put(self._keyed, self.points[self._keyed == "white"] + step * ways[key])
            self.chosen.emit(*self.points)
        else:
            self._keyed = "black" if key == Qt.Key.Key_B else "white"
            self.update()

    def _put(self, point: Point, code: float) -> None:
        assert self.points is not None
        black, white = self.points
        code = float(round(min(_MOST, max(_LEAST, code))))
        self.points = (min(code, white - _APART), white) if point == "black" else (black, max(code, black + _APART))
        self.update()

    def _near(self, y: float) -> Point | None:
        if self.points is None:
            return None
        apart = {name: abs(self.y_of(code) - y) for name, code in zip(("black", "white"), self.points, strict=True)}
        return next((name for name in ("black", "white") if apart[name] <= _GRAB and apart[name] == min(apart.values())), None)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.points is None:
            return
        painter = QPainter(self)
        painter.setFont(theme.sans(10))
        for name, code in zip(("black", "white"), self.points, strict=True):
            y, mine = self.y_of(code), self._keyed == name and (self._held is not None or self.hasFocus())
            painter.setPen(QPen(QColor(theme.OKABE_ITO["yellow"] if mine else theme.WELL_TEXT), 2 if mine else 1))
            painter.drawLine(QPointF(self.place.left(), y), QPointF(self.place.right(), y))
            place = QRectF(self.place.left() + 4, y - 15 if name == "white" else y + 1, 120, 14)
            painter.drawText(place, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, f"{name} {code:.0f}")
