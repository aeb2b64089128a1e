"""One sheet of the Reckoner: its sides, each with a pin, and how they hang together in words."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QSignalBlocker, QSize, Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QToolButton, QVBoxLayout, QWidget

from yomikomi.core.errors import WrongUseError
from yomikomi.core.reckoner.engine import Field, Reckoning, Sheet
from yomikomi.core.reckoner.quantities import KINDS
from yomikomi.ui import theme
from yomikomi.ui.icons import icon
from yomikomi.ui.widgets.basics import label, restyle

Side = QLineEdit | QComboBox


class SheetForm(QWidget):
    """Emits ``settled`` when a side was typed and left, and the others have followed."""

    settled = Signal()

    def __init__(self, sheet: Sheet) -> None:
        super().__init__()
        self.sheet = sheet
        self.reckoning = Reckoning(sheet)
        self.sides: dict[str, Side] = {}
        self.pins: dict[str, QToolButton] = {}
        self._typed: dict[str, str] = {}
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        grid.setColumnStretch(1, 1)
        for number, field in enumerate(sheet.fields):
            grid.addWidget(label(field.words), number, 0)
            side = self._make_side(field)
            side.setAccessibleName(field.words)
            self.sides[field.key] = side
            grid.addWidget(side, number, 1)
            if any(field.key in relation.solve for relation in sheet.relations):
                grid.addWidget(self._make_pin(field), number, 2)
        self.trouble = label(wrap=True)
        self.trouble.setObjectName("trouble")
        self.words = label(wrap=True, quiet=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addLayout(grid)
        layout.addWidget(self.trouble)
        layout.addWidget(self.words)
        layout.addStretch(1)
        self._show()

    @property
    def typed(self) -> dict[str, str]:
        """What a person typed, by side: enough to bring the sheet back."""
        return dict(self._typed)

    def bring_back(self, typed: Mapping[str, str]) -> None:
        """Type again what was typed; what is no longer understood is left out."""
        for key, words in typed.items():
            if key in self.sides:
                self._take(key, words)

    def put(self, key: str, words: str) -> None:
        """Set a side as if it had been typed."""
        if self._take(key, words):
            self._show()
            self.settled.emit()

    def _make_side(self, field: Field) -> Side:
        if field.choices:
            box = QComboBox()
            for key, words in field.choices:
                box.addItem(words, key)
            box.activated.connect(lambda _index, key=field.key, box=box: self.put(key, box.currentData()))
            return box
        line = QLineEdit()
        line.setFont(theme.mono(theme.BODY_PX))
        line.setToolTip(f"for example {KINDS[field.kind].example}" if KINDS[field.kind].example else "")
        line.textEdited.connect(lambda words, key=field.key: self._take(key, words))
        line.editingFinished.connect(lambda key=field.key: self._on_finished(key))
        return line

    def _make_pin(self, field: Field) -> QToolButton:
        pin = QToolButton()
        pin.setCheckable(True)
        pin.setProperty("pin", True)
        pin.setIcon(icon("pin", theme.MUTED, chosen=theme.ACCENT))
        pin.setIconSize(QSize(16, 16))
        pin.setToolTip(f"Pin: {field.words} must not move")
        pin.setAccessibleName(f"Pin {field.words}")
        pin.toggled.connect(lambda on, key=field.key: self._pin(key, on))
        self.pins[field.key] = pin
        return pin

    def _pin(self, key: str, on: bool) -> None:
        (self.reckoning.pinned.add if on else self.reckoning.pinned.discard)(key)

    def _take(self, key: str, words: str) -> bool:
        """Live: every keystroke that makes sense moves the other sides; one that does not is told and changes nothing."""
        try:
            self.reckoning.type(key, words)
        except WrongUseError as error:
            self.trouble.setText(f"{error.message} {error.remedy}")
            self.trouble.show()
            restyle(self.sides[key], wrong=True)
            return False
        self._typed.pop(key, None)
        self._typed[key] = words
        self._show(but=key)
        return True

    def _on_finished(self, key: str) -> None:
        """The side is left: it shows its value as we write it."""
        if self.sides[key].property("wrong"):
            self._show()
        side = self.sides[key]
        if isinstance(side, QLineEdit) and side.isModified():
            side.setModified(False)
            self._show()
            self.settled.emit()

    def _show(self, but: str = "") -> None:
        self.trouble.setText("")
        self.trouble.hide()
        for key, side in self.sides.items():
            restyle(side, wrong=False)
            if key == but and isinstance(side, QLineEdit):
                continue
            with QSignalBlocker(side):
                if isinstance(side, QComboBox):
                    side.setCurrentIndex(side.findData(self.reckoning.values[key]))
                else:
                    side.setText(self.reckoning.text(key))
        self.words.setText("\n".join(self.reckoning.explain()))
