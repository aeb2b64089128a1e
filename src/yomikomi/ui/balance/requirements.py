"""What a person asks of a copy: how large it may be, what may be seen of the loss, where it is watched, effort and format."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QLineEdit, QVBoxLayout, QWidget

from yomikomi.core.balance.viewing import STEPS, VIEWINGS, FidelityStep, Viewing
from yomikomi.core.recipes.codecs import EFFORTS
from yomikomi.core.work.text import capital
from yomikomi.ui.kept import read_kept
from yomikomi.ui.widgets.basics import label, row

# Asked for by name; “annoying” is nobody's wish.
_OFFERED = STEPS[:4]


class Requirements(QWidget):
    """Signals: ``limit_typed`` and ``container_chosen``; ``judged_otherwise`` when the wanted fidelity or the way of watching is
    another, which is then kept."""

    limit_typed = Signal()
    container_chosen = Signal()
    judged_otherwise = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.limit_line = QLineEdit()
        self.limit_line.setPlaceholderText("no limit")
        self.limit_line.setToolTip("The most that the copy may take: 4.7GB, 700 MB; empty for no limit. The line can be dragged too.")
        self.limit_line.setAccessibleName("Size limit")
        self.limit_line.editingFinished.connect(self.limit_typed)
        kept = read_kept("balance")
        steps = [(step.key, capital(step.words)) for step in _OFFERED]
        self.wanted_box = _choices(steps, "Difference that may be seen", kept.get("wanted"))
        self.wanted_box.setToolTip("The most that may be seen of what the copy loses; noise is counted apart")
        self.viewing_box = _choices([(one, capital(one)) for one in VIEWINGS], "Watched on", kept.get("viewing"))
        self.viewing_box.setToolTip("Seen from near, more is seen: four picture heights away, 2.2 at a desk, 5 on a phone")
        self.effort = _choices([(key, capital(words)) for key, words in EFFORTS.items()], "Effort of the encoders", "medium")
        self.effort.setToolTip("How much time the encoders take: more effort makes smaller files")
        self.container = QComboBox()
        self.container.addItem("MP4, AAC sound", ("mp4", "aac"))
        self.container.addItem("Matroska, Opus sound", ("mkv", "opus"))
        self.container.setToolTip("MP4 plays nearly everywhere")
        self.container.setAccessibleName("Container and sound")
        self.container.currentIndexChanged.connect(self.container_chosen)
        for box in (self.wanted_box, self.viewing_box):
            box.currentIndexChanged.connect(self.judged_otherwise)
        lines = QVBoxLayout(self)
        lines.setContentsMargins(0, 0, 0, 0)
        for words, field in (
            ("Size limit", self.limit_line), ("Difference", self.wanted_box), ("Watched on", self.viewing_box),
            ("Effort", self.effort), ("Format", self.container),
        ):  # fmt: skip
            caption = label(words)
            caption.setFixedWidth(76)
            lines.addLayout(row(caption, field))

    @property
    def wanted(self) -> FidelityStep:
        return next(step for step in _OFFERED if step.key == self.wanted_box.currentData())

    @property
    def viewing(self) -> Viewing:
        return next(one for one in VIEWINGS if one == self.viewing_box.currentData())

    @property
    def document(self) -> dict[str, object]:
        """What is kept of it for the next time."""
        return {"wanted": self.wanted.key, "viewing": self.viewing}


def _choices(words: Iterable[tuple[str, str]], name: str, chosen: object) -> QComboBox:
    box = QComboBox()
    for key, one in words:
        box.addItem(one, key)
    box.setCurrentIndex(max(0, box.findData(chosen)))
    box.setAccessibleName(name)
    return box
