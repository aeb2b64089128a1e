"""One carrier from intake to release, and a search over all of them."""

from __future__ import annotations

import html

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QStackedWidget,
    QTextBrowser,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.finder import Hit
from yomikomi.core.ledger.page_entry import SIGNS, CarrierPage, Entry
from yomikomi.ui import theme
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import MarkShape, button, label, row

_PAUSE_MS = 150  # between the last key and the search
_HIT = int(Qt.ItemDataRole.UserRole)


class CarrierPageView(QWidget):
    """``same_way``: a person wants the current carrier done as this one was."""

    same_way = Signal(int)

    def __init__(self, state: AppState) -> None:
        super().__init__()
        self._state = state
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search everything: a label, a device, what was wrong…")
        self.search.setAccessibleName("Search everything that was written down")
        self.search.setClearButtonEnabled(True)
        for clears in self.search.findChildren(QToolButton):
            clears.setToolTip("Clear the search")
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(_PAUSE_MS)
        self._pause.timeout.connect(self.seek)
        self.search.textChanged.connect(lambda _text: self._pause.start())
        self.search.returnPressed.connect(self.seek)
        self.found = label(quiet=True)
        self.page = QTextBrowser()
        self.page.setOpenLinks(False)
        self.page.setAccessibleName("All that was done with this carrier")
        self.hits = QListWidget()
        self.hits.setAccessibleName("What was found, the newest first")
        self.hits.setUniformItemSizes(True)
        self.hits.itemActivated.connect(self._go)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.page)
        self.stack.addWidget(self.hits)
        self.history = QPlainTextEdit()
        self.history.setReadOnly(True)
        self.history.setFont(theme.mono(theme.SMALL_PX))
        self.history.setAccessibleName("History")
        self.same_button = button("Do it the same way…", self._same, tip="The current carrier as the newest like it that is done")
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(label("History", name="section"))
        right.addWidget(self.history, 1)
        both = row(self.stack, spacing=20)
        both.setStretch(0, 3)
        both.addLayout(right, 2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addLayout(row(self.search, self.found, self.same_button))
        layout.addLayout(both, 1)

    def show_page(self, page: CarrierPage | None) -> None:
        self.same_button.setEnabled(page is not None)
        if page is None:
            self.page.setPlainText("Add a carrier on the Shelf; all that is done with it is told here.")
            self.history.setPlainText("")
            return
        self.page.setHtml(page_html(page))
        self.history.setPlainText("\n".join(f"{one.at[:16].replace('T', ' ')}  {one.words}" for one in page.history))

    def seek(self) -> None:
        """What holds all the words that stand in the field; without any the page is there again."""
        words = self.search.text().strip()
        if not words:
            self._show_hits(None)
            return
        try:
            self._show_hits(self._state.record.finder.find(words))
        except YomikomiError:
            self._show_hits([])

    def _show_hits(self, hits: list[Hit] | None) -> None:
        self.stack.setCurrentWidget(self.page if hits is None else self.hits)
        self.found.setText("" if hits is None else "nothing found" if not hits else f"{len(hits)} found, the newest first")
        self.hits.clear()
        if hits == []:
            empty = QListWidgetItem("No line of the record, and no carrier, holds all of these words. Try fewer, or only their beginnings.")
            empty.setFlags(Qt.ItemFlag.NoItemFlags)
            self.hits.addItem(empty)
        for hit in hits or []:
            item = QListWidgetItem(f"{hit.at[:10]}   {hit.label or '–'}   {hit.what}: {hit.words}")
            item.setData(_HIT, hit.carrier_id)
            item.setToolTip("Enter shows its page")
            self.hits.addItem(item)

    def _go(self, item: QListWidgetItem) -> None:
        carrier = item.data(_HIT)
        if carrier is not None:
            self.search.clear()
            self._show_hits(None)
            self._state.choose(carrier)

    def _same(self) -> None:
        view = self._state.current
        if view is not None:
            self.same_way.emit(view.id)


def page_html(page: CarrierPage) -> str:
    """Everything in it is escaped: titles and notes may hold anything."""
    return f"<table cellspacing='0' cellpadding='5' width='100%'>{''.join(_entry(one) for one in page.entries)}</table>"


def _entry(one: Entry) -> str:
    colour = MarkShape._COLOURS.get(one.mark, theme.MUTED)
    lines = "".join(f"<br><span style='color:{theme.MUTED}'>{html.escape(line)}</span>" for line in one.lines)
    return (
        f"<tr><td style='color:{theme.MUTED}; white-space:nowrap'>{one.at[:16].replace('T', ' ')}</td>"
        f"<td style='color:{colour}' title='{one.mark}'>{SIGNS[one.mark]}</td>"
        f"<td width='100%'><b>{html.escape(one.head)}</b>{lines}</td></tr>"
    )
