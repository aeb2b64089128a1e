"""What was found on a path, under its drawing, with a link that follows a remedy where that is a setting."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from yomikomi.core.path.findings import Finding, SetOption
from yomikomi.core.path.trace import Trace
from yomikomi.ui.widgets.basics import CardColumn, MarkShape, button, label, row, scrolled

_ORDER = {"break": 0, "degrade": 1, "risk": 2, "note": 3}
_MARKS = {"break": "fault", "degrade": "check", "risk": "check", "note": "undetermined"}
_HEIGHT_PX = 60


class FindingsStrip(QWidget):
    """Emits ``mend`` with the Finding whose remedy is to be followed."""

    mend = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._lines = CardColumn()
        self._lines.setSpacing(2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(scrolled(self._lines))
        self.setFixedHeight(_HEIGHT_PX)

    def show_trace(self, traced: Trace | None) -> None:
        """The gravest first."""
        self._lines.clear()
        found = sorted(traced.findings, key=lambda one: _ORDER[one.weight]) if traced else []
        for finding in found:
            self._lines.addWidget(self._line(finding))
        if traced is not None and not found:
            self._lines.addWidget(label("Nothing on this path spoils picture or sound.", quiet=True))
        self._lines.addStretch(1)

    def _line(self, finding: Finding) -> QWidget:
        line = QWidget()
        parts: list[QWidget | int] = [MarkShape(_MARKS[finding.weight]), label(f"{finding.cause} {finding.remedy}", wrap=True)]
        if any(isinstance(change, SetOption) for change in finding.changes):
            parts.append(button("Set it so", lambda: self.mend.emit(finding), link=True, tip="Follow this remedy"))
        inner = row(*parts)
        inner.setContentsMargins(12, 0, 12, 0)
        inner.setStretch(1, 1)
        line.setLayout(inner)
        return line
