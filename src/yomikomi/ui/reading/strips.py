"""The evidence over time: strips on one time axis, with zoom and a selection; a click shows the frame."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QWheelEvent
from PySide6.QtWidgets import QApplication

from yomikomi.core.reading.models import Reading
from yomikomi.core.video.timecode import clock
from yomikomi.ui.reading.strip_painting import Places, StripPainter
from yomikomi.ui.widgets.basics import Well
from yomikomi.ui.widgets.speaking import Voice

# Zooming by a key makes the span so many times smaller or larger; a notch of the wheel by this root of it.
_ZOOM, _WHEEL = 2.0, 1.25
_SHORTEST_S = 0.2


class EvidenceStrips(Well):
    """Emits ``frame_chosen`` with a frame number, ``selected`` with (first, last) or None, and what keys ask for otherwise."""

    frame_chosen = Signal(int)
    selected = Signal(object)
    next_place = Signal(int)
    turn_view = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Evidence over time; left and right step frames")
        self.setToolTip(
            "Left, Right: a frame · with Shift: a second · Page: a screenful · wheel, + and −: zoom · drag: along the take · S: begin or"
            " end a selection · Z: zoom to it · Esc: let it go · N, P: next and previous place · V: another view"
        )
        self._voice = Voice(self)
        self._reading: Reading | None = None
        self._painter: StripPainter | None = None
        self._drawn: tuple[Places, QPixmap] | None = None
        self._span = (0.0, 1.0)
        self._frame = 0
        self._from: int | None = None
        self._pressed: tuple[float, tuple[float, float]] | None = None
        self.selection: tuple[int, int] | None = None

    def show_reading(self, reading: Reading | None) -> None:
        """Draw a reading's strips; None clears."""
        self._reading = reading
        self._painter = StripPainter(reading) if reading is not None else None
        self._drawn = None
        self._span = (0.0, self._painter.seconds if self._painter is not None else 1.0)
        self.select(None)
        self.update()

    @property
    def span(self) -> tuple[float, float]:
        """Seconds that are shown."""
        return self._span

    @property
    def places(self) -> Places:
        """Where its rows are."""
        return Places(self.width(), self.height(), *self._span)

    @property
    def frame(self) -> int:
        return self._frame

    def show_frame(self, frame: int) -> None:
        self._frame = frame
        if self._reading is not None:
            at, (low, high) = self._seconds(frame), self._span
            if not low <= at <= high:
                self._show_span(at - (high - low) / 2, at + (high - low) / 2)
            self._voice.say(f"frame {frame}, {clock(at)}")
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._reading is None:
            super().keyPressEvent(event)
            return
        second = max(1, round(Fraction(self._reading.rate.nominal)))
        wide = second if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        page = max(1, round(self._span_frames() * 0.9))
        steps = {Qt.Key.Key_Left: -wide, Qt.Key.Key_Right: wide, Qt.Key.Key_PageUp: -page, Qt.Key.Key_PageDown: page}
        places = {Qt.Key.Key_Home: 0, Qt.Key.Key_End: self._reading.frames - 1}
        does: dict[Qt.Key, Callable[[], object]] = {
            Qt.Key.Key_Plus: lambda: self.zoom(1 / _ZOOM), Qt.Key.Key_Equal: lambda: self.zoom(1 / _ZOOM),
            Qt.Key.Key_Minus: lambda: self.zoom(_ZOOM), Qt.Key.Key_S: self.mark_selection, Qt.Key.Key_Z: self.zoom_to_selection,
            Qt.Key.Key_Escape: lambda: self.select(None), Qt.Key.Key_V: self.turn_view.emit,
            Qt.Key.Key_N: lambda: self.next_place.emit(1), Qt.Key.Key_P: lambda: self.next_place.emit(-1),
        }  # fmt: skip
        key = Qt.Key(event.key())
        if key in steps:
            self.choose(self._frame + steps[key])
        elif key in places:
            self.choose(places[key])
        elif key in does:
            does[key]()
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self._reading is not None and event.angleDelta().y():
            self._zoom_at(self.places.seconds(event.position().x()), _WHEEL ** (-event.angleDelta().y() / 120))
            event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._reading is not None and event.button() == Qt.MouseButton.LeftButton:
            self._pressed = (event.position().x(), self._span)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Along the take, once it was dragged farther than a hand trembles."""
        if self._pressed is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        begun, (low, high) = self._pressed
        if self._dragging or abs(event.position().x() - begun) >= QApplication.startDragDistance():
            by = (begun - event.position().x()) / self.places.wide * (high - low)
            self._show_span(low + by, high + by)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None and self._reading is not None and not self._dragging:
            at = self.places.seconds(event.position().x())
            self.choose(int(at * Fraction(self._reading.rate.nominal)))
        self._pressed = None

    @property
    def _dragging(self) -> bool:
        return self._pressed is not None and self._pressed[1] != self._span

    def zoom(self, factor: float) -> None:
        """Make the span shown so many times as long, around the frame shown."""
        low, high = self._span
        at = self._seconds(self._frame)
        self._zoom_at(at if low <= at <= high else (low + high) / 2, factor)

    def _zoom_at(self, at: float, factor: float) -> None:
        low, high = self._span
        self._show_span(at - (at - low) * factor, at + (high - at) * factor)

    def _show_span(self, low: float, high: float) -> None:
        """As much of it as there is."""
        whole = self._painter.seconds if self._painter is not None else 1.0
        wide = min(whole, max(_SHORTEST_S, high - low))
        low = min(max(0.0, low), whole - wide)
        self._span = (low, low + wide)
        self.update()

    def mark_selection(self) -> None:
        """The first time the selection begins at the frame shown, the second time it ends there."""
        if self._from is None:
            self._from = self._frame
            self.select((self._frame, self._frame), open_end=True)
        else:
            self.select((min(self._from, self._frame), max(self._from, self._frame)))

    def select(self, frames: tuple[int, int] | None, *, open_end: bool = False) -> None:
        """Mark frames, the last included; None marks nothing."""
        if not open_end:
            self._from = None
        self.selection = frames
        self.selected.emit(frames)
        self.update()

    def zoom_to_selection(self) -> None:
        """Fill the width with the selection; without one, with all there is."""
        if self._reading is None:
            return
        first, last = self.selection or (0, self._reading.frames - 1)
        low, high = self._seconds(first), self._seconds(last + 1)
        self._show_span(low - (high - low) * 0.01, high + (high - low) * 0.01)

    def _seconds(self, frame: int) -> float:
        return float(frame / Fraction(self._reading.rate.nominal)) if self._reading is not None else 0.0

    def _span_frames(self) -> float:
        low, high = self._span
        return float((high - low) * Fraction(self._reading.rate.nominal)) if self._reading is not None else 1.0

    def choose(self, frame: int) -> None:
        if self._reading is not None:
            frame = max(0, min(self._reading.frames - 1, frame))
            self.show_frame(frame)
            self.frame_chosen.emit(frame)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self._painter is None:
            return
        painter, places = QPainter(self), self.places
        painter.drawPixmap(0, 0, self._picture(self._painter, places))
        top, bottom = places.rows["kind"].top(), places.rows["sound"].bottom()
        painter.setClipRect(QRectF(places.left, 0, places.wide, places.height))
        if self.selection is not None:
            first, end = places.x(self._seconds(self.selection[0])), places.x(self._seconds(self.selection[1] + 1))
            painter.fillRect(QRectF(first, top, end - first, bottom - top), QColor(255, 255, 255, 38))
            painter.setPen(QPen(QColor("white"), 1))
            for x in (first, end):
                painter.drawLine(QPointF(x, top), QPointF(x, bottom))
        painter.setPen(QPen(QColor("white"), 1))
        x = places.x(self._seconds(self._frame))
        painter.drawLine(QPointF(x, top), QPointF(x, bottom))

    def _picture(self, strips: StripPainter, places: Places) -> QPixmap:
        """The rows; drawn anew only for another span or size: the line that marks a frame moves all the time."""
        if self._drawn is None or self._drawn[0] != places:
            scale = self.devicePixelRatioF()
            picture = QPixmap(round(places.width * scale), round(places.height * scale))
            picture.setDevicePixelRatio(scale)
            picture.fill(Qt.GlobalColor.transparent)
            painter = QPainter(picture)
            strips.draw(painter, places)
            painter.end()
            self._drawn = (places, picture)
        return self._drawn[1]
