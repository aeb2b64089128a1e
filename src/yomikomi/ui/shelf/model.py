"""Carriers as a list model, and how a spine is drawn."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from yomikomi.core.ledger.spine import Spine
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.video.timecode import clock
from yomikomi.ui import theme
from yomikomi.ui.icons import pixmap
from yomikomi.ui.widgets.basics import draw_mark, plain_tip
from yomikomi.ui.widgets.track import draw_track

ViewRole = int(Qt.ItemDataRole.UserRole)
Index = QModelIndex | QPersistentModelIndex


def state_of(view: Spine) -> tuple[str, str]:
    """Mark and words: where a carrier stands, trouble first."""
    if view.unfit and view.progress < 8:
        return "fault", view.details.condition.words
    if view.take is not None and view.take.state == "recording":
        return "check", "recording"
    if view.take is not None and view.take.note:
        return "check", view.take.note
    if not {"failed", "doubtful"}.isdisjoint(view.copies) and view.progress < 8:
        return "fault", "a copy failed"
    if view.next_station == "shelf":
        way = kind_of(view.kind).way
        return "undetermined", "waits to be copied" if way == "copy" else "standard not known" if not view.standard else "no player yet"
    words = {
        "path": "path to be planned", "capture": "waits to be captured", "reading": "waits to be read", "treatment": "treatment to choose",
        "balance": "copy to choose", "run": "copy being made", "ledger": "copied and verified",
    }[view.next_station]  # fmt: skip
    if view.progress < 3 and view.details.condition.verdict == "care":
        return "check", view.details.condition.words
    return ("fine", words) if view.progress == 8 else ("undetermined", words)


def length_words(view: Spine) -> str:
    """``0:42:00``, or ``0:00:04 of 1:58:00`` where a take holds only a part."""
    taken = view.take.seconds if view.take and view.take.seconds else None
    nominal = view.nominal_seconds
    if taken is None:
        return clock(nominal) if nominal else ""
    return f"{clock(taken)} of {clock(nominal)}" if nominal and taken < 0.9 * nominal else clock(taken)


def _told(view: Spine) -> str:
    """All that the spine shows, and what it has no room for, in words."""
    details = view.details
    lines = [
        f"{view.label} {view.title}: {kind_of(view.kind).words}{f', {view.standard}' if view.standard else ''}, {state_of(view)[1]}",
        details.condition.words + (" · rights confirmed" if details.rights else " · right to copy not confirmed"),
        " · ".join(part for part in (details.shape, details.sound, ", ".join(details.tags)) if part),
        view.note,
    ]
    return "\n".join(line for line in lines if line)


# What the shelf can be narrowed to, and how it can be ordered: words people read, and the rule.
STATES: dict[str, tuple[str, Callable[[Spine], bool]]] = {
    "all": ("everything", lambda view: True),
    "capture": ("to be captured", lambda view: view.take is None),
    "working": ("in work", lambda view: view.take is not None and view.progress < 8),
    "trouble": ("trouble", lambda view: state_of(view)[0] in {"fault", "check"}),
    "rights": ("rights not confirmed", lambda view: not view.details.rights),
    "done": ("copied and verified", lambda view: view.progress == 8),
}
ORDERS: dict[str, tuple[str, Callable[[Spine], Any]]] = {
    "label": ("by label", lambda view: natural(view.label)),
    "taken in": ("by date added", lambda view: view.id),
    "title": ("by title", lambda view: view.title.casefold()),
    "kind": ("by kind", lambda view: (kind_of(view.kind).words, natural(view.label))),
    "progress": ("by progress", lambda view: (view.progress, view.id)),
    "length": ("longest first", lambda view: -(view.nominal_seconds or 0.0)),
}


def natural(label: str) -> tuple[tuple[int, int, str], ...]:
    """Numbers inside a label count as numbers: K-9 comes before K-10."""
    parts = re.findall(r"\d+|\D+", label.casefold())
    return tuple((0, int(part), "") if part.isdigit() else (1, 0, part) for part in parts)


@dataclass(frozen=True)
class Narrowing:
    """What of the shelf is shown: all words must be found, in any order, anywhere in what is written down of a carrier.

    ``kind``: key of a kind, empty for all; ``state`` and ``order``: keys of ``STATES`` and ``ORDERS``.
    """

    words: tuple[str, ...] = ()
    kind: str = ""
    state: str = "all"
    order: str = "label"

    @property
    def narrows(self) -> bool:
        return bool(self.words or self.kind or self.state != "all")

    def apply(self, views: list[Spine]) -> list[Spine]:
        rule = STATES[self.state][1]
        found = [view for view in views if (not self.kind or view.kind == self.kind) and rule(view)]
        for word in self.words:
            found = [view for view in found if word in _searched(view)]
        return sorted(found, key=ORDERS[self.order][1])


def _searched(view: Spine) -> str:
    parts = (view.label, view.title, view.note, kind_of(view.kind).words, view.standard or "", *view.details.tags)
    return " ".join(parts).casefold()


class ShelfModel(QAbstractListModel):
    """The carriers that are shown, narrowed and ordered. Of a thousand, only what changed is told to be drawn anew."""

    def __init__(self) -> None:
        super().__init__()
        self._all: list[Spine] = []
        self._shown: list[Spine] = []
        self._narrowing = Narrowing()

    @property
    def narrowed(self) -> bool:
        return self._narrowing.narrows

    def put(self, views: list[Spine]) -> None:
        self._all = list(views)
        self._show()

    def narrow(self, narrowing: Narrowing) -> None:
        self._narrowing = narrowing
        self._show()

    def views(self) -> list[Spine]:
        """What is shown, in the order shown."""
        return list(self._shown)

    def row_of(self, carrier_id: int) -> int:
        return next((row for row, view in enumerate(self._shown) if view.id == carrier_id), -1)

    def rowCount(self, _parent: Index | None = None) -> int:
        return len(self._shown)

    def data(self, index: Index, role: int = int(Qt.ItemDataRole.DisplayRole)) -> object:
        view = self._shown[index.row()]
        if role == ViewRole:
            return view
        if role == Qt.ItemDataRole.DisplayRole:
            return f"{view.label} {view.title}"
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return _told(view)
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(_told(view))
        return None

    def _show(self) -> None:
        before, after = self._shown, self._narrowing.apply(self._all)
        if [view.id for view in before] != [view.id for view in after]:
            self.beginResetModel()
            self._shown = after
            self.endResetModel()
            return
        self._shown = after
        for row, (old, new) in enumerate(zip(before, after, strict=True)):
            if old is not new:
                self.dataChanged.emit(self.index(row, 0), self.index(row, 0))


class SpineDelegate(QStyledItemDelegate):
    """A carrier as a spine: coloured edge and glyph by medium, label, title, progress, state."""

    SIZE = QSize(184, 158)

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        return self.SIZE

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        view: Spine = index.data(ViewRole)
        kind = kind_of(view.kind)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(4, 4, -4, -4)
        painter.setPen(QPen(QColor(theme.ACCENT if chosen else theme.LINE), 2 if chosen else 1))
        painter.setBrush(QColor(theme.BRIGHT if chosen else theme.RAISED))
        painter.drawRoundedRect(box, 4, 4)
        painter.fillRect(QRectF(box.left() + 1, box.top() + 4, 6, box.height() - 8), QColor(kind.edge))
        inner = box.adjusted(18, 10, -10, -9)
        painter.drawPixmap(inner.topLeft(), pixmap(kind.icon, theme.INK, 22))
        _line(painter, inner.adjusted(30, 0, 0, 0), view.label, theme.mono(theme.TITLE_PX, medium=True), theme.INK, height=22)
        medium = f"{kind.words} · {view.standard}" if view.standard else kind.words
        _line(painter, inner.adjusted(0, 26, 0, 0), medium, theme.sans(theme.SMALL_PX), theme.MUTED)
        painter.setFont(theme.sans(theme.BODY_PX))
        painter.setPen(QColor(theme.INK))
        words = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
        painter.drawText(QRectF(inner.left(), inner.top() + 44, inner.width(), 36), words, view.title)
        _line(painter, inner.adjusted(0, inner.height() - 51, 0, 0), length_words(view), theme.mono(theme.SMALL_PX), theme.MUTED)
        draw_track(
            painter, QRectF(inner.left(), inner.bottom() - 31, inner.width(), 10), view.progress, radius=3.2,
            background=theme.BRIGHT if chosen else theme.RAISED,
        )  # fmt: skip
        mark, state = state_of(view)
        draw_mark(painter, QRectF(inner.left(), inner.bottom() - 13, 11, 11), mark)
        _line(painter, inner.adjusted(17, inner.height() - 16, 0, 0), state, theme.sans(theme.SMALL_PX), theme.INK)
        painter.restore()


def _line(painter: QPainter, place: QRectF, words: str, font: QFont, colour: str, *, height: int = 17) -> None:
    """One line at the top of a place, shortened where it does not fit."""
    painter.setFont(font)
    painter.setPen(QColor(colour))
    shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(place.width()))
    line = QRectF(place.left(), place.top(), place.width(), height)
    painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)
