"""A frame of the take: whole, both fields apart, its change, or its scopes."""

from __future__ import annotations

from fractions import Fraction

from PySide6.QtCore import QRectF, Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QToolButton, QVBoxLayout

from yomikomi.core.reading.closeup import CloseLook
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.unread import FirstLook
from yomikomi.core.video.timecode import clock, frame_clock
from yomikomi.ui.widgets.basics import Well, label
from yomikomi.ui.widgets.pictures import PictureView, image_from_rgb
from yomikomi.ui.widgets.scopes import HistogramView, VectorView, WaveformView

MODES = ("whole", "fields", "difference", "scopes")
_TIPS = {
    "whole": "Show the whole frame", "fields": "Show the two fields apart",
    "difference": "Show the change against the frame before, four times, around grey", "scopes": "Show waveform, colours and levels",
}  # fmt: skip


class FrameViewer(Well):
    """Pictures are handed in; the mode decides how they are shown."""

    mode_changed = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._look: CloseLook | None = None
        self._reading: Reading | None = None
        self.whole = PictureView(empty="No picture yet.")
        self.top, self.bottom = PictureView(), PictureView()
        self.top.caption, self.bottom.caption = "top field", "bottom field"
        self.waveform, self.vector, self.histogram = WaveformView(), VectorView(), HistogramView()
        self._place = label("", figure=True)
        self._modes = QButtonGroup(self)
        modes = QHBoxLayout()
        modes.setSpacing(4)
        for number, words in enumerate(MODES):
            mode = QToolButton()
            mode.setText(words)
            mode.setCheckable(True)
            mode.setProperty("well", True)
            mode.setToolTip(f"{_TIPS[words]} (V turns through)")
            self._modes.addButton(mode, number)
            modes.addWidget(mode)
        self._modes.button(0).setChecked(True)
        self._modes.idClicked.connect(lambda _id: self._changed())
        pictures = QHBoxLayout()
        pictures.setSpacing(6)
        for one in (self.whole, self.top, self.bottom):
            pictures.addWidget(one)
        scopes = QVBoxLayout()
        scopes.addWidget(self.waveform, 2)
        scopes.addWidget(self.histogram, 1)
        pictures.addLayout(scopes, 3)
        pictures.addWidget(self.vector, 2)
        foot = QHBoxLayout()
        foot.addWidget(self._place)
        foot.addStretch(1)
        foot.addLayout(modes)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 6)
        layout.setSpacing(6)
        layout.addLayout(pictures, 1)
        layout.addLayout(foot)
        self._show()

    @property
    def mode(self) -> str:
        return MODES[self._modes.checkedId()]

    def turn_mode(self) -> None:
        """The next way to look at the frame."""
        self._modes.button((self._modes.checkedId() + 1) % len(MODES)).setChecked(True)
        self._changed()

    def show_look(self, look: CloseLook | None, reading: Reading | None = None) -> None:
        self._look, self._reading = look, reading
        for mode in self._modes.buttons():
            mode.show()
        if look is not None and reading is not None:
            self._place.setText(f"{frame_clock(look.frame, Fraction(reading.rate.nominal))}   frame {look.frame}")
        else:
            self._place.setText("")
        self._show()

    def show_unread(self, look: FirstLook | None) -> None:
        """A picture of a take that was not read yet; only whole."""
        self._look = self._reading = None
        self._modes.button(0).setChecked(True)
        self._show()
        for mode in self._modes.buttons():
            mode.setVisible(look is None)
        self._place.setText("")
        if look is not None and look.picture is not None:
            self.whole.show_image(image_from_rgb(look.picture), look.shape)
            self._place.setText(f"{clock(look.at)}   not read yet")

    @property
    def shape(self) -> Fraction:
        """Display shape, turned as the file says."""
        if self._reading is None:
            return Fraction(4, 3)
        shape = Fraction(self._reading.geometry.display_aspect)
        return 1 / shape if self._reading.rotation in {90, 270} else shape

    def _changed(self) -> None:
        self._show()
        self.mode_changed.emit(self.mode)

    def _show(self) -> None:
        mode, look = self.mode, self._look
        self.whole.setVisible(mode in {"whole", "difference"})
        for one in (self.top, self.bottom):
            one.setVisible(mode == "fields")
        for scope in (self.waveform, self.vector, self.histogram):
            scope.setVisible(mode == "scopes")
        if look is None:
            for one in (self.whole, self.top, self.bottom):
                one.show_image(None)
            self.whole.show_outline(None)
            return
        if mode == "fields":
            self.top.show_image(image_from_rgb(look.picture[0::2]), self.shape)
            self.bottom.show_image(image_from_rgb(look.picture[1::2]), self.shape)
        elif mode == "scopes":
            for view in (self.waveform, self.vector, self.histogram):
                view.show_scopes(look.scopes)
        else:
            shown = look.picture if mode == "whole" or look.difference is None else look.difference
            self.whole.show_image(image_from_rgb(shown), self.shape)
            self.whole.show_outline(self._outline(look))

    def _outline(self, look: CloseLook) -> QRectF | None:
        """Where the close-up lies, as parts of the picture; none for turned pictures."""
        if self._reading is None or self._reading.rotation:
            return None
        lines, columns = look.picture.shape[:2]
        left, top, width, height = look.box
        return QRectF(left / columns, top / lines, width / columns, height / lines)
