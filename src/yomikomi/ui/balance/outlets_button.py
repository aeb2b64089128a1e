"""Where a copy has to play: a button that names the chosen outlets, with a menu of all."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QMenu, QPushButton, QSizePolicy

from yomikomi.core.outlets.model import Outlet, outlets
from yomikomi.ui.widgets.basics import plain_tip

_ANY = "Any"
# A push button with a menu takes no padding at its left from the style sheet: an en space stands for it.
_INDENT = "\u2002"


class OutletsButton(QPushButton):
    """``chosen`` when other outlets were. ``kept``: keys of those chosen last."""

    chosen = Signal()

    def __init__(self, kept: object) -> None:
        super().__init__()
        self.setProperty("chooser", True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        self._any = menu.addAction("Any")
        self._any.setToolTip("No limits of an outlet")
        self._any.triggered.connect(lambda: self.choose([]))
        menu.addSeparator()
        wanted = kept if isinstance(kept, list) else []
        self._actions = {}
        for outlet in outlets().values():
            action = menu.addAction(outlet.words)
            action.setCheckable(True)
            action.setChecked(outlet.key in wanted)
            action.setToolTip(plain_tip(outlet.note))
            action.triggered.connect(self._on_chosen)
            self._actions[outlet.key] = action
        self.setMenu(menu)
        self._say()

    @property
    def outlets(self) -> list[Outlet]:
        return [outlets()[key] for key, action in self._actions.items() if action.isChecked()]

    def choose(self, keys: list[str]) -> None:
        for key, action in self._actions.items():
            action.setChecked(key in keys)
        self._on_chosen()

    def _on_chosen(self) -> None:
        self._say()
        self.chosen.emit()

    def _say(self) -> None:
        found = [one.words for one in self.outlets]
        words = found[0] if len(found) == 1 else f"{len(found)} outlets" if found else _ANY
        self.setText(f"{_INDENT}{words}")
        self.setAccessibleName(f"Outlets: {', '.join(found) or _ANY}")
        self.setToolTip(plain_tip("Where the copy has to play; the weakest decides" + (f": {', '.join(found)}" if len(found) > 1 else "")))
