"""Looking at pictures: at their right shape on a dark or mid-grey well."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from yomikomi.ui import theme
from yomikomi.ui.widgets.speaking import Voice

# shape=(lines, columns, 3), RGB 0…255.
Picture = NDArray[np.uint8]


def image_from_rgb(samples: Picture) -> QImage:
    """shape (lines, columns, 3); the image keeps its own copy."""
    height, width = samples.shape[:2]
    return QImage(np.ascontiguousarray(samples).data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def image_from_bytes(rgb: bytes, width: int, height: int) -> QImage:
    return QImage(rgb, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


class PictureView(QWidget):
    """Shows one picture as large as fits at a display shape, or pixel for pixel.

    Parameters
    ----------
    surround : colour around it; a live picture is surrounded by mid-grey.
    exact : one picture sample to one screen pixel, cut rather than scaled.
    enlarged : samples stay sharp squares, so that single lines can be seen.
    """

    def __init__(self, *, surround: str = theme.WELL, exact: bool = False, enlarged: bool = False, empty: str = "") -> None:
        super().__init__()
        self._image: QImage | None = None
        self._outline: QRectF | None = None
        self._enlarged = enlarged
        self._wiped: QImage | None = None
        self._wipe_at = 0.5
        self._shape = Fraction(4, 3)
        self._surround, self._exact, self.empty = surround, exact, empty
        self.caption = ""
        self.setAccessibleName("Picture")
        self._voice = Voice(self)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(160, 120)

    def sizeHint(self) -> QSize:
        return QSize(640, 480)

    def show_image(self, image: QImage | None, shape: Fraction | None = None) -> None:
        self._image = image
        if shape is not None:
            self._shape = shape
        elif image is not None and not self._exact:
            self._shape = Fraction(image.width(), max(1, image.height()))
        if self._voice.due:
            self._voice.say(f"{self.caption} {image.width()} × {image.height()}".strip() if image is not None else self.empty)
        self.update()

    def show_wiped(self, image: QImage | None) -> None:
        """Another picture right of a line that follows the mouse; None: none."""
        self._wiped = image
        self.setMouseTracking(image is not None)
        self.update()

    def show_exact(self, *, exact: bool) -> None:
        """One picture sample to one screen pixel, or as large as fits."""
        self._exact = exact
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._wiped is not None:
            area = self.picture_area()
            self._wipe_at = min(1.0, max(0.0, (event.position().x() - area.left()) / max(1.0, area.width())))
            self.update()
        super().mouseMoveEvent(event)

    def show_outline(self, outline: QRectF | None) -> None:
        """A frame around a part; left, top, width and height as parts of the picture."""
        self._outline = outline
        self.update()

    @property
    def image(self) -> QImage | None:
        return self._image

    def picture_area(self) -> QRectF:
        """Where the picture lies in the widget."""
        width, height = self.width(), self.height()
        if self._exact and self._image is not None:
            wide, tall = self._image.width(), self._image.height()
        elif Fraction(width, max(1, height)) > self._shape:
            wide, tall = round(height * self._shape), height
        else:
            wide, tall = width, round(width / self._shape)
        return QRectF((width - wide) // 2, (height - tall) // 2, wide, tall)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self._surround))
        if self._image is None:
            painter.setPen(QColor(theme.WELL_TEXT if self._surround == theme.LIVE_SURROUND else theme.WELL_MUTED))
            painter.drawText(self.rect().adjusted(24, 0, -24, 0), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.empty)
            return
        if not self._exact and not self._enlarged:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        area = self.picture_area()
        painter.drawImage(area, self._image)
        if self._wiped is not None:
            line = area.left() + self._wipe_at * area.width()
            painter.save()
            painter.setClipRect(QRectF(line, area.top(), area.right() - line, area.height()))
            painter.drawImage(area, self._wiped)
            painter.restore()
            painter.fillRect(QRectF(line - 0.5, area.top(), 1, area.height()), QColor("white"))
        if self._outline is not None:
            part = self._outline
            place = QRectF(
                area.left() + part.left() * area.width(), area.top() + part.top() * area.height(), part.width() * area.width(),
                part.height() * area.height(),
            )  # fmt: skip
            painter.setPen(QPen(QColor("white"), 1.5))
            painter.drawRect(place)
        if self.caption:
            painter.setPen(QColor(theme.WELL_TEXT))
            painter.drawText(area.adjusted(10, 0, -10, -8), Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, self.caption)
