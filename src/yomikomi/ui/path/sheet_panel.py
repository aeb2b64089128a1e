"""The settings sheet beside the drawing: what to set, in order, ticked off as done."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt, QTimer, Signal
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from yomikomi.core.path.catalogue import DeviceKind
from yomikomi.core.path.sheet import PathSheet, SheetItem, State
from yomikomi.core.path.structure import Setup
from yomikomi.ui.widgets.basics import Card, CardColumn, ElidedLabel, MarkShape, label, plain_tip, restyle, scrolled

_STATES: dict[State, Qt.CheckState] = {
    "open": Qt.CheckState.Unchecked, "done": Qt.CheckState.Checked, "unsure": Qt.CheckState.PartiallyChecked,
}  # fmt: skip
_STATE_WORDS = {"open": "to do", "done": "done", "unsure": "not verified"}


_USUAL_CARDS = 26  # settings of a usual path


class _StillCombo(QComboBox):
    """Turning the wheel over it scrolls the sheet and changes nothing."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()


class ItemCard(Card):
    """One setting: a box that goes from open to done to "could not be verified", and what it is at."""

    ticked = Signal(object, str)
    turned = Signal(object, str)
    told = Signal(object)

    def __init__(self) -> None:
        super().__init__(choosable=False)
        self.box = QCheckBox()
        self.box.setTristate(True)
        self.option = _StillCombo()
        self.option.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.option.setMinimumContentsLength(12)
        self.name, self.state = ElidedLabel(), label(quiet=True)
        self.name.setProperty("quiet", True)
        self.mark = MarkShape("fault")
        self.body.setContentsMargins(10, 6, 10, 7)
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(self.box)
        head.addWidget(self.name, 1)
        head.addWidget(self.mark)
        head.addWidget(self.state)
        self.body.addLayout(head)
        self.body.addWidget(self.option)
        for one in (self.box, self.option):
            one.installEventFilter(self)
        self.box.clicked.connect(self._on_tick)
        self.option.activated.connect(lambda _row: self.turned.emit(self.item.knob, self.option.currentData()))

    def take(self, item: SheetItem, kind: DeviceKind) -> None:
        """Stand for another setting from now on."""
        self.option.clear()
        for key, words in kind.options(item.key) or ((item.option, item.words),):
            self.option.addItem(words if key != item.option else f"{words}  ✓", key)
        self.show_item(item)

    def show_item(self, item: SheetItem) -> None:
        """Put the item on screen without telling anybody."""
        self.item: SheetItem = item
        self.name.say(item.setting)
        self.box.setCheckState(_STATES[item.state])
        self.box.setAccessibleName(f"{item.device}, {item.setting}: {item.words}, {_STATE_WORDS[item.state]}")
        self.option.setCurrentIndex(max(0, self.option.findData(item.at or item.option)))
        self.option.setAccessibleName(f"{item.device}, {item.setting} is at")
        self.state.setText("set otherwise" if item.at else "" if item.state == "open" else _STATE_WORDS[item.state])
        self.mark.setVisible(bool(item.at) or item.state == "unsure")
        self.mark.show_mark("fault" if item.at else "undetermined")
        tip = f"{item.device}: {item.setting}\n{item.why}\nTo see: {item.see}" + (
            f"\nAs delivered: {item.delivered}" if item.delivered else ""
        )
        self.setToolTip(plain_tip(tip))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.FocusIn:
            self.told.emit(self.item)
        return super().eventFilter(watched, event)

    def enterEvent(self, event: object) -> None:
        self.told.emit(self.item)
        super().enterEvent(event)  # type: ignore[arg-type]

    def _on_tick(self) -> None:
        state = next(key for key, value in _STATES.items() if value == self.box.checkState())
        # Qt goes from open to the middle first; here done comes first, then "could not be verified".
        order: tuple[State, ...] = ("open", "done", "unsure")
        after = order[(order.index(self.item.state) + 1) % 3]
        if state != after:
            self.box.setCheckState(_STATES[after])
        self.ticked.emit(self.item.knob, after)


class SheetPanel(QWidget):
    """Cards in the order of doing, under the names of their devices; what one is for stands below."""

    ticked = Signal(object, str)
    turned = Signal(object, str)

    def __init__(self) -> None:
        super().__init__()
        self.cards: dict[tuple[str, str], ItemCard] = {}
        self._shape: list[tuple[object, ...]] = []
        self._slots: list[tuple[QLabel, ItemCard]] = []
        self.column = CardColumn()
        self.column.setSpacing(5)
        self.column.setContentsMargins(0, 0, 12, 0)
        self.count = label(quiet=True)
        self.why, self.see = label(wrap=True), label(quiet=True, wrap=True)
        self.about = Card(choosable=False)
        self.about.body.addWidget(self.why)
        self.about.body.addWidget(self.see)
        self.about.body.addStretch(1)
        self.about.setFixedHeight(106)
        title = label("Settings sheet", name="section")
        head = QHBoxLayout()
        head.addWidget(title)
        head.addStretch(1)
        head.addWidget(self.count)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addLayout(head)
        layout.addWidget(scrolled(self.column), 1)
        layout.addWidget(self.about)
        self._empty = label("Once there is a path, what to set in each device stands here.", quiet=True, wrap=True)
        self.column.addWidget(self._empty)
        self.column.addStretch(1)
        QTimer.singleShot(0, self, self._make_ahead)

    def show_sheet(self, sheet: PathSheet | None, setup: Setup | None) -> None:
        """Cards are made anew only where the sheet asks for other things."""
        items = sheet.items if sheet and setup else ()
        shape: list[tuple[object, ...]] = [(item.knob, item.option, item.device) for item in items]
        if shape != self._shape:
            self._make(items, setup)
            self._shape = shape
        for item in items:
            self.cards[item.knob].show_item(item)
        self.count.setText(f"{sheet.done} of {len(items)} done" if sheet and items else "")
        self.about.setVisible(bool(items))

    def _make(self, items: tuple[SheetItem, ...], setup: Setup | None) -> None:
        """Cards are kept and stand for other settings: making them takes longer than all else."""
        self.cards = {}
        device = ""
        self.setUpdatesEnabled(False)
        for number, item in enumerate(items):
            assert setup is not None
            head, card = self._slot(number)
            head.setText(item.device)
            head.setVisible(item.device != device)
            device = item.device
            card.take(item, setup.kind(item.piece))
            card.show()
            self.cards[item.knob] = card
        for head, card in self._slots[len(items) :]:
            head.hide()
            card.hide()
        self._empty.setVisible(not items)
        self.setUpdatesEnabled(True)
        if items:
            self._tell(items[0])

    def _slot(self, number: int) -> tuple[QLabel, ItemCard]:
        while number >= len(self._slots):
            head, card = label(quiet=True), ItemCard()
            card.ticked.connect(self.ticked)
            card.turned.connect(self.turned)
            card.told.connect(self._tell)
            place = self.column.count() - 1  # before the stretch
            self.column.insertWidget(place, head)
            self.column.insertWidget(place + 1, card)
            self._slots.append((head, card))
        return self._slots[number]

    def _make_ahead(self) -> None:
        """A few cards at a time while nobody waits for them."""
        if len(self._slots) < _USUAL_CARDS:
            head, card = self._slot(len(self._slots))
            if not self.cards or card not in self.cards.values():
                head.hide()
                card.hide()
            QTimer.singleShot(0, self, self._make_ahead)

    def _tell(self, item: SheetItem) -> None:
        self.why.setText(item.why)
        self.see.setText(f"To see: {item.see}" + (f" As delivered: {item.delivered}." if item.delivered else ""))
        for card in self.cards.values():
            restyle(card, chosen=card.item.knob == item.knob)
