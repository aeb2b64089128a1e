"""Labels, buttons, cards and wells in the house's style."""

from __future__ import annotations

import html
from collections.abc import Callable, Iterable
from typing import TypeVar

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import (
    QDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from yomikomi.ui import theme
from yomikomi.ui.icons import icon

W = TypeVar("W", bound=QWidget)


def plain_tip(words: str) -> str:
    """A tooltip that shows its words as they are: Qt would take those of a title for mark-up."""
    if "<" not in words and "&" not in words:
        return words
    return f"<span>{html.escape(words)}</span>".replace("\n", "<br>")


def label(words: str = "", *, name: str = "", quiet: bool = False, figure: bool = False, wrap: bool = False) -> QLabel:
    made = QLabel(words)
    made.setObjectName(name)
    made.setProperty("quiet", quiet)
    made.setProperty("figure", figure)
    made.setWordWrap(wrap)
    made.setTextFormat(Qt.TextFormat.PlainText)
    return made


def button(words: str, on_click: Callable[[], object], *, primary: bool = False, link: bool = False, tip: str = "") -> QPushButton:
    made = QPushButton(words)
    made.setProperty("primary", primary)
    made.setProperty("link", link)
    made.setToolTip(plain_tip(tip))
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    made.setAutoDefault(False)
    made.clicked.connect(lambda _checked=False: on_click())
    return made


def menu_button(words: str, entries: Iterable[tuple[str, Callable[[], object]]]) -> QToolButton:
    """What is done seldom, in a menu; all of it is in the go-to box too."""
    made = QToolButton()
    made.setText(words)
    made.setIcon(icon("chevron-down", theme.INK))
    made.setIconSize(QSize(14, 14))
    made.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
    made.setLayoutDirection(Qt.LayoutDirection.RightToLeft)
    made.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
    menu = QMenu(made)
    for entry, does in entries:
        menu.addAction(entry, does)
    made.setMenu(menu)
    return made


def restyle(widget: QWidget, **properties: object) -> None:
    """Set properties that the style sheet looks at, and have it look."""
    if all(widget.property(name) == value for name, value in properties.items()):
        return
    for name, value in properties.items():
        widget.setProperty(name, value)
    widget.style().unpolish(widget)
    widget.style().polish(widget)


class Sentence(QWidget):
    """The head of a station: one sentence, and under it what it rests on."""

    def __init__(self) -> None:
        super().__init__()
        self._head, self._basis = ElidedLabel(), ElidedLabel()
        for one, name in ((self._head, "headline"), (self._basis, "basis")):
            one.setObjectName(name)
            one.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self._head)
        layout.addWidget(self._basis)

    def say(self, head: str, basis: str = "") -> None:
        self._head.say(head)
        self._basis.say(basis)

    @property
    def text(self) -> str:
        return self._head.whole

    @property
    def basis(self) -> str:
        return self._basis.whole


class MarkShape(QWidget):
    """A state by shape: disc fine, triangle check, square fault, open diamond undetermined."""

    _COLOURS = {"fine": theme.PINE, "check": theme.AMBER, "fault": theme.MADDER, "undetermined": theme.MUTED}

    def __init__(self, mark: str = "fine") -> None:
        super().__init__()
        self.setFixedSize(14, 14)
        self.mark = mark
        self.show_mark(mark)

    def show_mark(self, mark: str) -> None:
        self.mark = mark
        self.setToolTip(mark)
        self.setAccessibleName(mark)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        draw_mark(painter, QRectF(1, 1, 12, 12), self.mark)


def draw_mark(painter: QPainter, place: QRectF, mark: str) -> None:
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    colour = QColor(MarkShape._COLOURS.get(mark, theme.MUTED))
    painter.setBrush(colour)
    painter.setPen(Qt.PenStyle.NoPen)
    centre = place.center()
    if mark == "fine":
        painter.drawEllipse(place.adjusted(1, 1, -1, -1))
    elif mark == "check":
        painter.drawPolygon(QPolygonF([QPointF(centre.x(), place.top()), place.bottomRight(), place.bottomLeft()]))
    elif mark == "fault":
        painter.drawRect(place.adjusted(1, 1, -1, -1))
    else:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 1.6))
        painter.drawPolygon(
            QPolygonF(
                [
                    QPointF(centre.x(), place.top()), QPointF(place.right(), centre.y()),
                    QPointF(centre.x(), place.bottom()), QPointF(place.left(), centre.y()),
                ]
            )
        )  # fmt: skip
    painter.restore()


class Card(QFrame):
    """A light card that can be chosen with mouse or keyboard."""

    chosen = Signal()

    def __init__(self, *, choosable: bool = True) -> None:
        super().__init__()
        self.setProperty("card", True)
        self.setProperty("chosen", False)
        self._choosable = choosable
        if choosable:
            self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(13, 9, 13, 9)
        self.body.setSpacing(3)

    def mark_chosen(self, on: bool) -> None:
        restyle(self, chosen=on)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._choosable and event.button() == Qt.MouseButton.LeftButton:
            self.chosen.emit()
        super().mousePressEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._choosable and event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space}:
            self.chosen.emit()
        else:
            super().keyPressEvent(event)


class Well(QFrame):
    """A neutral dark surface for everything that is looked at."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("well", True)


def row(*widgets: QWidget | int, spacing: int = 8) -> QHBoxLayout:
    """Widgets side by side; an int is a stretch of that weight."""
    made = QHBoxLayout()
    made.setContentsMargins(0, 0, 0, 0)
    made.setSpacing(spacing)
    for one in widgets:
        if isinstance(one, int):
            made.addStretch(one)
        else:
            made.addWidget(one)
    return made


def beside(*widgets: QWidget | int) -> QWidget:
    """The same as one widget, for a row of a form."""
    holder = QWidget()
    holder.setLayout(row(*widgets))
    return holder


def number_box(name: str, least: int, most: int, *, step: int = 1, suffix: str = "") -> QSpinBox:
    """A whole number. ``name``: what it is called where it is not seen."""
    box = QSpinBox()
    box.setRange(least, most)
    box.setSingleStep(step)
    box.setSuffix(suffix)
    box.setAccessibleName(name)
    theme.inset(box)
    return box


def side_panel(width: int, *, spacing: int = 10) -> tuple[QWidget, QVBoxLayout]:
    """A column of fixed width at the right of a station, and the layout to fill it."""
    panel = QWidget()
    panel.setFixedWidth(width)
    layout = QVBoxLayout(panel)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(spacing)
    return panel, layout


def form_body(dialog: QDialog, title: str, *, width: int) -> QVBoxLayout:
    """A dialog that sets one thing: named in its bar and at its head; what it asks for is added below."""
    dialog.setWindowTitle(title)
    dialog.setMinimumWidth(width)
    layout = QVBoxLayout(dialog)
    layout.setContentsMargins(24, 20, 24, 20)
    layout.setSpacing(10)
    layout.addWidget(label(title, name="section"))
    return layout


class CardColumn(QVBoxLayout):
    """Widgets under one another that are put anew when what they show changed."""

    def __init__(self) -> None:
        super().__init__()
        self.setContentsMargins(0, 0, 0, 0)
        self.setSpacing(8)

    def clear(self) -> None:
        while (item := self.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()

    def all_of(self, kind: type[W]) -> list[W]:
        """The widgets of one kind, from the top."""
        items = (self.itemAt(place) for place in range(self.count()))
        widgets = (item.widget() for item in items if item is not None)
        return [widget for widget in widgets if isinstance(widget, kind)]


def scrolled(column: CardColumn) -> QScrollArea:
    """A column of cards that scrolls when there are more than fit."""
    holder = QWidget()
    holder.setLayout(column)
    return scrolled_widget(holder)


def scrolled_widget(holder: QWidget) -> QScrollArea:
    """A widget that scrolls up and down when it does not fit."""
    scroll = QScrollArea()
    scroll.setWidgetResizable(True)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    scroll.setWidget(holder)
    return scroll


class ElidedLabel(QLabel):
    """A line that ends in … when there is no room, with the whole text as a tooltip."""

    def __init__(self, words: str = "", *, middle: bool = False) -> None:
        super().__init__()
        self._whole = words
        self._mode = Qt.TextElideMode.ElideMiddle if middle else Qt.TextElideMode.ElideRight
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.say(words)

    def say(self, words: str) -> None:
        self._whole = words
        self.setToolTip(plain_tip(words))
        self._fit()

    @property
    def whole(self) -> str:
        """All of it, however much is shown."""
        return self._whole

    def minimumSizeHint(self) -> QSize:
        return QSize(20, super().minimumSizeHint().height())

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        self._fit()

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._fit()

    def _fit(self) -> None:
        self.setText(self.fontMetrics().elidedText(self._whole, self._mode, max(10, self.width())))
