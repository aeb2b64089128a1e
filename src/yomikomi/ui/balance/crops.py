"""The hardest moment at 1:1 pixels: as it is, at the picked recipe's nearest trial, and at another."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from yomikomi.core.balance.curves import PlanePoint
from yomikomi.core.balance.models import TrialPoint, TrialSet
from yomikomi.core.balance.viewing import Viewing
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.video.timecode import frame_clock
from yomikomi.ui.widgets.basics import ElidedLabel, Well, label, row


class Crop(Well):
    def __init__(self) -> None:
        super().__init__()
        self.picture = QLabel()
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setMinimumHeight(172)
        self.words, self.figure = ElidedLabel(), label(figure=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 4)
        layout.setSpacing(3)
        layout.addWidget(self.picture, 1)
        foot = row(self.words, self.figure)
        foot.setContentsMargins(10, 0, 10, 0)
        foot.setStretch(0, 1)
        layout.addLayout(foot)

    def put(self, path: Path | None, words: str, figure: str) -> None:
        self.picture.setPixmap(QPixmap(str(path)) if path is not None and path.exists() else QPixmap())
        self.words.say(words)
        self.figure.setText(figure)


class Crops(QWidget):
    """Three of the same place, with a line above that says which; ``more`` stands at its right."""

    def __init__(self, more: QWidget) -> None:
        super().__init__()
        self.head = label(quiet=True)
        self.all = [Crop() for _ in range(3)]
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(row(self.head, 1, more))
        layout.addLayout(row(*self.all, spacing=10))

    def show_of(
        self, trials: TrialSet | None, folder: Path | None, picked: PlanePoint | None, *, rate: Fraction, viewing: Viewing
    ) -> None:
        """``rate``: of the take's frames."""
        measured = {(p.recipe.codec, p.recipe.file_words): p for p in trials.points if p.crop} if trials else {}
        if trials is None or folder is None or not measured or picked is None:
            self.head.setText("")
            for crop in self.all:
                crop.put(None, "", "")
            return
        recipe, size = picked.prediction.recipe, picked.size
        quiet = trials.without_noise
        near = min(measured.values(), key=lambda p: (p.recipe.codec != recipe.codec, abs(p.size_bytes.expected - size)))
        others = [p for p in measured.values() if p is not near]
        other = min(
            others, key=lambda p: (p.recipe.codec == recipe.codec, abs(p.size_bytes.expected - near.size_bytes.expected)), default=near
        )
        if quiet is not None and quiet.point.crop and picked.of_another_treatment:
            near, other = quiet.point, near
        hard = trials.hardest
        self.head.setText(f"Hardest moment, {frame_clock(hard.first_frame + hard.frames // 2, rate)} · same place, 1:1 pixels")
        self.all[0].put(folder / (trials.source_crop or ""), "treated take", "")
        for crop, point in ((self.all[1], near), (self.all[2], other)):
            without = ", without noise" if quiet is not None and point is quiet.point else ""
            crop.put(folder / (point.crop or ""), _name(point.recipe) + without, _seen(point, viewing))


def _name(recipe: Recipe) -> str:
    return f"{recipe.row.words} {recipe.level}" if recipe.row.highest_quality_number else recipe.words


def _seen(point: TrialPoint, viewing: Viewing) -> str:
    fidelity = point.fidelity(viewing)
    return f"{fidelity.value:.1f} dB" if fidelity else ""
