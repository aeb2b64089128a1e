"""Changing a kind of equipment: its name, ports, what it takes, its settings and limits."""

from __future__ import annotations

from pydantic import ValidationError
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from yomikomi.core.path.catalogue import CONNECTORS, SETTINGS, DeviceKind, Port
from yomikomi.core.planning.carriers import KINDS as CARRIER_KINDS
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.video.units import parse_number
from yomikomi.ui.widgets.basics import Sentence, button, label, row

_ROLES = (
    "player", "camera", "console", "reader", "recorder", "converter", "interface", "screen", "amplifier", "headset", "microphone", "hub",
    "computer", "drive", "card",
)  # fmt: skip
_POWERS = {"mains": "mains", "bus": "its data plug", "battery": "battery or adapter", "none": "none"}
_NUMBERS = {
    "write_mb_s": "Takes in, MB/s", "compresses_to_mbps": "Compresses to, Mb/s", "buffer_mb": "Buffer, MB", "lead_ms": "Picture late, ms",
    "depth": "Bits a sample",
}  # fmt: skip
_WHOLE = {"lead_ms", "depth"}


class KindForm(QDialog):
    """Emits ``made`` with the DeviceKind once it is valid."""

    made = Signal(object)

    def __init__(self, kind: DeviceKind, parent: QWidget) -> None:
        super().__init__(parent)
        self._kind = kind
        self.setWindowTitle(f"Kind of equipment: {kind.words}")
        self.resize(860, 660)
        self.sentence = Sentence()
        self.words = QLineEdit(kind.words)
        self.words.setAccessibleName("Name")
        self.role, self.power = QComboBox(), QComboBox()
        for box, table, now, name in (
            (self.role, {key: key for key in _ROLES}, kind.role, "Role"), (self.power, _POWERS, kind.power, "Power"),
        ):  # fmt: skip
            for key, words in table.items():
                box.addItem(words, key)
            box.setCurrentIndex(max(0, box.findData(now)))
            box.setAccessibleName(name)
        self.corrector = QCheckBox("has a time-base corrector")
        self.corrector.setChecked(kind.corrector)
        self.quirks = QLineEdit("; ".join(kind.quirks))
        self.quirks.setAccessibleName("To keep in mind")
        self.quirks.setPlaceholderText("what to keep in mind about it")
        self.numbers = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        for number, (words, widget) in enumerate((("Name", self.words), ("Role", self.role), ("Power from", self.power))):
            grid.addWidget(label(words, quiet=True), 0, 2 * number)
            grid.addWidget(widget, 0, 2 * number + 1)
        for number, (key, words) in enumerate(_NUMBERS.items()):
            value = getattr(kind, key)
            line = QLineEdit(f"{value:g}" if value else "")
            line.setAccessibleName(words)
            line.setPlaceholderText("no limit")
            self.numbers[key] = line
            grid.addWidget(label(words, quiet=True), 1 + number // 3, 2 * (number % 3))
            grid.addWidget(line, 1 + number // 3, 2 * (number % 3) + 1)
        grid.addWidget(self.corrector, 2, 4, 1, 2)
        grid.addWidget(label("To keep in mind", quiet=True), 3, 0)
        grid.addWidget(self.quirks, 3, 1, 1, 5)
        self._cable = kind.role == "cable"
        heads = ["One end", "Other end"] if self._cable else ["Way", "Connector", "Carries", "Own cable", "Loop-through"]
        self.ports = QTableWidget(0, len(heads))
        self.ports.setHorizontalHeaderLabels(heads)
        self.ports.verticalHeader().hide()
        self.ports.setAccessibleName("Ports")
        self.ports.horizontalHeader().setStretchLastSection(True)
        for port in kind.ports:
            self._add_port(port)
        for ends in kind.ends:
            self._add_ends(*ends)
        self._finish(grid)

    def _finish(self, grid: QGridLayout) -> None:
        kind = self._kind
        self.settings = _ticks({key: one.words for key, one in SETTINGS.items() if key not in {"power", "plugged"}}, kind.settings)
        self.takes = _ticks({key: one.words for key, one in FORMATS.items()}, kind.takes)
        self.plays = _ticks({key: one.words for key, one in CARRIER_KINDS.items()}, kind.plays)
        lists = QHBoxLayout()
        for name, one in (("Settings", self.settings), ("Formats it knows", self.takes), ("Carriers it plays or is", self.plays)):
            column = QVBoxLayout()
            column.addWidget(label(name, quiet=True))
            one.setAccessibleName(name)
            column.addWidget(one)
            lists.addLayout(column)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 16)
        layout.setSpacing(10)
        layout.addWidget(self.sentence)
        layout.addLayout(grid)
        layout.addLayout(
            row(
                label("Ports", quiet=True),
                1,
                button("Add a port", self._new_port, link=True),
                button("Take away", self._drop_port, link=True),
            )
        )
        layout.addWidget(self.ports, 3)
        holder = QWidget()
        holder.setLayout(lists)
        layout.addWidget(holder, 4)
        if self._cable:  # nothing to set, to know or to play
            idle: tuple[QWidget, ...] = (holder, self.role, self.power, self.corrector, *self.numbers.values())
            for widget in idle:
                widget.setEnabled(False)
        self.keep = button("Keep this kind", self._keep, primary=True)
        layout.addLayout(row(1, button("Leave it", self.reject), self.keep))
        self.sentence.say(
            "A kind of your own, kept in this workspace.", "Paths follow from its ports; the settings sheet from its settings"
        )

    def _new_port(self) -> None:
        if self._cable:
            self._add_ends("line", "line")
        else:
            self._add_port(Port(way="in", connector="hdmi_1_4"))

    def _add_ends(self, *ends: str) -> None:
        """A pair of plugs of a cable."""
        line = self.ports.rowCount()
        self.ports.insertRow(line)
        for column, key in enumerate(ends):
            box = _connectors(key)
            box.setAccessibleName(f"Pair {line + 1}, {'one end' if column == 0 else 'other end'}")
            self.ports.setCellWidget(line, column, box)
            self.ports.setColumnWidth(column, 240)

    def _read_ends(self) -> tuple[tuple[str, str], ...]:
        found = []
        for line in range(self.ports.rowCount()):
            left, right = (self.ports.cellWidget(line, column) for column in (0, 1))
            assert isinstance(left, QComboBox)
            assert isinstance(right, QComboBox)
            found.append((left.currentData(), right.currentData()))
        return tuple(found)

    def _drop_port(self) -> None:
        self.ports.removeRow(self.ports.currentRow())

    def _add_port(self, port: Port) -> None:
        line = self.ports.rowCount()
        self.ports.insertRow(line)
        way, connector, carries = QComboBox(), _connectors(port.connector), QComboBox()
        for key, words in (("in", "input"), ("out", "output")):
            way.addItem(words, key)
        way.setCurrentIndex(way.findData(port.way))
        for words in ("all it can", "picture", "sound", "data"):
            carries.addItem(words, () if words == "all it can" else (words,))
        only = port.carries if port.carries != CONNECTORS[port.connector].carries else ()
        carries.setCurrentText(only[0] if len(only) == 1 else "all it can")
        own, loop = QCheckBox(), QCheckBox()
        own.setChecked(port.own)
        loop.setChecked(port.loop)
        for column, widget in enumerate((way, connector, carries, own, loop)):
            widget.setAccessibleName(f"Port {line + 1}, {('way', 'connector', 'carries', 'own cable', 'loop-through')[column]}")
            self.ports.setCellWidget(line, column, widget)
        self.ports.setColumnWidth(1, 200)
        self.ports.setColumnWidth(2, 130)

    def _read_ports(self) -> list[dict[str, object]]:
        found: list[dict[str, object]] = []
        keys: dict[str, int] = {}
        for line in range(self.ports.rowCount()):
            way, connector, carries, own, loop = (self.ports.cellWidget(line, column) for column in range(5))
            assert isinstance(way, QComboBox)
            assert isinstance(connector, QComboBox)
            assert isinstance(carries, QComboBox)
            assert isinstance(own, QCheckBox)
            assert isinstance(loop, QCheckBox)
            stem = f"{connector.currentData()}_{way.currentData()}"
            keys[stem] = keys.get(stem, 0) + 1
            key = stem if keys[stem] == 1 else f"{stem}_{keys[stem]}"
            found.append(
                {
                    "way": way.currentData(), "connector": connector.currentData(), "carries": tuple(carries.currentData()), "key": key,
                    "own": own.isChecked(), "loop": loop.isChecked(),
                }
            )  # fmt: skip
        return found

    def read(self) -> DeviceKind:
        """What stands in the form. Raises ValueError, saying what is wrong."""
        numbers: dict[str, object] = {}
        for key, line in self.numbers.items():
            text = line.text().strip()
            value = parse_number(text) if text else None
            if text and value is None:
                raise ValueError(f"{_NUMBERS[key]}: {text!r} is no number")
            if value is not None:
                numbers[key] = int(value) if key in _WHOLE else float(value)
        document = self._kind.model_dump(exclude_defaults=True)
        for key in _NUMBERS:
            document.pop(key, None)
        settings = _ticked(self.settings)
        delivered = {key: option for key, option in self._kind.delivered.items() if key in settings}
        document["quirks"] = tuple(words.strip() for words in self.quirks.text().split(";") if words.strip())
        if self._cable:
            return DeviceKind.model_validate({**document, "words": self.words.text().strip(), "ends": self._read_ends()})
        document |= {
            **numbers, "words": self.words.text().strip(), "role": self.role.currentData(), "power": self.power.currentData(),
            "corrector": self.corrector.isChecked(), "ports": self._read_ports(), "settings": settings, "delivered": delivered,
            "takes": _ticked(self.takes), "plays": _ticked(self.plays),
        }  # fmt: skip
        return DeviceKind.model_validate(document)

    def _keep(self) -> None:
        try:
            made = self.read()
        except ValidationError as error:
            first = error.errors()[0]
            self.sentence.say("This kind is not whole yet.", f"{' '.join(str(part) for part in first['loc'])}: {first['msg']}")
            return
        except ValueError as error:
            self.sentence.say("This kind is not whole yet.", str(error))
            return
        self.accept()
        self.made.emit(made)


def _connectors(chosen: str) -> QComboBox:
    made = QComboBox()
    for key, one in CONNECTORS.items():
        made.addItem(one.words, key)
    made.setCurrentIndex(made.findData(chosen))
    return made


def _ticks(words: dict[str, str], on: tuple[str, ...]) -> QListWidget:
    made = QListWidget()
    for key, text in words.items():
        item = QListWidgetItem(text)
        item.setData(Qt.ItemDataRole.UserRole, key)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(Qt.CheckState.Checked if key in on else Qt.CheckState.Unchecked)
        made.addItem(item)
    return made


def _ticked(ticks: QListWidget) -> tuple[str, ...]:
    items = (ticks.item(row_number) for row_number in range(ticks.count()))
    return tuple(item.data(Qt.ItemDataRole.UserRole) for item in items if item.checkState() == Qt.CheckState.Checked)
