"""Which subtitles are burned in, how large, and in which type."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QButtonGroup, QDialog, QDoubleSpinBox, QFileDialog, QLabel, QRadioButton, QWidget

from yomikomi.core.treatment.steps import BurnIn
from yomikomi.core.treatment.tracks import TrackInfo
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import ElidedLabel, button, form_body, label, row

_CAPTION = 110


def _caption(words: str) -> QLabel:
    made = label(words)
    made.setFixedWidth(_CAPTION)
    return made


class BurnForm(QDialog):
    """``step``: what is set, once it was accepted."""

    def __init__(self, found: list[TrackInfo], now: BurnIn, parent: QWidget) -> None:
        super().__init__(parent)
        self.step, self._font = now, now.font
        layout = form_body(self, BurnIn.title, width=420)
        layout.addWidget(
            label("They become part of the picture: never to be switched off or removed. The take keeps its track.", quiet=True, wrap=True)
        )
        self.group = QButtonGroup(self)
        for one in found:
            choice = QRadioButton(one.words)
            choice.setChecked(one.number == now.track)
            self.group.addButton(choice, one.number)
            layout.addWidget(choice)
        if self.group.checkedId() < 0 and found:
            self.group.buttons()[0].setChecked(True)
        self.size_field = QDoubleSpinBox()
        self.size_field.setRange(2, 15)
        self.size_field.setDecimals(1)
        self.size_field.setSuffix(" % of the height")
        self.size_field.setValue(now.size)
        self.size_field.setAccessibleName("Size of the letters of text")
        theme.inset(self.size_field)
        layout.addLayout(row(_caption("Letters of text"), self.size_field, 1))
        self.font_words = ElidedLabel("", middle=True)
        type_row = row(_caption("Type"), self.font_words, button("Choose…", self._ask_font, link=True))
        type_row.setStretch(1, 1)
        layout.addLayout(type_row)
        self.accept_button = button("Set", self._accept, primary=True)
        layout.addLayout(row(1, button("Leave it", self.reject), self.accept_button))
        self.use_font(now.font)

    def use_font(self, file: str) -> None:
        """Empty: the program's own."""
        self._font = file
        self.font_words.say(Path(file).name if file else "the program's own")

    def _ask_font(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Type", "", "Fonts (*.ttf *.otf *.ttc)")
        if name:
            self.use_font(name)

    def _accept(self) -> None:
        self.step = BurnIn(track=self.group.checkedId(), size=self.size_field.value(), font=self._font)
        self.accept()
