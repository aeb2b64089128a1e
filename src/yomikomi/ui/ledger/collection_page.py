"""How far the collection has come: hours by month, sums by tag, what waits for whom, and the end as it is forecast."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QComboBox, QHeaderView, QSizePolicy, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from yomikomi.core.ledger.progress import Progress, Sums
from yomikomi.core.ledger.sentences import hours_text
from yomikomi.core.video.units import counted, size_text
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import label, row

_HEADS = ("", "Carriers", "Captured", "Copied", "Verified", "Released", "Takes", "Copies", "Freed")
_GROUPS = {"months": "By month", "tags": "By tag", "operators": "By operator"}
_MONTHS = 24
_KINDS = (("captured", "captured", "sky"), ("verified", "verified", "green"), ("released", "released", "orange"))
_LEFT, _TOP, _FOOT = 46, 26, 22


class MonthBars(QWidget):
    """Hours of footage by the month in which they were captured: how much of each is verified and released by now."""

    def __init__(self) -> None:
        super().__init__()
        self.months: dict[str, Sums] = {}
        self.setMinimumHeight(150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Hours captured, verified and released, by month")

    def show_months(self, months: dict[str, Sums]) -> None:
        self.months = dict(list(months.items())[-_MONTHS:])
        told = [f"{name}: {hours_text(one.captured)} captured, {hours_text(one.verified)} verified" for name, one in self.months.items()]
        self.setAccessibleDescription("; ".join(told[-12:]) or "nothing captured yet")
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.WELL))
        painter.setFont(theme.mono(theme.SMALL_PX))
        most = max((one.captured for one in self.months.values()), default=0.0)
        if most <= 0:
            painter.setPen(QColor(theme.WELL_MUTED))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Nothing captured yet")
            return
        self._legend(painter)
        height, width = self.height() - _TOP - _FOOT, (self.width() - _LEFT - 12) / max(6, len(self.months))
        painter.setPen(QColor(theme.WELL_MUTED))
        for part in (0.0, 0.5, 1.0):
            y = _TOP + height * (1 - part)
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(0, y - 9, _LEFT - 6, 18), right, hours_text(most * part))
        for number, (month, sums) in enumerate(self.months.items()):
            left = _LEFT + number * width
            bar = width / (len(_KINDS) + 1)
            for place, (attribute, _words, colour) in enumerate(_KINDS):
                tall = height * getattr(sums, attribute) / most
                painter.fillRect(QRectF(left + place * bar, _TOP + height - tall, bar - 1, tall), QColor(theme.OKABE_ITO[colour]))
            if width > 44 or number % 2 == 0:
                painter.drawText(QRectF(left, self.height() - _FOOT, width * 2, _FOOT), Qt.AlignmentFlag.AlignVCenter, month)

    def _legend(self, painter: QPainter) -> None:
        x = float(_LEFT)
        for _attribute, words, colour in _KINDS:
            painter.fillRect(QRectF(x, 9, 10, 10), QColor(theme.OKABE_ITO[colour]))
            painter.setPen(QColor(theme.WELL_TEXT))
            painter.drawText(QRectF(x + 15, 3, 120, 22), Qt.AlignmentFlag.AlignVCenter, words)
            x += 110


class CollectionPage(QWidget):
    def __init__(self) -> None:
        super().__init__()
        self.progress: Progress | None = None
        self.bars = MonthBars()
        self.waits = label(wrap=True)
        self.group = QComboBox()
        self.group.setAccessibleName("Sums by")
        self.group.setFixedWidth(170)
        for key, words in _GROUPS.items():
            self.group.addItem(words, key)
        self.group.currentIndexChanged.connect(lambda _place: self._fill())
        self.table = QTableWidget(0, len(_HEADS))
        self.table.setHorizontalHeaderLabels(list(_HEADS))
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("Hours and bytes")
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(self.bars, 4)
        choice = row(self.group, self.waits, spacing=16)
        choice.setStretch(1, 1)
        layout.addLayout(choice)
        layout.addWidget(self.table, 4)

    def show_progress(self, progress: Progress) -> None:
        self.progress = progress
        self.bars.show_months(progress.months)
        waits = [f"{counted(count, 'carrier waits', 'carriers wait')} for {words}" for words, count in progress.waits.items()]
        self.waits.setText("; ".join(waits) or "Nothing waits.")
        self._fill()

    def _fill(self) -> None:
        if self.progress is None:
            return
        groups: dict[str, Sums] = getattr(self.progress, self.group.currentData())
        lines = [("all", self.progress.whole), *((name or "not written down", one) for name, one in reversed(groups.items()))]
        self.table.setRowCount(len(lines))
        for number, (name, one) in enumerate(lines):
            cells = (
                name, str(one.carriers), hours_text(one.captured), hours_text(one.copied), hours_text(one.verified),
                hours_text(one.released), size_text(one.in_bytes), size_text(one.out_bytes), size_text(one.saved_bytes),
            )  # fmt: skip
            for column, words in enumerate(cells):
                item = QTableWidgetItem(words)
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                    item.setFont(theme.mono(theme.SMALL_PX))
                self.table.setItem(number, column, item)
