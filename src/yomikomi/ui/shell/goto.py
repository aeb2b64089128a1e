"""The go-to box: finds carriers, stations and commands by name."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from yomikomi.ui.actions import ACTIONS, STATIONS
from yomikomi.ui.icons import icon
from yomikomi.ui.state import AppState


@dataclass(frozen=True)
class Target:
    """``kind`` is carrier, station or action; ``key`` its id or key."""

    kind: str
    key: str
    words: str
    hint: str
    icon: str


def all_targets(state: AppState) -> list[Target]:
    from yomikomi.core.planning.carriers import kind_of

    carriers = [
        Target("carrier", str(view.id), f"{view.label}  {view.title}", kind_of(view.kind).words, kind_of(view.kind).icon)
        for view in state.spines
    ]
    stations = [Target("station", s.key, s.words, f"Ctrl+{s.number}", s.icon) for s in STATIONS]
    commands = [Target("action", a.key, a.words, a.shortcut, "chevron-right") for a in ACTIONS if a.key != "goto"]
    return [*carriers, *stations, *commands]


def match(targets: list[Target], words: str) -> list[Target]:
    """All whose name or hint contains every word typed, those that begin with it first."""
    wanted = words.lower().split()
    found = [t for t in targets if all(w in f"{t.words} {t.hint}".lower() for w in wanted)]
    return sorted(found, key=lambda t: not any(part.lower().startswith(words.lower()) for part in t.words.split())) if words else found


class GoToBox(QDialog):
    chosen = Signal(object)

    def __init__(self, state: AppState, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Dialog | Qt.WindowType.FramelessWindowHint)
        self._targets = all_targets(state)
        self.setFixedSize(520, 380)
        self.setStyleSheet("QDialog { border: 1px solid palette(mid); }")
        self.line = QLineEdit()
        self.line.setPlaceholderText("Carrier, station or command")
        self.line.setAccessibleName("Go to")
        self.list = QListWidget()
        self.list.setAlternatingRowColors(False)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 14, 14, 14)
        layout.addWidget(self.line)
        layout.addWidget(self.list)
        self.line.textChanged.connect(self._fill)
        self.line.installEventFilter(self)
        self.list.itemClicked.connect(lambda _item: self._take())
        self._fill("")

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.line and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step:
                self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
                return True
            if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
                self._take()
                return True
        return super().eventFilter(watched, event)

    def _fill(self, words: str) -> None:
        self.list.clear()
        for target in match(self._targets, words):
            item = QListWidgetItem(icon(target.icon), f"{target.words}   ·   {target.hint}")
            item.setData(Qt.ItemDataRole.UserRole, target)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _take(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.accept()
            self.chosen.emit(item.data(Qt.ItemDataRole.UserRole))
