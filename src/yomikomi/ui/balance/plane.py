"""The plane of size against fidelity: measured curves, a limit that can be dragged, points that tell and can be picked."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent

from yomikomi.core.balance.curves import PlanePoint
from yomikomi.core.balance.recipes import CODECS
from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import size_text
from yomikomi.ui import theme

_PICK_PX = 14


class _SizeAxis(pg.AxisItem):  # type: ignore[misc]
    """Logarithmic sizes with decimal units."""

    def tickValues(self, low: float, high: float, _size: float) -> list[tuple[float, list[float]]]:
        steps = [math.log10(m * 10.0**e) for e in range(3, 14) for m in (1, 2, 5)]
        inside = [s for s in steps if low <= s <= high]
        return [(1.0, inside)]

    def tickStrings(self, values: list[float], _scale: float, _spacing: float) -> list[str]:
        return [size_text(10**v).replace(".00 ", " ").replace(".0 ", " ") for v in values]


def tell(point: PlanePoint) -> str:
    """What a point says of itself, three lines."""
    told = point.prediction
    size, seconds = told.size_bytes, told.encode_seconds
    how = "measured" if told.measured else "interpolated"
    return (
        f"{told.recipe.words}  ({how})\n"
        f"{size_text(size.expected)}  ({size_text(size.low)} – {size_text(size.high)})\n"
        f"{point.fidelity:.1f} dB   {spoken(seconds.expected)}  ({spoken(seconds.low)} – {spoken(seconds.high)})"
    )


class BalancePlane(pg.PlotWidget):  # type: ignore[misc]
    """Signals: ``picked`` with a PlanePoint, ``limit_dragged`` with bytes."""

    picked = Signal(object)
    limit_dragged = Signal(float)

    def __init__(self) -> None:
        super().__init__(axisItems={"bottom": _SizeAxis("bottom")}, enableMenu=False)
        self.setBackground(theme.WELL)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Size against fidelity; left and right move along the curves, Enter selects")
        self.viewport().setAccessibleName(self.accessibleName())
        item = self.getPlotItem()
        item.hideButtons()
        item.setMouseEnabled(x=False, y=False)
        item.showGrid(x=True, y=True, alpha=0.18)
        for side in ("bottom", "left"):
            axis = item.getAxis(side)
            axis.setPen(QColor(theme.WELL_LINE))
            axis.setTextPen(QColor(theme.WELL_TEXT))
            axis.setStyle(tickFont=theme.mono(11))
        style = {"color": theme.WELL_MUTED, "font-size": f"{theme.SMALL_PX}px"}
        item.setLabel("bottom", "size of the whole copy", **style)
        item.setLabel("left", "fidelity to the treated take, SSIM dB", **style)
        item.layout.setContentsMargins(8, 12, 16, 6)
        self._points: list[PlanePoint] = []
        self._hovered: PlanePoint | None = None
        self._range = (0.0, 1.0)
        self._drawn: list[Any] = []
        self._make_marks()
        self.scene().sigMouseMoved.connect(self._on_move)
        self.scene().sigMouseClicked.connect(self._on_click)

    def _make_marks(self) -> None:
        soft = QColor("#E7A0A8")
        self._limit = pg.InfiniteLine(
            0, angle=90, movable=True, pen=pg.mkPen(soft, width=2), hoverPen=pg.mkPen("white", width=3),
            label="", labelOpts={"position": 0.94, "color": "#16171A", "fill": soft, "movable": False},
        )  # fmt: skip
        self._limit.setVisible(False)
        self._limit.setZValue(6)
        self._limit.sigPositionChangeFinished.connect(lambda: self.limit_dragged.emit(10 ** float(self._limit.value())))
        self._limit.sigPositionChanged.connect(self._name_limit)
        shade = QColor(theme.MADDER)
        shade.setAlpha(70)
        self._beyond = pg.LinearRegionItem((0, 0), movable=False, brush=pg.mkBrush(shade), pen=pg.mkPen(None))
        self._beyond.setVisible(False)
        self._chosen = pg.ScatterPlotItem(size=22, symbol="o", pen=pg.mkPen("white", width=2), brush=None)
        self._best = pg.ScatterPlotItem(size=26, symbol="star", pen=pg.mkPen("white", width=1), brush=pg.mkBrush("#FFF3B0"))
        self._told = pg.TextItem("", color=theme.WELL_TEXT, fill=pg.mkBrush("#2B2C2F"), border=pg.mkPen(theme.WELL_LINE))
        self._told.setFont(theme.mono(theme.SMALL_PX))
        self._told.setZValue(20)
        self._told.setVisible(False)
        for mark in (self._beyond, self._limit, self._best, self._chosen, self._told):
            self.addItem(mark, ignoreBounds=True)

    def show_plane(self, plane: dict[str, list[PlanePoint]]) -> None:
        for drawn in self._drawn:
            self.removeItem(drawn)
        self._drawn = []
        self._points = [point for curve in plane.values() for point in curve]
        self._told.setVisible(False)
        if not self._points:
            self._chosen.setData([], [])
            self._best.setData([], [])
            return
        for codec, curve in plane.items():
            self._draw_curve(codec, curve)
        sizes = np.log10([p.size for p in self._points])
        fidelity = [p.fidelity for p in self._points]
        spread = max(0.3, float(sizes.max() - sizes.min()))
        self._range = (float(sizes.min() - 0.06 * spread), float(sizes.max() + 0.12 * spread))
        self.setXRange(*self._range, padding=0)
        tall = max(0.5, max(fidelity) - min(fidelity))
        self.setYRange(min(fidelity) - 0.08 * tall, max(fidelity) + 0.12 * tall, padding=0)

    def show_limit(self, limit_bytes: float | None) -> None:
        self._limit.setVisible(limit_bytes is not None)
        self._beyond.setVisible(limit_bytes is not None)
        if limit_bytes is not None:
            self._limit.blockSignals(True)
            self._limit.setValue(math.log10(limit_bytes))
            self._limit.blockSignals(False)
            self._name_limit()

    def show_chosen(self, point: PlanePoint | None) -> None:
        self._chosen.setData(*_place(point))

    def show_best(self, point: PlanePoint | None) -> None:
        """The best choice under the limit, as a star."""
        self._best.setData(*_place(point))

    def place_of(self, point: PlanePoint) -> QPointF:
        """Where a point lies in the widget; for tests and for following with the keyboard."""
        scene = self.getPlotItem().vb.mapViewToScene(QPointF(math.log10(point.size), point.fidelity))
        return QPointF(self.mapFromScene(scene))

    @property
    def told(self) -> str:
        return str(self._told.textItem.toPlainText()) if self._told.isVisible() else ""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._points:
            super().keyPressEvent(event)
            return
        key = Qt.Key(event.key())
        if key in {Qt.Key.Key_Left, Qt.Key.Key_Right}:
            ordered = sorted(self._points, key=lambda p: p.size)
            at = ordered.index(self._hovered) if self._hovered in ordered else -1
            self._hover(ordered[(at + (1 if key == Qt.Key.Key_Right else -1)) % len(ordered)])
        elif key in {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space} and self._hovered is not None:
            self.picked.emit(self._hovered)
        else:
            super().keyPressEvent(event)

    def _draw_curve(self, codec: str, curve: list[PlanePoint]) -> None:
        colour, symbol = theme.CODEC_LOOK[codec]
        x, y = np.log10([p.size for p in curve]), np.array([p.fidelity for p in curve])
        line = pg.PlotCurveItem(x, y, pen=pg.mkPen(colour, width=2), antialias=True)
        between = pg.ScatterPlotItem(x, y, size=5, symbol=symbol, pen=None, brush=pg.mkBrush(colour))
        tried = [i for i, p in enumerate(curve) if p.prediction.measured]
        measured = pg.ScatterPlotItem(
            x[tried], y[tried], size=12, symbol=symbol, pen=pg.mkPen(theme.WELL, width=1), brush=pg.mkBrush(colour)
        )
        low = np.log10([max(1.0, curve[i].prediction.size_bytes.low) for i in tried])
        high = np.log10([curve[i].prediction.size_bytes.high for i in tried])
        whiskers = pg.ErrorBarItem(
            x=x[tried], y=y[tried], left=x[tried] - low, right=high - x[tried], beam=0.06, pen=pg.mkPen(colour, width=1)
        )
        name = pg.TextItem(CODECS[codec].words, color=colour, anchor=(1.15, 0.6))
        name.setFont(theme.sans(theme.BODY_PX, medium=True))
        largest = int(np.argmax(x))
        name.setPos(float(x[largest]), float(y[largest]))
        for item in (line, whiskers, between, measured, name):
            self.addItem(item, ignoreBounds=True)
            self._drawn.append(item)

    def _name_limit(self) -> None:
        value = float(self._limit.value())
        self._limit.label.setFormat(f" {size_text(10**value)} ")
        self._beyond.setRegion((value, max(value, self._range[1] + 1)))

    def _nearest(self, scene_place: QPointF) -> PlanePoint | None:
        vb = self.getPlotItem().vb
        best, best_distance = None, float(_PICK_PX)
        for point in self._points:
            at = vb.mapViewToScene(QPointF(math.log10(point.size), point.fidelity))
            distance = math.hypot(at.x() - scene_place.x(), at.y() - scene_place.y())
            if distance < best_distance:
                best, best_distance = point, distance
        return best

    def _hover(self, point: PlanePoint | None) -> None:
        self._hovered = point
        self._told.setVisible(point is not None)
        if point is None:
            return
        x = math.log10(point.size)
        right = x > (self._range[0] + self._range[1]) / 2
        view = self.getPlotItem().vb.viewRange()[1]
        low = point.fidelity < view[0] + 0.35 * (view[1] - view[0])
        self._told.setText(tell(point))
        self._told.setAnchor((1.06 if right else -0.06, 1.1 if low else -0.1))
        self._told.setPos(x, point.fidelity)
        self.setAccessibleDescription(tell(point))

    def _on_move(self, scene_place: QPointF) -> None:
        self._hover(self._nearest(scene_place))

    def _on_click(self, event: Any) -> None:
        point = self._nearest(QPointF(event.scenePos()))
        if point is not None:
            self.picked.emit(point)


def _place(point: PlanePoint | None) -> tuple[list[float], list[float]]:
    return ([math.log10(point.size)], [point.fidelity]) if point else ([], [])
