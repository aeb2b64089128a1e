"""Copies as a table: predicted and actual."""

from __future__ import annotations

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem

from yomikomi.core.ledger.run_rows import RunRow
from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import signed_text, size_text
from yomikomi.ui import theme
from yomikomi.ui.run.marks import mark_for
from yomikomi.ui.widgets.basics import draw_mark, plain_tip

Index = QModelIndex | QPersistentModelIndex
HEADS = ("State", "Carrier", "Copy", "Recipe", "Size", "predicted", "difference", "Time", "predicted", "difference")
COPY_ROLE = int(Qt.ItemDataRole.UserRole)
_FIGURES = range(4, 10)
_MARK_WIDTH = 22


def difference_words(actual: float | None, predicted: float | None) -> str:
    """The difference in per cent of the prediction."""
    if actual is None or not predicted:
        return "–"
    return f"{signed_text(100 * (actual / predicted - 1), plus=True)} %"


class LedgerModel(QAbstractTableModel):
    def __init__(self) -> None:
        super().__init__()
        self._copies: list[RunRow] = []

    def put(self, copies: list[RunRow]) -> None:
        self.beginResetModel()
        self._copies = copies
        self.endResetModel()

    def rowCount(self, _parent: Index | None = None) -> int:
        return len(self._copies)

    def columnCount(self, _parent: Index | None = None) -> int:
        return len(HEADS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = int(Qt.ItemDataRole.DisplayRole)) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return HEADS[section]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if section in _FIGURES else Qt.AlignmentFlag.AlignLeft
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        return None

    def data(self, index: Index, role: int = int(Qt.ItemDataRole.DisplayRole)) -> object:
        copy = self._copies[index.row()]
        if role == COPY_ROLE:
            return copy
        if role == Qt.ItemDataRole.DisplayRole:
            return self._words(copy)[index.column()]
        if role == Qt.ItemDataRole.ToolTipRole and index.column() == 2:
            return plain_tip(copy.name)
        if role == Qt.ItemDataRole.TextAlignmentRole and index.column() in _FIGURES:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if role == Qt.ItemDataRole.FontRole and (index.column() in _FIGURES or index.column() == 1):
            return theme.mono(theme.SMALL_PX)
        return None

    @staticmethod
    def _words(copy: RunRow) -> tuple[str, ...]:
        size, seconds = copy.size, copy.took
        told_size = copy.sizes.expected if copy.sizes else None
        told_seconds = copy.seconds.expected if copy.seconds else None
        return (
            _mark(copy)[1],
            copy.carrier,
            copy.name,
            copy.recipe,
            size_text(size) if size else "–",
            size_text(told_size) if told_size else "–",
            difference_words(size, told_size),
            spoken(seconds) if seconds else "–",
            spoken(told_seconds) if told_seconds else "–",
            difference_words(seconds, told_seconds),
        )


class StateDelegate(QStyledItemDelegate):
    """The state with its shape before its word."""

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        hint = super().sizeHint(option, index)
        return QSize(hint.width() + _MARK_WIDTH, hint.height())

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        copy: RunRow = index.data(COPY_ROLE)
        area = QRectF(option.rect)
        option.rect.adjust(_MARK_WIDTH, 0, 0, 0)
        super().paint(painter, option, index)
        draw_mark(painter, QRectF(area.left() + 9, area.center().y() - 6, 12, 12), _mark(copy)[0])


def _mark(copy: RunRow) -> tuple[str, str]:
    """What is told beside a verified copy is a reserve."""
    return mark_for(copy.state, reserves=copy.state == "verified" and bool(copy.trouble))
