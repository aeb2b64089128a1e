"""What was looked at before a run is left alone."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QDialog, QGridLayout, QWidget

from yomikomi.core.ledger.run_before import Line
from yomikomi.core.work.notices import Weight
from yomikomi.ui.widgets.basics import MarkShape, button, form_body, label, row


class BeforeBox(QDialog):
    def __init__(self, lines: Sequence[Line], parent: QWidget) -> None:
        super().__init__(parent)
        bad = sum(line.weight is not Weight.FINE for line in lines)
        layout = form_body(self, "Before the night", width=620)
        layout.addWidget(label("Nothing needs you." if not bad else f"{bad} of {len(lines)} lines need a look.", quiet=True))
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(7)
        grid.setColumnStretch(2, 1)
        order = [Weight.WRONG, Weight.LOOK, Weight.FINE]
        for place, line in enumerate(sorted(lines, key=lambda line: order.index(line.weight))):
            grid.addWidget(MarkShape(line.weight.value), place, 0)
            grid.addWidget(label(line.name), place, 1)
            grid.addWidget(label(f"{line.words} {line.remedy}".strip(), wrap=True, quiet=line.weight is Weight.FINE), place, 2)
        layout.addLayout(grid)
        layout.addSpacing(6)
        self.close_button = button("Close", self.accept, primary=True)
        layout.addLayout(row(1, self.close_button))
