"""Line icons from the shipped set, in any colour."""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files

from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QIcon, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer

from yomikomi.ui import theme


@lru_cache(maxsize=128)
def pixmap(name: str, colour: str = theme.INK, size: int = 24, ratio: float = 2.0) -> QPixmap:
    """An icon drawn at ``size`` device-independent pixels."""
    source = (files("yomikomi.ui") / "assets" / "icons" / f"{name}.svg").read_text()
    source = source.replace("currentColor", colour).replace('stroke-width="2"', 'stroke-width="1.75"')
    picture = QPixmap(round(size * ratio), round(size * ratio))
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    QSvgRenderer(QByteArray(source.encode())).render(painter, QRectF(0, 0, size * ratio, size * ratio))
    painter.end()
    picture.setDevicePixelRatio(ratio)
    return picture


def icon(name: str, colour: str = theme.INK, *, chosen: str | None = None, size: int = 24) -> QIcon:
    found = QIcon(pixmap(name, colour, size))
    if chosen:
        found.addPixmap(pixmap(name, chosen, size), QIcon.Mode.Normal, QIcon.State.On)
    return found
