"""A station's place in the window: as large as there is room, scrolling where the station cannot be so small."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QScrollArea, QWidget

from yomikomi.ui.shell.station import Station


class StationPage(QScrollArea):
    def __init__(self, station: Station) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._station = station
        self.setWidget(_Holder(station))
        station.installEventFilter(self)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._station.fold(self.viewport().width())
        super().resizeEvent(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self._station and event.type() == QEvent.Type.LayoutRequest and self.isVisible():
            self._station.fold(self.viewport().width())  # what came or went may need another width
        return super().eventFilter(watched, event)


class _Holder(QWidget):
    """A scroll area gives a widget whose texts wrap the height it would like; this one asks for no more than what it can do with."""

    def __init__(self, station: Station) -> None:
        super().__init__()
        self._station = station
        station.setParent(self)
        station.installEventFilter(self)

    def minimumSizeHint(self) -> QSize:
        least = self._station.minimumSizeHint()
        layout = self._station.layout()
        view = self.parentWidget()
        if layout is None or not layout.hasHeightForWidth() or (view is not None and least.height() <= view.height()):
            return least  # texts that wrap ask for more than they need
        return QSize(least.width(), layout.totalMinimumHeightForWidth(max(self.width(), least.width())))

    def sizeHint(self) -> QSize:
        return self.minimumSizeHint()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.updateGeometry()
        self._station.setGeometry(self.rect())

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.LayoutRequest:
            self.updateGeometry()
        return super().eventFilter(watched, event)
