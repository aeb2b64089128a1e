"""What a path is wanted for, and what counts in ranking."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QDialog, QGridLayout, QSlider, QVBoxLayout, QWidget

from yomikomi.core.path.ranking import SIDES
from yomikomi.core.path.structure import WEIGHTS, Wishes
from yomikomi.core.work.text import capital
from yomikomi.ui.widgets.basics import button, label, row

_WISHES = {
    "watch": "Watch or play while it is recorded, without lag",
    "headphones": "Hear it in headphones meanwhile",
    "commentary": "Speak a commentary",
    "second": "A second recording at the same time",
    "fast_sport": "Fast movement, as in sport",
}
_STEPS = 10  # of a slider to one unit of weight


class WishesBox(QDialog):
    """Emits ``changed`` with the new Wishes at every change, so that the list follows at once."""

    changed = Signal(object)

    def __init__(self, wishes: Wishes, parent: QWidget) -> None:
        super().__init__(parent)
        self.wishes = wishes
        self.setWindowTitle("What the path is wanted for")
        self.resize(520, 520)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 18, 24, 16)
        layout.setSpacing(8)
        layout.addWidget(label("Besides the recording", name="section"))
        self.boxes: dict[str, QCheckBox] = {}
        for key, words in _WISHES.items():
            box = QCheckBox(words)
            box.setChecked(bool(getattr(wishes, key)))
            box.toggled.connect(self._tell)
            self.boxes[key] = box
            layout.addWidget(box)
        layout.addSpacing(8)
        layout.addWidget(label("What counts in the ranking", name="section"))
        layout.addWidget(
            label("Each path is judged on seven sides, 0 to 100; its points are their mean, weighed like this.", quiet=True, wrap=True)
        )
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        self.sliders: dict[str, QSlider] = {}
        self._figures = {}
        for number, (key, words) in enumerate(SIDES.items()):
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(0, 6 * _STEPS)
            slider.setValue(round(wishes.weight(key) * _STEPS))
            slider.setAccessibleName(f"Weight of {words}")
            slider.valueChanged.connect(self._tell)
            figure = label(figure=True)
            self.sliders[key], self._figures[key] = slider, figure
            grid.addWidget(label(capital(words)), number, 0)
            grid.addWidget(slider, number, 1)
            grid.addWidget(figure, number, 2)
        grid.setColumnStretch(1, 1)
        grid.setColumnMinimumWidth(2, 34)
        layout.addLayout(grid)
        layout.addStretch(1)
        layout.addLayout(row(button("Usual weights", self._usual, link=True), 1, button("Close", self.accept, primary=True)))
        self._show()

    def _usual(self) -> None:
        for key, slider in self.sliders.items():
            slider.setValue(round(WEIGHTS[key] * _STEPS))

    def _show(self) -> None:
        for key, slider in self.sliders.items():
            self._figures[key].setText(f"{slider.value() / _STEPS:.1f}")

    def _tell(self) -> None:
        self._show()
        ticks = {key: box.isChecked() for key, box in self.boxes.items()}
        weights = {key: slider.value() / _STEPS for key, slider in self.sliders.items()}
        self.wishes = self.wishes.model_copy(update={**ticks, "weights": weights})
        self.changed.emit(self.wishes)
