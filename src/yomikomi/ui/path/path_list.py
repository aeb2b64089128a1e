"""The list of paths, best first, with their marks, reasons and points."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from yomikomi.core.path.ranking import SIDES, Ranked, route_words
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import draw_mark, plain_tip

_ROW_PX = 44
_RANKED = Qt.ItemDataRole.UserRole
Index = QModelIndex | QPersistentModelIndex


class PathModel(QAbstractListModel):
    def __init__(self) -> None:
        super().__init__()
        self.rows: tuple[Ranked, ...] = ()
        self.chosen_key = ""

        self.chosen_mark = ""

    def show_paths(self, rows: tuple[Ranked, ...], chosen_key: str) -> None:
        self.beginResetModel()
        self.rows, self.chosen_key = rows, chosen_key
        self.endResetModel()

    def mark_of(self, one: Ranked) -> str:
        """How a path stands: as its devices are set, where it is the one chosen; else as it would be planned."""
        return self.chosen_mark if one.path.key == self.chosen_key and self.chosen_mark else one.mark

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008  Qt's own signature
        return 0 if parent.isValid() else len(self.rows)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        one = self.rows[index.row()]
        if role == _RANKED:
            return one
        if role in {Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole}:
            chosen = ", chosen" if one.path.key == self.chosen_key else ""
            return f"{one.place}, {self.mark_of(one)}{chosen}: {route_words(one.trace.setup)}. {' '.join(one.reasons)}"
        if role == Qt.ItemDataRole.ToolTipRole:
            lines = [f"{SIDES[key]}: {100 * side.value:.0f} of 100 ({side.because})" for key, side in one.sides.items()]
            return plain_tip("\n".join([*one.reasons, "", *lines]))
        return None


class PathDelegate(QStyledItemDelegate):
    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        return QSize(300, _ROW_PX)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        one: Ranked = index.data(_RANKED)
        model = index.model()
        assert isinstance(model, PathModel)
        chosen = one.path.key == model.chosen_key
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(1, 2, -2, -2)
        focused = bool(option.state & QStyle.StateFlag.State_HasFocus)
        painter.setBrush(QColor(theme.BRIGHT if chosen else theme.RAISED))
        painter.setPen(QPen(QColor(theme.ACCENT if chosen or focused else theme.LINE), 2 if chosen else 1))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QColor(theme.INK))
        painter.setFont(theme.sans(theme.BODY_PX, medium=True))
        painter.drawText(QRectF(box.left() + 8, box.top(), 26, box.height()), Qt.AlignmentFlag.AlignCenter, str(one.place))
        draw_mark(painter, QRectF(box.left() + 42, box.center().y() - 6, 12, 12), model.mark_of(one))
        left, points_px = box.left() + 64, 74.0
        room = box.right() - left - points_px - 8
        painter.setFont(theme.sans(theme.BODY_PX))
        metrics = QFontMetricsF(painter.font())
        route = metrics.elidedText(route_words(one.trace.setup), Qt.TextElideMode.ElideRight, room)
        painter.drawText(QRectF(left, box.top() + 3, room, 19), Qt.AlignmentFlag.AlignVCenter, route)
        painter.setPen(QColor(theme.MUTED))
        painter.setFont(theme.sans(theme.SMALL_PX - 1))
        why = QFontMetricsF(painter.font()).elidedText(" ".join(one.reasons), Qt.TextElideMode.ElideRight, room)
        painter.drawText(QRectF(left, box.top() + 20, room, 17), Qt.AlignmentFlag.AlignVCenter, why)
        right = QRectF(box.right() - points_px - 8, box.top(), points_px, box.height())
        painter.setFont(theme.mono(theme.SMALL_PX))
        painter.drawText(
            right, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "chosen" if chosen else f"{one.score:.0f} points"
        )
        painter.restore()


class PathList(QListView):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.paths = PathModel()
        self.setModel(self.paths)
        self.setItemDelegate(PathDelegate(self))
        self.setUniformItemSizes(True)
        self.setObjectName("shelf")
        self.viewport().setAutoFillBackground(False)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Paths with your equipment, best first")
        self.setToolTip("Enter takes a path")

    def ranked_at(self, index: QModelIndex) -> Ranked | None:
        found: Ranked | None = index.data(_RANKED)
        return found
