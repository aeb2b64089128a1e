"""Carriers as a list model, and how a spine is drawn."""

from __future__ import annotations

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from yomikomi.core.ledger.record import CarrierView
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.video.timecode import clock
from yomikomi.ui import theme
from yomikomi.ui.icons import pixmap
from yomikomi.ui.widgets.basics import draw_mark
from yomikomi.ui.widgets.track import draw_track

ViewRole = int(Qt.ItemDataRole.UserRole)
Index = QModelIndex | QPersistentModelIndex


def state_of(view: CarrierView) -> tuple[str, str]:
    """Mark and words: where a carrier stands."""
    if view.take is not None and view.take.state == "recording":
        return "look here", "recording"
    if view.take is not None and view.take.note:
        return "look here", view.take.note
    if any(copy.state in {"failed", "doubtful"} for copy in view.copies) and view.progress < 8:
        return "wrong", "a copy failed"
    words = {
        "capture": "waits to be captured", "reading": "waits to be read", "treatment": "treatment to choose",
        "balance": "copy to choose", "run": "copy being made", "ledger": "copied and verified", "shelf": "no source",
    }[view.next_station]  # fmt: skip
    return ("fine", words) if view.progress == 8 else ("cannot tell", words)


def length_words(view: CarrierView) -> str:
    """``0:42:00``, or ``0:00:04 of 1:58:00`` where a take holds only a part."""
    taken = view.take.seconds if view.take and view.take.seconds else None
    nominal = view.nominal_seconds
    if taken is None:
        return clock(nominal) if nominal else ""
    return f"{clock(taken)} of {clock(nominal)}" if nominal and taken < 0.9 * nominal else clock(taken)


class ShelfModel(QAbstractListModel):
    def __init__(self) -> None:
        super().__init__()
        self._views: list[CarrierView] = []

    def put(self, views: list[CarrierView]) -> None:
        self.beginResetModel()
        self._views = views
        self.endResetModel()

    def rowCount(self, _parent: Index | None = None) -> int:
        return len(self._views)

    def data(self, index: Index, role: int = int(Qt.ItemDataRole.DisplayRole)) -> object:
        view = self._views[index.row()]
        if role == ViewRole:
            return view
        if role == Qt.ItemDataRole.DisplayRole:
            return f"{view.label} {view.title}"
        if role in {Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.ToolTipRole}:
            return f"{view.label} {view.title}: {kind_of(view.kind).words}, {state_of(view)[1]}"
        return None

    def row_of(self, carrier_id: int) -> int:
        return next((row for row, view in enumerate(self._views) if view.id == carrier_id), -1)


class SpineDelegate(QStyledItemDelegate):
    """A carrier as a spine: coloured edge and glyph by medium, label, title, progress, state."""

    SIZE = QSize(196, 216)

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        return self.SIZE

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        view: CarrierView = index.data(ViewRole)
        kind = kind_of(view.kind)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(5, 5, -5, -5)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.setPen(QPen(QColor(theme.ACCENT if chosen else theme.LINE), 2 if chosen else 1))
        painter.setBrush(QColor("white" if chosen else theme.RAISED))
        painter.drawRoundedRect(box, 4, 4)
        painter.fillRect(QRectF(box.left() + 1, box.top() + 4, 6, box.height() - 8), QColor(kind.edge))
        inner = box.adjusted(20, 14, -14, -12)
        painter.drawPixmap(inner.topLeft(), pixmap(kind.icon, theme.INK, 26))
        painter.setPen(QColor(theme.MUTED))
        painter.setFont(theme.sans(theme.SMALL_PX))
        painter.drawText(inner, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, kind.words)
        painter.drawText(inner.adjusted(0, 17, 0, 0), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, view.standard or "")
        painter.setPen(QColor(theme.INK))
        painter.setFont(theme.mono(theme.TITLE_PX, medium=True))
        painter.drawText(inner.adjusted(0, 42, 0, 0), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, view.label)
        painter.setFont(theme.sans(theme.BODY_PX + 1))
        words = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
        painter.drawText(QRectF(inner.left(), inner.top() + 66, inner.width(), 54), words, view.title)
        painter.setFont(theme.mono(theme.SMALL_PX))
        painter.setPen(QColor(theme.MUTED))
        painter.drawText(QRectF(inner.left(), inner.bottom() - 62, inner.width(), 18), Qt.AlignmentFlag.AlignLeft, length_words(view))
        draw_track(
            painter, QRectF(inner.left(), inner.bottom() - 40, inner.width(), 10), view.progress, radius=3.5,
            background="white" if chosen else theme.RAISED,
        )  # fmt: skip
        mark, state = state_of(view)
        draw_mark(painter, QRectF(inner.left(), inner.bottom() - 15, 11, 11), mark)
        painter.setPen(QColor(theme.INK))
        painter.setFont(theme.sans(theme.SMALL_PX))
        place = QRectF(inner.left() + 18, inner.bottom() - 18, inner.width() - 18, 18)
        elided = painter.fontMetrics().elidedText(state, Qt.TextElideMode.ElideRight, int(place.width()))
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, elided)
        painter.restore()
