"""The run as a table: what is made and waits, in its order, then what ended."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import Literal

import numpy as np
from PySide6.QtCore import QAbstractTableModel, QMimeData, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem

from yomikomi.core.copying.request import CopyProgress
from yomikomi.core.ledger.run_outlook import Outlook
from yomikomi.core.ledger.run_rows import RunRow
from yomikomi.core.run.night import Bar, Night
from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import signed_text, size_text
from yomikomi.ui import theme
from yomikomi.ui.run.marks import mark_for
from yomikomi.ui.widgets.basics import draw_mark, plain_tip

Index = QModelIndex | QPersistentModelIndex
Shown = Literal["all", "to make", "attention", "done"]
HEADS = ("State", "Carrier", "Copy", "Recipe", "Size", "When")
ROW_ROLE, PART_ROLE = int(Qt.ItemDataRole.UserRole), int(Qt.ItemDataRole.UserRole) + 1
_DISPLAY, _FONT, _TIP = int(Qt.ItemDataRole.DisplayRole), int(Qt.ItemDataRole.FontRole), int(Qt.ItemDataRole.ToolTipRole)
_SAID = frozenset({_DISPLAY, int(Qt.ItemDataRole.AccessibleTextRole)})
_ANSWERED = _SAID | {_FONT, _TIP, ROW_ROLE, PART_ROLE}
_FLAGS = Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemNeverHasChildren
_LIVE_FLAGS = _FLAGS | Qt.ItemFlag.ItemIsDragEnabled
_MIME = "application/x-yomikomi-copy"
_FIGURES = {1, 4, 5}
_MARK_WIDTH = 22
# Until then a time of the day is not mistaken, and until then a day of the week.
_TODAY, _THIS_WEEK = timedelta(hours=20), timedelta(days=6)


class RunModel(QAbstractTableModel):
    """``dropped``: a copy, and the one it was put before, 0: at the end."""

    dropped = Signal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[RunRow] = []
        self._order: list[int] = []  # their copies
        self._bars: Mapping[int, Bar] = {}
        self._progress: Mapping[int, CopyProgress] = {}
        self._now = datetime.now().astimezone()
        self._minutes = b""
        self._lists: tuple[object, object, Shown] = ((), (), "all")
        self.shown: Shown = "all"

    def put(self, outlook: Outlook, progress: Mapping[int, CopyProgress]) -> None:
        """Rows that went, came or changed places are told as such, so that the selection stays with its copy."""
        minutes = _minutes(outlook.bars)
        moved = minutes != self._minutes
        self._bars, self._progress, self._now, self._minutes = outlook.bars, progress, outlook.now, minutes
        lists = (outlook.live, outlook.ended, self.shown)
        if all(one is other for one, other in zip(lists, self._lists, strict=True)):
            last = len(outlook.live) if moved else sum(row.copy in progress for row in outlook.live[: len(progress)])
            self._tell_changed(min(last, len(self._rows)))
            return
        self._lists = lists
        rows = [*outlook.live, *outlook.ended] if self.shown == "all" else [*filter(self._wanted, (*outlook.live, *outlook.ended))]
        order = [row.copy for row in rows]
        if order != self._order:
            self._remove_all_but(set(order))
            self._append(rows)
            self._put_in_order(rows, order)
        self._rows, self._order = rows, order
        self._tell_changed(len(rows))

    def _tell_changed(self, count: int) -> None:
        """The first so many rows."""
        if count:
            self.dataChanged.emit(self.index(0, 0), self.index(count - 1, len(HEADS) - 1))

    def _remove_all_but(self, wanted: set[int]) -> None:
        """From the end, as many at once as stand side by side."""
        gone = [place for place, copy in enumerate(self._order) if copy not in wanted]
        while gone:
            last = first = gone.pop()
            while gone and gone[-1] == first - 1:
                first = gone.pop()
            self.beginRemoveRows(QModelIndex(), first, last)
            del self._rows[first : last + 1], self._order[first : last + 1]
            self.endRemoveRows()

    def _append(self, rows: Sequence[RunRow]) -> None:
        known = set(self._order)
        fresh = [row for row in rows if row.copy not in known]
        if fresh:
            self.beginInsertRows(QModelIndex(), len(self._rows), len(self._rows) + len(fresh) - 1)
            self._rows, self._order = [*self._rows, *fresh], [*self._order, *(row.copy for row in fresh)]
            self.endInsertRows()

    def _put_in_order(self, rows: list[RunRow], order: list[int]) -> None:
        """The same copies in another order."""
        if order == self._order:
            return
        self.layoutAboutToBeChanged.emit()
        before = [(index, self._order[index.row()]) for index in self.persistentIndexList()]
        self._rows, self._order = rows, order
        for index, copy in before:
            self.changePersistentIndex(index, self.index(order.index(copy), index.column()))
        self.layoutChanged.emit()

    def _wanted(self, row: RunRow) -> bool:
        if self.shown == "to make":
            return row.live
        if self.shown == "attention":
            return row.state in {"failed", "doubtful", "cancelled"} or row.held
        return not row.live

    def row_of(self, copy: int) -> int:
        """-1 where it is not shown."""
        return self._order.index(copy) if copy in self._order else -1

    @property
    def rows(self) -> Sequence[RunRow]:
        return self._rows

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._rows)

    def columnCount(self, _parent: Index | None = None) -> int:
        return len(HEADS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = int(Qt.ItemDataRole.DisplayRole)) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return HEADS[section]
        return int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter) if role == Qt.ItemDataRole.TextAlignmentRole else None

    def data(self, index: Index, role: int = _DISPLAY) -> object:
        if role not in _ANSWERED:  # most of what a view asks for at each cell
            return None
        one, column = self._rows[index.row()], index.column()
        if role in _SAID:
            return self._words(one, column)
        if role == _FONT:
            return theme.mono(theme.SMALL_PX) if column in _FIGURES else None
        if role == ROW_ROLE:
            return one
        if role == _TIP:
            return plain_tip(one.trouble or one.name)
        progress = self._progress.get(one.copy)
        return progress.part if progress is not None else None

    def _words(self, one: RunRow, column: int) -> str:
        if column == 0:
            return self.state_words(one)
        if column == 1:
            return one.carrier
        if column == 2:
            return one.name
        if column == 3:
            return one.recipe
        return size_words(one) if column == 4 else when_words(one, self._bars.get(one.copy), self._now)

    def state_words(self, one: RunRow) -> str:
        progress = self._progress.get(one.copy)
        if one.held or one.paused:
            return "paused"
        if progress is not None:
            return f"{progress.step} {100 * progress.part:.0f} %"
        if one.live:
            return "waits for its check" if one.step == "verify" else "waiting, second attempt" if one.attempts else "waiting"
        return mark_for(one.state, reserves=bool(one.trouble))[1]

    # Order by drag

    def flags(self, index: Index) -> Qt.ItemFlag:
        if not index.isValid():
            return Qt.ItemFlag.ItemIsDropEnabled
        return _LIVE_FLAGS if self._rows[index.row()].live else _FLAGS

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.MoveAction

    def mimeTypes(self) -> list[str]:
        return [_MIME]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        data = QMimeData()
        data.setData(_MIME, str(self._rows[indexes[0].row()].copy).encode())
        return data

    def dropMimeData(self, data: QMimeData, _action: Qt.DropAction, row: int, _column: int, parent: Index) -> bool:
        if not data.hasFormat(_MIME):
            return False
        place = row if row >= 0 else parent.row() if parent.isValid() else len(self._rows)
        before = self._rows[place].copy if place < len(self._rows) and self._rows[place].live else 0
        self.dropped.emit(int(bytes(data.data(_MIME).data())), before)
        return False  # the run says what the order is then


def _minutes(night: Night) -> bytes:
    """What is read of the times: as long as it is the same, nothing is drawn anew."""
    since = 60 * night.now.hour + night.now.minute + night.now.second / 60
    return np.concatenate([since + night.begin / 60, since + night.end / 60]).astype(np.int64).tobytes()


def size_words(one: RunRow) -> str:
    """As predicted, or as it came out and what the difference is."""
    if one.size:
        told = f" ({signed_text(100 * (one.size / one.sizes.expected - 1), plus=True)} %)" if one.sizes and one.sizes.expected else ""
        return f"{size_text(one.size)}{told}"
    return f"about {size_text(one.sizes.expected)}" if one.sizes else "–"


def when_words(one: RunRow, bar: Bar | None, now: datetime) -> str:
    """As seen ``now``: the day is said where the time alone might be another day's."""
    if not one.live:
        ended = datetime.fromisoformat(one.ended_at).astimezone() if one.ended_at else None
        took = f", took {spoken(one.took)}" if one.took else ""
        return f"{ended:%H:%M}{took}" if ended else "–"
    if bar is None:
        return "when resumed"
    if bar.begin - now > _THIS_WEEK:
        return f"from {bar.begin:%d %b %H:%M}"
    begin = f"{bar.begin:%H:%M}" if bar.begin - now < _TODAY else f"{bar.begin:%a %H:%M}"
    return f"{begin} to {bar.end:%H:%M}" if bar.known else f"from {begin}"


class StateDelegate(QStyledItemDelegate):
    """The state with its shape before its word; of what runs, how far it is as a line under it."""

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        hint = super().sizeHint(option, index)
        return QSize(hint.width() + _MARK_WIDTH, hint.height())

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        one: RunRow = index.data(ROW_ROLE)
        area, part = QRectF(option.rect), index.data(PART_ROLE)
        option.rect.adjust(_MARK_WIDTH, 0, 0, 0)
        super().paint(painter, option, index)
        held = one.live and (one.held or one.paused)
        mark = "check" if held else mark_for(one.state, reserves=bool(one.trouble) and not one.live)[0]
        draw_mark(painter, QRectF(area.left() + 9, area.center().y() - 6, 12, 12), mark)
        if part is not None:
            line = QRectF(area.left() + _MARK_WIDTH + 8, area.bottom() - 5, area.width() - _MARK_WIDTH - 20, 3)
            painter.fillRect(line, QColor(theme.LINE))
            line.setWidth(line.width() * float(part))
            painter.fillRect(line, QColor(theme.ACCENT))
