"""All shortcuts: by where they belong, to be searched by name or key."""

from __future__ import annotations

from itertools import groupby

from PySide6.QtWidgets import QDialog, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from yomikomi.ui.actions import ACTIONS, STATIONS
from yomikomi.ui.widgets.basics import label, scrolled_widget

_EVERYWHERE = "Everywhere"


class KeysBox(QDialog):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Shortcuts")
        self.resize(620, min(640, parent.height() - 40))
        self.line = QLineEdit()
        self.line.setPlaceholderText("search: mark, trial, Ctrl+K")
        self.line.setAccessibleName("Search shortcuts")
        self.line.textChanged.connect(self._narrow)
        inner = QWidget()
        self._grid = QGridLayout(inner)
        self._grid.setContentsMargins(0, 0, 12, 0)
        self._grid.setHorizontalSpacing(28)
        self._grid.setColumnStretch(1, 1)
        self._rows: list[tuple[str, str, list[QWidget]]] = []
        self._heads: dict[str, QWidget] = {}
        names = {station.key: station.words for station in STATIONS}
        order = ["", *names]
        self._fill(_EVERYWHERE, [(f"Ctrl+{one.number}", f"{one.words}: {one.purpose}") for one in STATIONS])
        for key, actions in groupby(sorted(ACTIONS, key=lambda one: order.index(one.station)), key=lambda one: one.station):
            self._fill(names.get(key, _EVERYWHERE), [(one.shortcut, one.words) for one in actions])
        self._grid.setRowStretch(self._grid.rowCount(), 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 20, 12, 20)
        layout.setSpacing(12)
        layout.addWidget(self.line)
        layout.addWidget(scrolled_widget(inner), 1)

    @property
    def shown(self) -> list[tuple[str, str]]:
        """Keys and words of the rows that fit what was typed."""
        return [(keys, words) for keys, words, made in self._rows if not made[0].isHidden()]

    def _fill(self, head: str, lines: list[tuple[str, str]]) -> None:
        if head not in self._heads:
            self._heads[head] = label(head, name="section")
            self._grid.addWidget(self._heads[head], self._grid.rowCount(), 0, 1, 2)
        for keys, words in lines:
            made: list[QWidget] = [label(keys, figure=True), label(words, wrap=True)]
            at = self._grid.rowCount()
            self._grid.addWidget(made[0], at, 0)
            self._grid.addWidget(made[1], at, 1)
            made[0].setProperty("group", head)
            self._rows.append((keys, words, made))

    def _narrow(self, typed: str) -> None:
        wanted = typed.casefold().split()
        kept = set()
        for keys, words, made in self._rows:
            fits = all(part in f"{keys} {words}".casefold() for part in wanted)
            for one in made:
                one.setVisible(fits)
            if fits:
                kept.add(made[0].property("group"))
        for name, head in self._heads.items():
            head.setVisible(name in kept)
