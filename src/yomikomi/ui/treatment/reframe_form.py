"""A window dragged on the picture: where it is at which moment."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from pydantic import ValidationError
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QComboBox, QDialog, QDoubleSpinBox, QSlider, QVBoxLayout, QWidget

from yomikomi.core.errors import YomikomiError
from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import KeyPosition, Reframe
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.planes import rgb
from yomikomi.core.video.timecode import clock
from yomikomi.ui.background import Calls
from yomikomi.ui.widgets.basics import Well, button, label, row
from yomikomi.ui.widgets.pictures import Picture, PictureView, image_from_rgb

_SHAPES = ("1:1", "9:16", "16:9", "2:1", "4:5", "4:3")
_SLIDER = 2000
_NUDGE = 0.01
_SHOWN = 720


@dataclass(frozen=True)
class Looked:
    """Whose pictures the window is put on, as they come into the step."""

    path: Path
    reading: Reading
    before: Treatment

    def at(self, seconds: float) -> Picture:
        """Raises UnreadableError."""
        timing = Timing.of(self.reading, self.before)
        number = min(timing.frames - 1, max(0, int(seconds * timing.rate)))
        frame = next(iter(TreatedFrames(self.path, self.reading, self.before, range(number, number + 1), most_filled_s=None)))
        shape = self.shape
        width = min(_SHOWN, round(_SHOWN * shape))
        return rgb(frame, width=width, height=round(width / shape))

    @property
    def shape(self) -> Fraction:
        return TreatedFrames(self.path, self.reading, self.before).format.geometry.display_aspect


class WindowView(PictureView):
    """Emits ``moved`` with the window's centre, parts of the picture."""

    moved = Signal(float, float)

    def __init__(self) -> None:
        super().__init__(empty="…")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Picture with the window; arrow keys move it")
        self.centre = (0.5, 0.5)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._go(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._go(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: (-_NUDGE, 0.0), Qt.Key.Key_Right: (_NUDGE, 0.0), Qt.Key.Key_Up: (0.0, -_NUDGE), Qt.Key.Key_Down: (0.0, _NUDGE),
        }  # fmt: skip
        step = steps.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        self._put(self.centre[0] + step[0], self.centre[1] + step[1])

    def _go(self, event: QMouseEvent) -> None:
        area, place = self.picture_area(), event.position()
        self._put((place.x() - area.left()) / max(1.0, area.width()), (place.y() - area.top()) / max(1.0, area.height()))

    def _put(self, x: float, y: float) -> None:
        self.centre = min(1.0, max(0.0, x)), min(1.0, max(0.0, y))
        self.moved.emit(*self.centre)


class ReframeForm(QDialog):
    """``step``: what is set, once it was accepted."""

    def __init__(self, step: Reframe, before: PictureFormat, looked: Looked, parent: QWidget) -> None:
        super().__init__(parent)
        self.step, self._before, self._looked = step, before, looked
        self._keys = {key.at: (key.x, key.y) for key in step.keys}
        self._calls = Calls(self)
        self._seconds = 0.0
        self.setWindowTitle("Reframe")
        self.setMinimumSize(640, 520)
        self.view = WindowView()
        self.view.moved.connect(self._moved)
        well, inside = Well(), QVBoxLayout()
        well.setLayout(inside)
        inside.setContentsMargins(8, 8, 8, 8)
        inside.addWidget(self.view)
        self.place = QSlider(Qt.Orientation.Horizontal)
        self.place.setRange(0, _SLIDER)
        self.place.setAccessibleName("Moment")
        self.place.valueChanged.connect(self._at)
        self.time = label(figure=True)
        self.shape = QComboBox()
        self.shape.setEditable(True)
        self.shape.addItems(_SHAPES)
        self.shape.setCurrentText(step.shape)
        self.shape.setAccessibleName("Shape of the result")
        self.shape.currentTextChanged.connect(lambda _text: self._show())
        self.part = QDoubleSpinBox()
        self.part.setRange(10, 100)
        self.part.setDecimals(0)
        self.part.setSuffix(" %")
        self.part.setValue(100 * step.part)
        self.part.setAccessibleName("Part of the largest window")
        self.part.valueChanged.connect(lambda _value: self._show())
        self.remove_button = button("Remove this key", self._remove, link=True)
        self.words = label("", quiet=True, wrap=True)
        self.accept_button = button("Set", self._accept, primary=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 20, 24, 20)
        layout.setSpacing(10)
        what = "Drag the window where it should be; do so at other moments, and it moves between them."
        layout.addWidget(label(what, quiet=True, wrap=True))
        layout.addWidget(well, 1)
        layout.addLayout(row(self.place, self.time))
        layout.addLayout(row(label("Shape"), self.shape, label("Size"), self.part, 1, self.remove_button))
        layout.addWidget(self.words)
        layout.addLayout(row(1, button("Leave it", self.reject), self.accept_button))
        self._at(0)

    @property
    def made(self) -> Reframe:
        """Raises ValidationError."""
        keys = tuple(KeyPosition(at=at, x=x, y=y) for at, (x, y) in sorted(self._keys.items()))
        return Reframe(shape=self.shape.currentText().strip(), part=self.part.value() / 100, keys=keys or (KeyPosition(),))

    def _at(self, place: int) -> None:
        self._seconds = round(place / _SLIDER * self._looked.reading.duration_seconds, 3)
        self.time.setText(clock(self._seconds))
        seconds = self._seconds
        self._calls.call("picture", lambda: self._looked.at(seconds), self._take, lambda error: self.words.setText(str(error)))
        self._show()

    def _take(self, picture: Picture) -> None:
        self.view.show_image(image_from_rgb(picture), Fraction(picture.shape[1], picture.shape[0]))
        self._show()

    def _moved(self, x: float, y: float) -> None:
        near = min(self._keys, key=lambda at: abs(at - self._seconds), default=None)
        if near is not None and ((len(self._keys) == 1 and self._seconds == 0) or abs(near - self._seconds) < 1 / float(self._before.rate)):
            self._keys.pop(near)
        self._keys[self._seconds] = (round(x, 4), round(y, 4))
        self._show()

    def _remove(self) -> None:
        near = min(self._keys, key=lambda at: abs(at - self._seconds))
        if len(self._keys) > 1:
            self._keys.pop(near)
        self._show()

    def _show(self) -> None:
        try:
            step = self.made
            width, height = step.window(self._before)
            left, top = step.place_at(self._seconds, self._before)
        except (ValidationError, YomikomiError):
            self.words.setText("A shape is written like 9:16.")
            self.accept_button.setEnabled(False)
            return
        self.accept_button.setEnabled(True)
        shape = self._before.geometry
        self.view.centre = (left + width / 2) / shape.width, (top + height / 2) / shape.height
        self.view.show_outline(QRectF(left / shape.width, top / shape.height, width / shape.width, height / shape.height))
        where = ", ".join(clock(at) for at in sorted(self._keys))
        self.words.setText(f"{width} × {height}. Key positions at {where}.")
        self.remove_button.setVisible(len(self._keys) > 1)

    def _accept(self) -> None:
        try:
            made = self.made
            made.output(self._before)  # refuses what cannot be
        except (ValidationError, YomikomiError) as error:
            self.words.setText(str(error).splitlines()[0])
            return
        self.step = made
        self.accept()

