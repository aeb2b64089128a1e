"""The plane of size against fidelity: measured curves, a limit that can be dragged, points that tell and can be picked."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF

from yomikomi.core.balance.curves import PlanePoint, outermost
from yomikomi.core.balance.scales import Scale
from yomikomi.core.balance.sentences import NONE_SMALLER_TRIED, hardest_words, noise_words
from yomikomi.core.balance.viewing import STEPS
from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import bit_rate_text, size_text
from yomikomi.ui import theme
from yomikomi.ui.balance.axes import Span, draw_axes, log_size
from yomikomi.ui.balance.marks import clear_spot, draw_beside, draw_symbol, draw_told, star
from yomikomi.ui.widgets.basics import Well
from yomikomi.ui.widgets.speaking import Voice

# Pixels: within which a point or the line is meant; room at the sides for figures.
_PICK, _GRAB = 14, 6
_LEFT, _RIGHT, _TOP, _FOOT = 62, 18, 14, 46
# Shown at the least, so that both axes have figures: of sizes, as a part of ten times as much, and of fidelity.
_LEAST_DECADES, _LEAST_DB = 0.45, 4.0
_LIMIT, _BEST = "#E7A0A8", "#FFF3B0"


def tell(point: PlanePoint) -> str:
    """What a point says of itself, a few lines."""
    told = point.prediction
    size, seconds = told.size_bytes, told.encode_seconds
    how = ("without noise, " if point.of_another_treatment else "") + ("measured" if told.measured else "interpolated")
    fidelity = told.fidelity
    noise = noise_words(fidelity.noise_kept) if fidelity else ""
    kept = (fidelity.words if fidelity else "") + (f", {noise}" if noise else "")
    rate, hard = told.kbps, told.worst
    average = f" · {bit_rate_text(1000 * rate)}" if rate is not None else ""
    worst = f"\nhardest part, {hardest_words(hard)}" if hard is not None else ""
    return (
        f"{told.recipe.words}  ({how})\n"
        f"{size_text(size.expected)}  ({size_text(size.low)} – {size_text(size.high)}){average}\n"
        f"{spoken(seconds.expected)}  ({spoken(seconds.low)} – {spoken(seconds.high)})\n"
        f"{kept}\n"
        f"SSIM {told.quality.value:.1f} dB, PSNR {told.psnr_db:.1f} dB"
        f"{worst}"
    )


class BalancePlane(Well):
    """Signals: ``picked`` with a PlanePoint, ``marked`` with one that is to be compared, ``limit_dragged`` with bytes,
    ``scale_wanted`` when the axis of sizes is to say something else."""

    picked = Signal(object)
    marked = Signal(object)
    limit_dragged = Signal(float)
    scale_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        keys = "left and right move along the curves, Enter selects, C marks to compare, X says sizes otherwise"
        self.setAccessibleName(f"Size against fidelity; {keys}")
        self._voice = Voice(self, pause_s=0)
        self._plane: dict[str, list[PlanePoint]] = {}
        self._outside: dict[str, list[PlanePoint]] = {}
        self._names: dict[str, str] = {}
        self._beside: list[PlanePoint] = []
        self._hull: list[PlanePoint] = []
        self._points: list[PlanePoint] = []
        self._hovered: PlanePoint | None = None
        self._chosen: PlanePoint | None = None
        self._best: PlanePoint | None = None
        self._marked: list[PlanePoint] = []
        self._limit: float | None = None  # logarithm of bytes
        self._own: float | None = None  # as the limit
        self._threshold: float | None = None  # dB
        self._dragging = False
        self._scale = Scale()
        self._sizes, self._fidelity = Span(0, 1), Span(0, 1)

    def show_plane(
        self, plane: dict[str, list[PlanePoint]], outside: dict[str, list[PlanePoint]] | None = None, names: dict[str, str] | None = None,
        beside: Sequence[PlanePoint] = (),
    ) -> None:
        """``outside``: curves that are drawn, and cannot be chosen: no chosen outlet plays them. ``names``: of curves. ``beside``: points
        that lie on none."""
        self._plane, self._outside, self._names, self._beside = plane, outside or {}, names or {}, list(beside)
        self._points = [point for curve in plane.values() for point in curve] + self._beside
        self._hull = outermost([one for one in self._points if not one.of_another_treatment]) if len(plane) > 1 else []
        self._hovered = None
        shown = [*self._points, *(point for curve in self._outside.values() for point in curve)]
        if not self._points:
            self._chosen = self._best = None
        if shown:
            sizes, fidelity = [log_size(p.size) for p in shown], [p.fidelity for p in shown]
            spread, tall = max(_LEAST_DECADES, max(sizes) - min(sizes)), max(_LEAST_DB, max(fidelity) - min(fidelity))
            self._sizes = Span(min(sizes) - 0.06 * spread, max(sizes) + 0.12 * spread)
            self._fidelity = Span(min(fidelity) - 0.08 * tall, max(fidelity) + 0.12 * tall)
        self.update()

    def show_scale(self, scale: Scale) -> None:
        """What the axis of sizes says; of copies as long as those that are shown."""
        self._scale = scale
        self.update()

    def show_limit(self, limit_bytes: float | None) -> None:
        self._limit = None if limit_bytes is None else log_size(limit_bytes)
        self.update()

    def show_rules(self, own_bytes: float | None, threshold_db: float | None) -> None:
        """The size of the take itself: what is larger can only be worse; and from which detail on this person sees no difference."""
        self._own = None if own_bytes is None else log_size(own_bytes)
        self._threshold = threshold_db
        self.update()

    def show_chosen(self, point: PlanePoint | None, beside: list[PlanePoint] | None = None) -> None:
        """``beside``: points that are compared with it."""
        self._chosen, self._marked = point, beside or []
        self.update()

    def show_best(self, point: PlanePoint | None) -> None:
        """The best choice under the limit, as a star."""
        self._best = point
        self.update()

    @property
    def limit_x(self) -> float | None:
        """Where the limit stands, pixels from the left."""
        return None if self._limit is None else self._x(self._limit)

    @property
    def spans(self) -> tuple[Span, Span]:
        """What is shown of sizes and of fidelity."""
        return self._sizes, self._fidelity

    def place_of(self, point: PlanePoint) -> QPointF:
        """Where a point lies in the widget."""
        return QPointF(self._x(log_size(point.size)), self._y(point.fidelity))

    @property
    def told(self) -> str:
        """What is said of the point under the pointer."""
        if self._hovered is None:
            return ""
        return tell(self._hovered) + (f"\n{NONE_SMALLER_TRIED}" if any(one is self._hovered for one in self._hull) else "")

    # What a person does.

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._points:
            super().keyPressEvent(event)
            return
        key = Qt.Key(event.key())
        if key in {Qt.Key.Key_Left, Qt.Key.Key_Right}:
            ordered = sorted(self._points, key=lambda p: p.size)
            at = ordered.index(self._hovered) if self._hovered in ordered else -1
            self._hover(ordered[(at + (1 if key == Qt.Key.Key_Right else -1)) % len(ordered)])
        elif key in {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space} and self._hovered is not None:
            self.picked.emit(self._hovered)
        elif key == Qt.Key.Key_C and self._hovered is not None:
            self.marked.emit(self._hovered)
        elif key == Qt.Key.Key_X:
            self.scale_wanted.emit()
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        point = self._nearest(event.position())
        if point is not None:
            marks = event.modifiers() & Qt.KeyboardModifier.ControlModifier
            (self.marked if marks else self.picked).emit(point)
        elif self._on_limit(event.position()):
            self._dragging = True
            self.update()
        elif event.position().y() > self._field.bottom():
            self.scale_wanted.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            field = self._field
            part = min(1.0, max(0.0, (event.position().x() - field.left()) / field.width()))
            self._limit = self._sizes.low + part * (self._sizes.high - self._sizes.low)
            self.update()
            return
        self._hover(self._nearest(event.position()))
        on_limit = self._hovered is None and self._on_limit(event.position())
        self.setCursor(Qt.CursorShape.SizeHorCursor if on_limit else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        if self._dragging and self._limit is not None:
            self._dragging = False
            self.limit_dragged.emit(10**self._limit)

    def leaveEvent(self, _event: QEvent) -> None:
        self._hover(None)

    def _hover(self, point: PlanePoint | None) -> None:
        if point is self._hovered:
            return
        self._hovered = point
        if point is not None:
            self._voice.say(self.told)
        self.update()

    # Where things are.

    @property
    def _field(self) -> QRectF:
        return QRectF(_LEFT, _TOP, max(1, self.width() - _LEFT - _RIGHT), max(1, self.height() - _TOP - _FOOT))

    def _x(self, size: float) -> float:
        return self._field.left() + self._field.width() * self._sizes.part(size)

    def _y(self, fidelity: float) -> float:
        return self._field.bottom() - self._field.height() * self._fidelity.part(fidelity)

    def _nearest(self, place: QPointF) -> PlanePoint | None:
        def apart(point: PlanePoint) -> float:
            at = self.place_of(point)
            return math.hypot(at.x() - place.x(), at.y() - place.y())

        best = min(self._points, key=apart, default=None)
        return best if best is not None and apart(best) < _PICK else None

    def _on_limit(self, place: QPointF) -> bool:
        return self.limit_x is not None and abs(self.limit_x - place.x()) <= _GRAB

    # What is drawn.

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self._points and not self._outside:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shown = next((one.prediction.length_seconds for one in self._points), None)
        scale = replace(self._scale, seconds=shown)
        draw_axes(painter, self._field, scale, foot=self.height(), fidelity=self._fidelity, x=self._x, y=self._y)
        painter.save()
        painter.setClipRect(self._field.adjusted(-8, -8, 8, 2))
        marks = [_mark(point, self.place_of(point), self._x) for point in self._points]
        steps = self._draw_steps(painter, marks)
        self._draw_beyond(painter)
        for curve in self._outside.values():
            painter.setPen(QPen(QColor(theme.WELL_MUTED), 1, Qt.PenStyle.DashLine))
            painter.drawPolyline(QPolygonF([self.place_of(point) for point in curve]))
        painter.setPen(QPen(QColor(255, 255, 255, 46), 9, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin))
        painter.drawPolyline(QPolygonF([self.place_of(point) for point in self._hull]))
        for curve in self._plane.values():
            self._draw_curve(painter, curve)
        for point in self._beside:
            draw_beside(painter, point, self.place_of(point))
        self._draw_names(painter, [*steps, *marks])
        if self._best is not None:
            painter.setPen(QPen(QColor("white"), 1))
            painter.setBrush(QColor(_BEST))
            painter.drawPolygon(star(self.place_of(self._best)))
        if self._chosen is not None:
            painter.setPen(QPen(QColor("white"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(self.place_of(self._chosen), 11, 11)
        for point in self._marked:  # corners around it, where the chosen one has a ring
            painter.setPen(QPen(QColor("white"), 1.5, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            at = self.place_of(point)
            painter.drawRect(QRectF(at.x() - 10, at.y() - 10, 20, 20))
        painter.restore()
        self._draw_rules(painter)
        self._draw_limit(painter)
        if self._hovered is not None:
            draw_told(painter, self.told, self.place_of(self._hovered), self._field, self.size())

    def _draw_steps(self, painter: QPainter, taken: list[QRectF]) -> list[QRectF]:
        """Where one step of what is seen ends and the next begins; the words stand above the line from which on they hold,
        clear of ``taken`` where that can be. Where they stand."""
        places = []
        painter.setFont(theme.sans(theme.SMALL_PX))
        tall = painter.fontMetrics().height()
        above = self._field.top()
        for step in STEPS:
            y = min(self._field.bottom(), self._y(step.least))
            if y > above + tall and y > self._field.top():
                painter.setPen(QPen(QColor(255, 255, 255, 90), 1, Qt.PenStyle.DashLine))
                if step.least > self._fidelity.low:
                    painter.drawLine(QPointF(self._field.left(), y), QPointF(self._field.right(), y))
                painter.setPen(QColor(theme.WELL_MUTED))
                wide = painter.fontMetrics().horizontalAdvance(step.words)
                # At the right, where curves are high up, unless marks stand there.
                spots = [QRectF(left, y - tall - 2, wide, tall) for left in (self._field.right() - 8 - wide, self._field.left() + 8)]
                place = clear_spot(spots, taken, within=QRectF(self.rect()))
                painter.drawText(place, Qt.AlignmentFlag.AlignCenter, step.words)
                places.append(place)
            above = max(above, y)
        return places

    def _draw_beyond(self, painter: QPainter) -> None:
        if (x := self.limit_x) is not None:
            shade = QColor(theme.MADDER)
            shade.setAlpha(70)
            painter.fillRect(QRectF(x, self._field.top(), self.width(), self._field.height()), shade)

    def _draw_rules(self, painter: QPainter) -> None:
        """Where the take itself lies, and from which fidelity on this person sees no difference."""
        field = self._field
        painter.setPen(QPen(QColor(theme.WELL_TEXT), 1, Qt.PenStyle.DashDotLine))
        painter.setFont(theme.sans(theme.SMALL_PX))
        if self._own is not None and self._sizes.low < self._own < self._sizes.high:
            x, words = self._x(self._own), "the take itself"
            painter.drawLine(QPointF(x, field.top()), QPointF(x, field.bottom()))
            wide = painter.fontMetrics().horizontalAdvance(words)
            painter.drawText(QPointF(x + 6 if x + 6 + wide < field.right() else x - 6 - wide, field.top() + 14), words)
        if self._threshold is not None and self._fidelity.low < self._threshold < self._fidelity.high:
            y = self._y(self._threshold)
            painter.drawLine(QPointF(field.left(), y), QPointF(field.right(), y))
            painter.drawText(QPointF(field.left() + 8, y - 5), "you see no difference from here up")

    def _draw_limit(self, painter: QPainter) -> None:
        x, field = self.limit_x, self._field
        if x is None or self._limit is None or not field.left() - 1 <= x <= field.right() + 1:
            return
        painter.setPen(QPen(QColor("white" if self._dragging else _LIMIT), 3 if self._dragging else 2))
        painter.drawLine(QPointF(x, field.top()), QPointF(x, field.bottom()))
        painter.setFont(theme.sans(theme.SMALL_PX))
        words = size_text(10**self._limit)
        wide = painter.fontMetrics().horizontalAdvance(words) + 12
        left = min(max(x - wide / 2, field.left()), field.right() - wide)
        place = QRectF(left, field.top() + 8, wide, 20)
        painter.fillRect(place, QColor(_LIMIT))
        painter.setPen(QColor(theme.ON_BRIGHT))
        painter.drawText(place, Qt.AlignmentFlag.AlignCenter, words)

    def _draw_curve(self, painter: QPainter, curve: list[PlanePoint]) -> None:
        recipe = curve[0].prediction.recipe
        colour, symbol = theme.CODEC_LOOK[recipe.codec]
        places = [self.place_of(point) for point in curve]
        # Other pictures than the take's: smaller ones, or with noise made anew.
        painter.setPen(QPen(QColor(colour), 2, Qt.PenStyle.SolidLine if recipe.curve == recipe.codec else Qt.PenStyle.DotLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(places))
        for point, place in zip(curve, places, strict=True):
            if point.prediction.measured:
                painter.setPen(QPen(QColor(colour), 1))
                ends = [QPointF(x, place.y()) for x in _interval(point, self._x)]
                painter.drawLine(*ends)
                for end in ends:
                    painter.drawLine(QPointF(end.x(), end.y() - 4), QPointF(end.x(), end.y() + 4))
            painter.setPen(QPen(QColor(theme.WELL), 1) if point.prediction.measured else Qt.PenStyle.NoPen)
            painter.setBrush(QColor(colour))
            draw_symbol(painter, symbol, place, 6.0 if point.prediction.measured else 2.5)

    def _draw_names(self, painter: QPainter, taken: list[QRectF]) -> None:
        """Each beside its curve, clear of marks, intervals, other names and ``taken``."""
        painter.setFont(theme.sans(theme.BODY_PX, medium=True))
        metrics, field = painter.fontMetrics(), self._field
        for key, curve in [*self._plane.items(), *self._outside.items()]:
            recipe = curve[0].prediction.recipe
            words = f"{recipe.curve_words}, not for the outlet" if key in self._outside else self._names.get(key, recipe.curve_words)
            wide, tall = metrics.horizontalAdvance(words), metrics.height()
            shifts = ((-wide - 12, -tall - 8), (-wide / 2, -tall - 14), (12, 10), (-wide / 2, 14), (16, -tall / 2), (-wide - 16, -tall / 2))
            ends = [self.place_of(curve[at]) for at in (0, -1, len(curve) // 2)]
            spots = [QRectF(at.x() + x, at.y() + y, wide, tall) for at in ends for x, y in shifts]
            spot = clear_spot(spots, taken, within=field)
            painter.setPen(QColor(theme.CODEC_LOOK[recipe.codec][0] if key in self._plane else theme.WELL_MUTED))
            painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, words)
            taken.append(spot)


def _interval(point: PlanePoint, x: Callable[[float], float]) -> tuple[float, float]:
    """Where the interval of a size begins and ends. ``x``: of a logarithm of bytes."""
    size = point.prediction.size_bytes
    return x(log_size(size.low)), x(log_size(size.high))


def _mark(point: PlanePoint, place: QPointF, x: Callable[[float], float]) -> QRectF:
    """What a point takes up: with its interval, where it has one. ``x``: of a logarithm of bytes."""
    if not point.prediction.measured:
        return QRectF(place.x() - 4, place.y() - 4, 8, 8)
    low, high = _interval(point, x)
    return QRectF(low - 2, place.y() - 8, high - low + 4, 16)
