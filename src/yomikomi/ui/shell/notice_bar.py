"""The bar that tells what happened, with what to do; it stays until read or replaced, good news goes by itself."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtWidgets import QFrame, QHBoxLayout, QToolButton, QWidget

from yomikomi.core.work.notices import Notice, Weight
from yomikomi.ui import theme
from yomikomi.ui.icons import icon
from yomikomi.ui.widgets.basics import MarkShape, label

_GOOD_NEWS_MS = 6000


class NoticeBar(QFrame):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._over = parent
        self.setObjectName("notice")
        self._mark = MarkShape()
        self._words = label(wrap=True)
        close = QToolButton()
        close.setIcon(icon("x", theme.RAISED))
        close.setIconSize(QSize(16, 16))
        close.setToolTip("Put away")
        close.setAccessibleName("Put the notice away")
        close.clicked.connect(self.hide)
        back = QFrame()
        back.setFixedSize(22, 22)
        back.setStyleSheet(f"background: {theme.RAISED}; border-radius: 4px;")
        inner = QHBoxLayout(back)
        inner.setContentsMargins(4, 4, 4, 4)
        inner.addWidget(self._mark)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 8, 8, 8)
        layout.setSpacing(12)
        layout.addWidget(back)
        layout.addWidget(self._words, 1)
        layout.addWidget(close)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        self.hide()

    def tell(self, notice: Notice) -> None:
        self._mark.show_mark(notice.weight.value)
        self._words.setText(f"{notice.text} {notice.remedy}".strip())
        self._words.setAccessibleName(self._words.text())
        self.place()
        self.show()
        self.raise_()
        self._timer.stop()
        if notice.weight is Weight.FINE:
            self._timer.start(_GOOD_NEWS_MS)

    def place(self) -> None:
        width = min(700, self._over.width() - 84 - 48)
        self.setFixedWidth(width)
        self.adjustSize()
        height = max(self.sizeHint().height(), self.heightForWidth(width) if self.hasHeightForWidth() else 0)
        self.resize(width, height)
        self.move(84 + 24, self._over.height() - height - 14)

    @property
    def text(self) -> str:
        return self._words.text() if self.isVisible() else ""

    def setVisible(self, on: bool) -> None:
        super().setVisible(on)
        if on:
            self.setAttribute(Qt.WidgetAttribute.WA_ShowWithoutActivating)
