"""One picture of the player with its foot; two of them can share one place, divided by a line that follows the mouse."""

from __future__ import annotations

from fractions import Fraction

from PySide6.QtGui import QImage
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from yomikomi.core.playing.player import Shown
from yomikomi.ui.widgets.basics import ElidedLabel, Well, label
from yomikomi.ui.widgets.pictures import PictureView


class Pane(Well):
    def __init__(self, words: str) -> None:
        super().__init__()
        self.view = PictureView(empty="…")
        self.shape: Fraction | None = None
        self.words = ElidedLabel(words)
        self.rate = label(quiet=True, figure=True)
        self.heard = label("", quiet=True)
        self._held: dict[str, Shown] = {}  # images lie in their samples
        self.foot = QWidget()
        foot = QHBoxLayout(self.foot)
        foot.setContentsMargins(0, 0, 0, 0)
        foot.addWidget(self.words, 1)
        foot.addWidget(self.heard)
        foot.addWidget(self.rate)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addWidget(self.view, 1)
        layout.addWidget(self.foot)

    def put(self, shown: Shown) -> None:
        self.view.show_image(_image(shown), self.shape)
        self._held["own"] = shown

    def put_other(self, shown: Shown) -> None:
        """The picture at the right of the dividing line."""
        self.view.show_wiped(_image(shown))
        self._held["other"] = shown

    def end_wipe(self) -> None:
        self.view.show_wiped(None)
        self._held.pop("other", None)

    @property
    def shown(self) -> Shown | None:
        """What was put here last."""
        return self._held.get("own")


def _image(shown: Shown) -> QImage:
    height, width = shown.samples.shape[:2]
    return QImage(shown.samples.data, width, height, 4 * width, QImage.Format.Format_RGB32)
