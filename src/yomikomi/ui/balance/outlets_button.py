"""Where a copy has to play: a button that names the chosen outlets, with a menu of all."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu, QPushButton, QSizePolicy

from yomikomi.core.outlets.model import Outlet, outlets
from yomikomi.ui.widgets.basics import plain_tip

_ANY = "Any"
# A push button with a menu takes no padding at its left from the style sheet: an en space stands for it.
_INDENT = "\u2002"


class OutletsButton(QPushButton):
    """``chosen`` when other outlets were. ``kept``: keys of those chosen last. ``on_own``: asked for an outlet of a person's own; None:
    that is not offered."""

    chosen = Signal()

    def __init__(self, kept: object, on_own: Callable[[], object] | None = None) -> None:
        super().__init__()
        self._on_own = on_own
        self.setProperty("chooser", True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        self.setMenu(menu)
        self._actions: dict[str, QAction] = {}
        self._known: dict[str, Outlet] = {}
        self.fill([key for key in kept if isinstance(key, str)] if isinstance(kept, list) else [])

    def fill(self, wanted: list[str]) -> None:
        """The menu anew, since there may be other outlets; ``wanted``: keys of those chosen."""
        menu = self.menu()
        menu.clear()
        any_of_them = menu.addAction(_ANY)
        any_of_them.setToolTip("No limits of an outlet")
        any_of_them.triggered.connect(lambda: self.choose([]))
        menu.addSeparator()
        self._actions, self._known = {}, outlets()
        for outlet in self._known.values():
            action = menu.addAction(outlet.words)
            action.setCheckable(True)
            action.setChecked(outlet.key in wanted)
            action.setToolTip(plain_tip(outlet.note))
            action.triggered.connect(self._on_chosen)
            self._actions[outlet.key] = action
        if self._on_own is not None:
            menu.addSeparator()
            menu.addAction("Outlet of your own…", self._on_own)
        self._say()

    @property
    def outlets(self) -> list[Outlet]:
        return [self._known[key] for key, action in self._actions.items() if action.isChecked()]

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
