"""Waveform, vectorscope and histogram, as the worker counted them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from yomikomi.core.capture.scopes import Scopes
from yomikomi.core.video.bars import BT601_WEIGHTS, BT709_WEIGHTS, colour_bars
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import Well
from yomikomi.ui.widgets.speaking import Voice

_LEFT = 30  # room for figures
_LIMIT = "#C8892B"


class _Scope(QWidget):
    def __init__(self, name: str, *, height: int) -> None:
        super().__init__()
        self.name = name
        self._image: QImage | None = None
        self.setMinimumHeight(height)
        self.setAccessibleName(name)
        self._voice = Voice(self)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(170, self.minimumHeight() + 46)

    def _title(self, painter: QPainter) -> None:
        painter.setPen(QColor(theme.WELL_MUTED))
        painter.setFont(theme.sans(11))
        painter.drawText(QRectF(8, 3, self.width() - 16, 16), Qt.AlignmentFlag.AlignLeft, self.name)


class WaveformView(_Scope):
    """Luma along the line: black and white as lines across."""

    def __init__(self) -> None:
        super().__init__("waveform, luma", height=84)

    def show_scopes(self, scopes: Scopes | None) -> None:
        self._image = None if scopes is None else _grey(scopes.waveform[::-1])
        if scopes is not None and self._voice.due:
            low, high = np.searchsorted(np.cumsum(scopes.histogram), (0.01, 0.99))
            self._voice.say(f"luma from {low} to {high} code values, but for 1 % at each end")
        self.update()

    @property
    def place(self) -> QRectF:
        """Where the dots are."""
        return QRectF(_LEFT, 20, self.width() - _LEFT - 8, self.height() - 26)

    def y_of(self, code: float) -> float:
        return self.place.bottom() - self.place.height() * (code + 0.5) / 256

    def code_at(self, y: float) -> float:
        return (self.place.bottom() - y) / self.place.height() * 256 - 0.5

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        self._title(painter)
        place = self.place
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Plus)
            painter.drawImage(place, self._image)
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
        painter.setFont(theme.mono(10))
        for code in (235, 126, 16):
            y = self.y_of(code)
            painter.setPen(QPen(QColor(_LIMIT if code != 126 else theme.WELL_LINE), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(place.left(), y), QPointF(place.right(), y))
            painter.setPen(QColor(theme.WELL_MUTED))
            painter.drawText(QRectF(0, y - 7, _LEFT - 4, 14), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, str(code))


class VectorView(_Scope):
    """Chroma as a plane, Cb to the right and Cr upwards, with boxes where bars of 75 % belong."""

    def __init__(self) -> None:
        super().__init__("vectorscope", height=104)
        self.hd = False

    def show_scopes(self, scopes: Scopes | None) -> None:
        self._image = None if scopes is None else _grey(scopes.vector[::-1])
        if scopes is not None and self._voice.due:
            ends = [np.flatnonzero(scopes.vector.any(axis=axis)) for axis in (0, 1)]
            told = [f"{name} from {one[0]} to {one[-1]}" for name, one in zip(("Cb", "Cr"), ends, strict=True) if len(one)]
            self._voice.say(f"{', '.join(told)}; 128 is no colour")
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._title(painter)
        side = min(self.width() - 16, self.height() - 26)
        place = QRectF((self.width() - side) / 2, 20, side, side)
        painter.setPen(QPen(QColor(theme.WELL_LINE), 1))
        painter.drawEllipse(place)
        painter.drawLine(QPointF(place.center().x(), place.top()), QPointF(place.center().x(), place.bottom()))
        painter.drawLine(QPointF(place.left(), place.center().y()), QPointF(place.right(), place.center().y()))
        if self._image is not None:
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Plus)
            painter.drawImage(place, self._image)
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
        painter.setFont(theme.mono(10))
        for bar in colour_bars(BT709_WEIGHTS if self.hd else BT601_WEIGHTS)[1:7]:
            x, y = place.left() + side * bar.cb / 256, place.bottom() - side * bar.cr / 256
            painter.setPen(QPen(QColor(theme.WELL_MUTED), 1))
            painter.drawRect(QRectF(x - 4, y - 4, 8, 8))
            painter.drawText(
                QRectF(x - 8, y - 18, 16, 12), Qt.AlignmentFlag.AlignCenter, bar.name[0].upper() if bar.name != "magenta" else "M"
            )


class HistogramView(_Scope):
    """How luma is spread; what lies outside the limits is named."""

    def __init__(self) -> None:
        super().__init__("histogram, luma", height=104)
        self._counts: NDArray[np.float32] | None = None
        self._outside = (0.0, 0.0)

    def show_scopes(self, scopes: Scopes | None, outside: tuple[float, float] = (0.0, 0.0)) -> None:
        self._counts = None if scopes is None else scopes.histogram
        self._outside = outside
        if scopes is not None:
            self._voice.say(f"below black {100 * outside[0]:.1f} %, above white {100 * outside[1]:.1f} %")
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        self._title(painter)
        place = QRectF(8, 22, self.width() - 16, self.height() - 60)
        if self._counts is not None:
            highest = max(1e-6, float(np.sort(self._counts)[-4]))  # a few codes alone do not set the scale
            points = [QPointF(place.left(), place.bottom())]
            for code, part in enumerate(self._counts):
                height = place.height() * min(1.0, float(part) / highest)
                points.append(QPointF(place.left() + place.width() * code / 255, place.bottom() - height))
            points.append(place.bottomRight())
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.WELL_TEXT))
            painter.drawPolygon(QPolygonF(points))
        painter.setPen(QPen(QColor(_LIMIT), 1, Qt.PenStyle.DashLine))
        for code in (16, 235):
            x = place.left() + place.width() * code / 255
            painter.drawLine(QPointF(x, place.top()), QPointF(x, place.bottom()))
        painter.setPen(QColor(theme.WELL_MUTED))
        painter.setFont(theme.mono(10))
        below, above = self._outside
        painter.drawText(QRectF(8, place.bottom() + 3, 100, 14), Qt.AlignmentFlag.AlignLeft, "16")
        painter.drawText(QRectF(8, place.bottom() + 3, place.width(), 14), Qt.AlignmentFlag.AlignRight, "235")
        painter.setFont(theme.sans(11))
        words = f"below {100 * below:.1f} %   above {100 * above:.1f} %"
        painter.drawText(QRectF(8, place.bottom() + 17, place.width(), 16), Qt.AlignmentFlag.AlignHCenter, words)


class ScopesPanel(QWidget):
    """All three, in wells."""

    def __init__(self) -> None:
        super().__init__()
        self.waveform, self.vector, self.histogram = WaveformView(), VectorView(), HistogramView()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(_welled(self.waveform))
        lower = QHBoxLayout()
        lower.setSpacing(8)
        lower.addWidget(_welled(self.vector), 1)
        lower.addWidget(_welled(self.histogram), 1)
        layout.addLayout(lower)
        self.shown = 0

    def show_scopes(self, scopes: Scopes | None, outside: tuple[float, float] = (0.0, 0.0)) -> None:
        self.shown += scopes is not None
        self.waveform.show_scopes(scopes)
        self.vector.show_scopes(scopes)
        self.histogram.show_scopes(scopes, outside)


def _welled(inner: QWidget) -> Well:
    well = Well()
    layout = QVBoxLayout(well)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.addWidget(inner)
    return well


def _grey(samples: NDArray[np.uint8]) -> QImage:
    held = np.ascontiguousarray(samples)
    height, width = held.shape
    return QImage(held.data, width, height, width, QImage.Format.Format_Grayscale8).convertToFormat(QImage.Format.Format_RGB32)
