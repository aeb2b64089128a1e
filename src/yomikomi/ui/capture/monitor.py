"""The live picture: at its right shape, sample by sample, doubled or fields apart, with guides over it."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from yomikomi.core.capture.health import Preview
from yomikomi.core.capture.looking import LookAs, View
from yomikomi.ui import theme
from yomikomi.ui.widgets.pictures import PictureView, image_from_bytes

Size = Literal["shape", "1:1", "2x", "fields"]
_SIZES: tuple[tuple[Size, str, View], ...] = (
    ("shape", "Right shape", "shape"), ("1:1", "1:1", "samples"), ("2x", "2x", "samples"), ("fields", "Fields", "fields"),
)  # fmt: skip
# Shapes that a picture may be cropped to later; safe areas: 93 % for action, 90 % for titles (EBU R 95, SMPTE ST 2046-1, from
# memory).
GUIDES: dict[str, Fraction | None] = {
    "none": None, "safe areas": None, "3:2": Fraction(3, 2), "16:9": Fraction(16, 9), "1:1": Fraction(1), "9:16": Fraction(9, 16),
}  # fmt: skip
_ACTION, _TITLE = 0.93, 0.90


@dataclass
class _Shown:
    image: QImage
    square: bool


class LivePicture(PictureView):
    """Parameters: as ``PictureView``; besides a size and guides. At 1:1 and 2x the picture can be dragged."""

    def __init__(self) -> None:
        super().__init__(surround=theme.LIVE_SURROUND)
        self.size_key: Size = "shape"
        self.guide = "none"
        self._shown: _Shown | None = None
        self._offset = QPointF(0, 0)
        self._dragged_from: QPointF | None = None

    def show_preview(self, preview: Preview, shape: Fraction) -> None:
        image = image_from_bytes(preview.rgb, preview.width, preview.height)
        self._shown = _Shown(image, preview.square)
        self.show_image(image, shape)

    def picture_area(self) -> QRectF:
        if self.size_key in {"shape", "fields"} or self._image is None:
            return super().picture_area()
        factor = 2 if self.size_key == "2x" else 1
        wide, tall = self._image.width() * factor, self._image.height() * factor
        x, y = (self.width() - wide) / 2 + self._offset.x(), (self.height() - tall) / 2 + self._offset.y()
        return QRectF(round(x), round(y), wide, tall)

    def paintEvent(self, event: QPaintEvent) -> None:
        self._exact = self.size_key in {"1:1", "2x"}
        super().paintEvent(event)
        if self._image is not None and self.guide != "none":
            painter = QPainter(self)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._draw_guide(painter, self.picture_area())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._dragged_from = event.position() - self._offset

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragged_from is not None and self.size_key in {"1:1", "2x"}:
            self._offset = event.position() - self._dragged_from
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        del event
        self._dragged_from = None

    def centre(self) -> None:
        self._offset = QPointF(0, 0)

    def _draw_guide(self, painter: QPainter, area: QRectF) -> None:
        shape = GUIDES[self.guide]
        if shape is None:
            for part, style in ((_ACTION, Qt.PenStyle.DashLine), (_TITLE, Qt.PenStyle.DotLine)):
                self._frame(painter, _part_of(area, part), style)
            return
        inner = _largest(area, shape)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(0, 0, 0, 110))
        for outside in _around(area, inner):
            painter.drawRect(outside)
        self._frame(painter, inner, Qt.PenStyle.SolidLine)

    @staticmethod
    def _frame(painter: QPainter, place: QRectF, style: Qt.PenStyle) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for width, colour in ((3.0, QColor(0, 0, 0, 150)), (1.2, QColor("white"))):  # seen on light and on dark
            painter.setPen(QPen(colour, width, style))
            painter.drawRect(place)


class Monitor(QWidget):
    """The picture with its row of small buttons."""

    look_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.picture = LivePicture()
        self.shape = Fraction(4, 3)
        self._height = 480
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.picture, 1)
        bar = QWidget()
        bar.setStyleSheet(f"background: {theme.WELL};")
        row = QHBoxLayout(bar)
        row.setContentsMargins(8, 3, 8, 3)
        row.setSpacing(2)
        self.sizes: dict[str, QToolButton] = {}
        for key, words, _view in _SIZES:
            self.sizes[key] = _small(words, "Picture size", lambda _on, k=key: self.set_size(k))
            row.addWidget(self.sizes[key])
        row.addSpacing(10)
        self.clip_map = _small("Clip map", "Stripes where luma is above white, dots where it is below black", self._told)
        row.addWidget(self.clip_map)
        self.guide = _small("Guides: none", "Safe areas, and shapes to crop to", lambda _on: self.next_guide())
        self.guide.setCheckable(False)
        row.addWidget(self.guide)
        row.addStretch(1)
        self.looks = _small("Monitor on", "Picture and scopes use the processor too; under load they are dropped first", self._told)
        self.looks.setChecked(True)
        row.addWidget(self.looks)
        layout.addWidget(bar)
        self.set_size("shape")

    @property
    def look(self) -> LookAs:
        """What the worker is to make."""
        view = next(view for key, _, view in _SIZES if key == self.picture.size_key)
        on = self.looks.isChecked()
        return LookAs(preview=on, scopes=on, height=self._height, view=view, clip_map=self.clip_map.isChecked())

    def set_size(self, key: Size) -> None:
        self.picture.size_key = key
        self.picture.centre()
        for other, made in self.sizes.items():
            made.setChecked(other == key)
        self.picture.update()
        self.look_changed.emit()

    def next_size(self) -> None:
        keys = [key for key, _, _ in _SIZES]
        self.set_size(keys[(keys.index(self.picture.size_key) + 1) % len(keys)])

    def next_guide(self) -> None:
        keys = list(GUIDES)
        self.picture.guide = keys[(keys.index(self.picture.guide) + 1) % len(keys)]
        self.guide.setText(f"Guides: {self.picture.guide}")
        self.picture.update()

    def toggle_looks(self) -> None:
        self.looks.click()

    def show_preview(self, preview: Preview) -> None:
        self.picture.show_preview(preview, self.shape)

    def clear(self) -> None:
        self.picture.show_image(None)

    def _told(self, _on: bool = False) -> None:
        self.looks.setText("Monitor on" if self.looks.isChecked() else "Monitor off")
        if not self.looks.isChecked():
            self.picture.empty = "Monitor off; recording continues."
            self.picture.show_image(None)
        self.look_changed.emit()


def _small(words: str, tip: str, does: object) -> QToolButton:
    made = QToolButton()
    made.setText(words)
    made.setToolTip(tip)
    made.setCheckable(True)
    made.setProperty("well", True)
    made.clicked.connect(does)
    return made


def _part_of(area: QRectF, part: float) -> QRectF:
    dx, dy = area.width() * (1 - part) / 2, area.height() * (1 - part) / 2
    return area.adjusted(dx, dy, -dx, -dy)


def _largest(area: QRectF, shape: Fraction) -> QRectF:
    """The largest place of a shape in the middle of an area."""
    wide, tall = area.width(), area.width() / float(shape)
    if tall > area.height():
        wide, tall = area.height() * float(shape), area.height()
    return QRectF(area.center().x() - wide / 2, area.center().y() - tall / 2, wide, tall)


def _around(area: QRectF, inner: QRectF) -> list[QRectF]:
    return [
        QRectF(area.left(), area.top(), inner.left() - area.left(), area.height()),
        QRectF(inner.right(), area.top(), area.right() - inner.right(), area.height()),
        QRectF(inner.left(), area.top(), inner.width(), inner.top() - area.top()),
        QRectF(inner.left(), inner.bottom(), inner.width(), area.bottom() - inner.bottom()),
    ]
