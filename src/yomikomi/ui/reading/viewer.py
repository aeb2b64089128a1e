"""A frame of the take: whole, or both fields apart."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QToolButton, QVBoxLayout

from yomikomi.core.reading.models import Reading
from yomikomi.core.video.picture_at import frame_at
from yomikomi.core.video.planes import rgb
from yomikomi.core.video.timecode import frame_clock
from yomikomi.ui.widgets.basics import Well, label
from yomikomi.ui.widgets.pictures import PictureView, image_from_rgb


@dataclass(frozen=True)
class FrameRequest:
    path: Path
    reading: Reading
    frame: int


def fetch(request: FrameRequest) -> NDArray[np.uint8]:
    """The frame as RGB, storage samples, turned as its file says. Runs in a thread."""
    reading = request.reading
    found = frame_at(request.path, frame=request.frame, rate=Fraction(reading.rate.nominal), first_seconds=Fraction(reading.first_seconds))
    return np.ascontiguousarray(np.rot90(rgb(found), reading.rotation // 90))


class FrameViewer(Well):
    """Pictures are handed in; the mode decides how they are shown."""

    def __init__(self) -> None:
        super().__init__()
        self._samples: NDArray[np.uint8] | None = None
        self._shape = Fraction(4, 3)
        self.whole = PictureView(empty="Read the take to see its frames.")
        self.top, self.bottom = PictureView(), PictureView()
        self.top.caption, self.bottom.caption = "top field", "bottom field"
        self._place = label("", figure=True)
        self._modes = QButtonGroup(self)
        modes = QHBoxLayout()
        modes.setSpacing(4)
        for number, words in enumerate(("whole", "fields apart")):
            mode = QToolButton()
            mode.setText(words)
            mode.setCheckable(True)
            mode.setProperty("well", True)
            mode.setToolTip(f"Show the frame {words}" if number else "Show the whole frame")
            self._modes.addButton(mode, number)
            modes.addWidget(mode)
        self._modes.button(0).setChecked(True)
        self._modes.idClicked.connect(lambda _id: self._show())
        pictures = QHBoxLayout()
        pictures.setSpacing(6)
        for one in (self.whole, self.top, self.bottom):
            pictures.addWidget(one)
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
        return ("whole", "fields")[self._modes.checkedId()]

    def show_frame(self, samples: NDArray[np.uint8] | None, *, frame: int = 0, reading: Reading | None = None) -> None:
        self._samples = samples
        if reading is not None:
            self._shape = Fraction(reading.geometry.display_aspect)
            if reading.rotation in {90, 270}:
                self._shape = 1 / self._shape
            self._place.setText(f"{frame_clock(frame, Fraction(reading.rate.nominal))}   frame {frame}")
        else:
            self._place.setText("")
        self._show()

    def _show(self) -> None:
        apart = self.mode == "fields"
        self.whole.setVisible(not apart)
        self.top.setVisible(apart)
        self.bottom.setVisible(apart)
        if self._samples is None:
            for one in (self.whole, self.top, self.bottom):
                one.show_image(None)
        elif apart:
            self.top.show_image(image_from_rgb(self._samples[0::2]), self._shape)
            self.bottom.show_image(image_from_rgb(self._samples[1::2]), self._shape)
        else:
            self.whole.show_image(image_from_rgb(self._samples), self._shape)
