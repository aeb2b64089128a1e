"""The drawing of a path: devices as columns, strands running from left to right, breaks and costs where they are."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QAccessible, QAccessibleEvent, QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QScrollArea, QSizePolicy, QWidget

from yomikomi.core.path.telling import told
from yomikomi.core.path.trace import Trace
from yomikomi.ui import theme
from yomikomi.ui.path.strand_layout import Layout, Site, lay_out, sites_of, wanted_height, wanted_width
from yomikomi.ui.path.strand_painter import StrandPainter


class StrandDrawing(QWidget):
    """Left and right step through devices and links; ``looked_at`` tells which site."""

    looked_at = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Path drawn from left to right")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._traced: Trace | None = None
        self._layout = Layout()
        self.sites: list[Site] = []
        self._at = -1

    def show_trace(self, traced: Trace | None) -> None:
        self._traced = traced
        self._at = -1
        self._lay_out()
        words = "\n".join(told(traced)) if traced else ""
        self.setAccessibleDescription(words)
        QAccessible.updateAccessibility(QAccessibleEvent(self, QAccessible.Event.DescriptionChanged))
        self.updateGeometry()
        self.update()

    @property
    def site(self) -> Site | None:
        return self.sites[self._at] if 0 <= self._at < len(self.sites) else None

    def minimumSizeHint(self) -> QSize:
        return QSize(400, 220)

    def sizeHint(self) -> QSize:
        return QSize(wanted_width(self._traced), self.wanted_height) if self._traced else QSize(600, 300)

    @property
    def wanted_height(self) -> int:
        """What it takes to show every lane."""
        return wanted_height(self._traced)

    def _lay_out(self) -> None:
        self._layout = lay_out(self._traced, self.width(), self.height()) if self._traced else Layout()
        self.sites = sites_of(self._traced, self._layout) if self._traced else []

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.RAISED))
        if self._traced is None:
            return
        StrandPainter(painter, self._traced, self._layout).paint()
        if self.hasFocus() and self.site is not None:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.ACCENT), 2))
            painter.drawRoundedRect(self.site.place.adjusted(-2, -2, 2, 2), 5, 5)

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._lay_out()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        inside = [number for number, one in enumerate(self.sites) if one.place.contains(event.position())]
        if inside:
            # The smallest that was hit: a link lies over the device behind it.
            self._look_at(min(inside, key=lambda number: self.sites[number].place.width() * self.sites[number].place.height()))
        super().mousePressEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
        if step and self.sites:
            self._look_at(max(0, min(len(self.sites) - 1, self._at + step)))
        else:
            super().keyPressEvent(event)

    def _look_at(self, number: int) -> None:
        self._at = number
        self.setAccessibleDescription(self.sites[number].words)
        QAccessible.updateAccessibility(QAccessibleEvent(self, QAccessible.Event.DescriptionChanged))
        self.update()
        self.looked_at.emit(self.sites[number])


def in_scroll(drawing: StrandDrawing) -> QScrollArea:
    """Long paths scroll sideways."""
    area = QScrollArea()
    area.setWidget(drawing)
    area.setWidgetResizable(True)
    area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return area
