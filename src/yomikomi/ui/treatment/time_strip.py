"""The take along its time: what was measured, what is kept of it, and what of the treatment can be moved there."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QMenu, QSizePolicy

from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.on_time import Handle, OnTime
from yomikomi.core.treatment.steps import PartKind
from yomikomi.core.video.timecode import clock
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import Well
from yomikomi.ui.widgets.speaking import Voice

# Pixels: at both sides, and the bands from the top.
_SIDE, _PARTS_HIGH, _CURVE_HIGH, _FOOT_HIGH = 10, 15, 26, 16
_GRAB = 5
_PART_LOOK = {
    "film": theme.OKABE_ITO["green"], "progressive": theme.OKABE_ITO["sky"], "interlaced": theme.OKABE_ITO["orange"],
}  # fmt: skip
# Keys step by so many seconds, with Shift by ten times as many.
_STEP_S = 1.0


class TimeStrip(Well):
    """Emits ``looked`` with a second of the take to look at, and ``changed`` with another treatment."""

    looked = Signal(float)
    changed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._on: OnTime | None = None
        self._reading: Reading | None = None
        self._at = 0.0
        self._handle: Handle | None = None
        self._dragged: float | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("The take along its time")
        self._voice = Voice(self, pause_s=0)
        self._explain(None)

    def sizeHint(self) -> QSize:
        return QSize(300, _PARTS_HIGH + _CURVE_HIGH + _FOOT_HIGH + 12)

    def minimumSizeHint(self) -> QSize:
        return QSize(120, self.sizeHint().height())

    def show_of(self, reading: Reading | None, treatment: Treatment | None, seconds: float = 0.0) -> None:
        """``seconds``: the moment of the take that is looked at."""
        self._reading = reading
        self._on = OnTime(treatment, reading) if reading is not None and treatment is not None else None
        self._at, self._dragged = seconds, None
        handles = self._on.handles if self._on is not None else []
        chosen = self._handle
        self._handle = next((one for one in handles if chosen is not None and (one.kind, one.number) == (chosen.kind, chosen.number)), None)
        self._speak()
        self.update()

    @property
    def chosen(self) -> Handle | None:
        """The handle that keys move."""
        return self._handle

    # What a person does.

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._on is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._handle = self._near(event.position().x())
        if self._handle is not None:
            self._dragged = self._handle.seconds
        self._speak()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._on is None:
            return
        if self._dragged is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._dragged = self._seconds_at(event.position().x())
            self.update()
            return
        near = self._near(event.position().x())
        self.setCursor(Qt.CursorShape.SizeHorCursor if near is not None else Qt.CursorShape.PointingHandCursor)
        self._explain(near)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._on is None or event.button() != Qt.MouseButton.LeftButton:
            return
        dragged, self._dragged = self._dragged, None
        if self._handle is None:
            self._look(self._seconds_at(event.position().x()))
        elif dragged is not None and dragged != self._handle.seconds:
            self.changed.emit(self._on.moved(self._handle, dragged))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if self._on is not None:
            by_mouse = event.reason() == QContextMenuEvent.Reason.Mouse
            self.menu_at(self._seconds_at(event.pos().x()) if by_mouse else self._at).popup(event.globalPos())

    def menu_at(self, seconds: float) -> QMenu:
        """What can be done at a moment."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        on = self._on
        assert on is not None
        near = self._near(self._x(seconds))
        entries: list[tuple[str, Callable[[], Treatment]]] = [
            (f"In here, {clock(seconds)}\tI", partial(on.begun, seconds)), ("Out here\tO", partial(on.ended, seconds)),
            ("Cut out from here\tC", partial(on.cut, seconds)), ("Split here\tS", partial(on.split, seconds)),
        ]  # fmt: skip
        if on.parts_offered:
            kinds: tuple[PartKind, ...] = ("film", "progressive", "interlaced")
            entries += [(f"From here on: {kind}", partial(on.made_as, kind, seconds)) for kind in kinds]
        if near is not None:
            entries.append((f"Remove: {near.words}\tDel", partial(on.removed, near)))
        for words, make in entries:
            menu.addAction(words).triggered.connect(lambda _=False, make=make: self.changed.emit(make()))
        return menu

    def keyPressEvent(self, event: QKeyEvent) -> None:
        on, key = self._on, Qt.Key(event.key())
        if on is None:
            super().keyPressEvent(event)
            return
        ways = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        makes = {Qt.Key.Key_I: on.begun, Qt.Key.Key_O: on.ended, Qt.Key.Key_C: on.cut, Qt.Key.Key_S: on.split}
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if key in ways and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            if self._handle is not None:
                self.changed.emit(on.moved(self._handle, self._handle.seconds + ways[key] * (_STEP_S if shift else on.frame_s)))
        elif key in ways:
            self._look(self._at + ways[key] * _STEP_S * (10 if shift else 1))
        elif key in makes and not event.modifiers():
            self.changed.emit(makes[key](self._at))
        elif key in {Qt.Key.Key_Comma, Qt.Key.Key_Period}:
            self._choose_next(-1 if key == Qt.Key.Key_Comma else 1)
        elif key == Qt.Key.Key_Delete and self._handle is not None:
            self.changed.emit(on.removed(self._handle))
        elif key in {Qt.Key.Key_Home, Qt.Key.Key_End}:
            self._look(0.0 if key == Qt.Key.Key_Home else on.length)
        else:
            super().keyPressEvent(event)

    def _choose_next(self, way: int) -> None:
        assert self._on is not None
        handles = self._on.handles
        place = handles.index(self._handle) + way if self._handle in handles else (0 if way > 0 else -1)
        self._handle = handles[place % len(handles)]
        self._speak()
        self.update()

    def _look(self, seconds: float) -> None:
        assert self._on is not None
        self._at = max(0.0, min(seconds, self._on.length - self._on.frame_s))
        self.looked.emit(self._at)
        self.update()

    # Where things are.

    @property
    def _field(self) -> QRectF:
        return QRectF(_SIDE, 6, max(1, self.width() - 2 * _SIDE), _PARTS_HIGH + _CURVE_HIGH)

    def _x(self, seconds: float) -> float:
        field = self._field
        return field.left() + field.width() * seconds / max(1e-6, self._on.length if self._on is not None else 1.0)

    def _seconds_at(self, x: float) -> float:
        assert self._on is not None
        field = self._field
        return max(0.0, min(1.0, (x - field.left()) / field.width())) * self._on.length

    def _near(self, x: float) -> Handle | None:
        handles = self._on.handles if self._on is not None else []
        nearest = min(handles, key=lambda one: abs(self._x(one.seconds) - x), default=None)
        return nearest if nearest is not None and abs(self._x(nearest.seconds) - x) <= _GRAB else None

    def _explain(self, near: Handle | None) -> None:
        self.setToolTip(
            f"{near.words}: drag it" if near is not None else
            "Click: look there · drag in, out and borders · right button: cut, split, parts · keys: Left, Right, I, O, C, S; comma and "
            "period choose a handle, Ctrl+Left and Right move it, Del removes it"
        )  # fmt: skip

    def _speak(self) -> None:
        if self._on is None:
            self._voice.say("")
            return
        chosen = f"; chosen: {self._handle.words}" if self._handle is not None else ""
        handles = "; ".join(one.words for one in self._on.handles[:12])
        self._voice.say(f"at {clock(self._at)} of {clock(self._on.length)}; {handles}{chosen}")

    # What is drawn.

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self._on is None or self._reading is None:
            return
        painter = QPainter(self)
        self._draw_parts(painter, self._on)
        self._draw_curve(painter, self._reading)
        self._draw_gone(painter, self._on)
        self._draw_handles(painter, self._on)
        self._draw_foot(painter, self._on)

    def _draw_parts(self, painter: QPainter, on: OnTime) -> None:
        painter.setFont(theme.sans(10))
        top = self._field.top()
        for part in on.parts:
            place = QRectF(self._x(part.start), top, max(1.0, self._x(part.end) - self._x(part.start)), _PARTS_HIGH - 2)
            painter.fillRect(place, QColor(_PART_LOOK[part.kind]))
            if place.width() > painter.fontMetrics().horizontalAdvance(part.kind) + 8:
                painter.setPen(QColor(theme.ON_BRIGHT))
                painter.drawText(place, Qt.AlignmentFlag.AlignCenter, part.kind)
            elif place.width() > 9:
                painter.setPen(QColor(theme.ON_BRIGHT))
                painter.drawText(place, Qt.AlignmentFlag.AlignCenter, part.kind[0])

    def _draw_curve(self, painter: QPainter, reading: Reading) -> None:
        """How much moves, bin by bin; cuts between scenes stand far above all else and are clipped."""
        values = reading.strips.motion
        if not values:
            return
        field = self._field
        low = field.bottom()
        usual = sorted(values)[int(0.97 * (len(values) - 1))]
        columns = int(min(len(values), field.width()))
        most = [max(values[i * len(values) // columns : (i + 1) * len(values) // columns] or [0.0]) for i in range(columns)]
        points = [QPointF(field.left(), low)]
        for number, value in enumerate(most):
            high = (_CURVE_HIGH - 2) * min(1.0, value / max(1.0, usual))
            x = field.left() + field.width() * (number + 0.5) / columns
            points.append(QPointF(x, low - high))
        points.append(QPointF(field.right(), low))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.WELL_MUTED))
        painter.drawPolygon(QPolygonF(points))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, on=False)

    def _draw_gone(self, painter: QPainter, on: OnTime) -> None:
        """What is not kept: dark, with strokes."""
        edges = [0.0, *(edge for pair in on.kept for edge in pair), on.length]
        for begin, end in zip(edges[::2], edges[1::2], strict=True):
            place = QRectF(self._x(begin), self._field.top(), self._x(end) - self._x(begin), self._field.height())
            if place.width() >= 1:
                veil = QColor(theme.WELL)
                veil.setAlpha(190)
                painter.fillRect(place, veil)
                painter.fillRect(place, QBrush(QColor(theme.WELL_MUTED), Qt.BrushStyle.BDiagPattern))

    def _draw_handles(self, painter: QPainter, on: OnTime) -> None:
        field = self._field
        for one in on.handles:
            mine = self._handle == one
            x = self._x(self._dragged if mine and self._dragged is not None else one.seconds)
            painter.setPen(QPen(QColor(theme.WELL_TEXT), 2 if mine else 1))
            painter.setBrush(QColor(theme.OKABE_ITO["yellow"] if mine else theme.WELL_TEXT))
            if one.kind == "key":
                y = field.bottom() - 5
                painter.drawPolygon(QPolygonF([QPointF(x, y - 5), QPointF(x + 5, y), QPointF(x, y + 5), QPointF(x - 5, y)]))
                continue
            painter.drawLine(QPointF(x, field.top()), QPointF(x, field.bottom()))
            side = {"in": 7.0, "cut ends": 7.0, "out": -7.0, "cut begins": -7.0}.get(one.kind)
            if side is not None:  # a flag towards what is kept
                low = field.bottom()
                painter.drawPolygon(QPolygonF([QPointF(x, low), QPointF(x + side, low), QPointF(x, low - 9)]))
            elif one.kind == "split":
                painter.drawRect(QRectF(x - 3, field.bottom() - 7, 6, 6))

    def _draw_foot(self, painter: QPainter, on: OnTime) -> None:
        field, at = self._field, self._x(self._at)
        painter.setPen(QPen(QColor("white"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(at, field.top() - 3), QPointF(at, field.bottom() + 3))
        painter.setFont(theme.mono(10))
        painter.setPen(QColor(theme.WELL_TEXT))
        shown = self._dragged if self._dragged is not None else self._at
        words = clock(shown) if self._dragged is None or self._handle is None else f"{self._handle.words.rsplit(' ', 1)[0]} {shown:.2f} s"
        foot = QRectF(field.left(), field.bottom() + 2, field.width(), _FOOT_HIGH)
        wide = painter.fontMetrics().horizontalAdvance(words) + 4
        left = min(max(self._x(shown) - wide / 2, field.left()), field.right() - wide)
        painter.drawText(QRectF(left, foot.top(), wide, foot.height()), Qt.AlignmentFlag.AlignCenter, words)
        painter.setPen(QColor(theme.WELL_MUTED))
        ends = painter.fontMetrics().horizontalAdvance(clock(on.length)) + 12
        if left > field.left() + ends:
            painter.drawText(foot, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, clock(0))
        if left + wide < field.right() - ends:
            painter.drawText(foot, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, clock(on.length))
