"""The forecast of the session, under the shelf: what is left, whether it fits, and when, as bars on a clock."""

from __future__ import annotations

from datetime import datetime, timedelta

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTime, QTimer, Signal
from PySide6.QtGui import QBrush, QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QComboBox, QGridLayout, QTimeEdit, QWidget

from yomikomi.core.ledger.outlook import works_of
from yomikomi.core.planning.data_rates import CAPTURE_CODECS
from yomikomi.core.planning.forecast import Bar, Forecast, Wish, clock_time, forecast
from yomikomi.core.planning.spans import Span
from yomikomi.core.recipes.codecs import TRIED
from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import counted, size_text
from yomikomi.ui import theme
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import Card, ElidedLabel, MarkShape, button, label, row

_REFRESH_MS = 30_000
_MARKS = {"fits": "fine", "perhaps": "check", "not today": "fault"}


class Outlook(Card):
    """Recomputed whenever the shelf, the wishes or the measurements change. Emits ``measure`` when the machine is to be tried."""

    measure = Signal()

    def __init__(self, state: AppState) -> None:
        super().__init__(choosable=False)
        self.state = state
        self.forecast: Forecast | None = None
        self.until = QTimeEdit(QTime(23, 0))
        self.until.setDisplayFormat("HH:mm")
        self.until.setToolTip("When the session ends; earlier than now means tomorrow")
        self.until.setAccessibleName("Session ends at")
        self.capture_codec, self.copy_codec = QComboBox(), QComboBox()
        for key, codec in CAPTURE_CODECS.items():
            self.capture_codec.addItem(codec.name, key)
        self.capture_codec.setAccessibleName("Captured as")
        for name, row_of_codec in TRIED.items():
            self.copy_codec.addItem(row_of_codec.words, name)
        self.copy_codec.setAccessibleName("Copies as")
        for box in (self.until, self.capture_codec, self.copy_codec):
            box.setFixedHeight(28)
        self.until.setFixedWidth(92)
        self.capture_codec.setMaximumWidth(150)
        theme.inset(self.until)
        self.measure_button = button("Measure this machine", self.measure.emit, tip="A short trial of the take drive and the encoders")
        self._figures: dict[str, tuple[MarkShape, ElidedLabel, ElidedLabel]] = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(0)
        for column, key in enumerate(("capture", "room", "encode", "drive")):
            parts = MarkShape("undetermined"), ElidedLabel(), ElidedLabel()
            parts[2].setProperty("quiet", True)
            grid.addWidget(parts[0], 0, 2 * column)
            grid.addWidget(parts[1], 0, 2 * column + 1)
            grid.addWidget(parts[2], 1, 2 * column + 1)
            grid.setColumnStretch(2 * column + 1, 1)
            self._figures[key] = parts
        self.clock = ClockBars()
        self.body.setContentsMargins(14, 10, 14, 12)
        self.body.setSpacing(8)
        self.body.addLayout(
            row(
                label("Session until"), self.until, label("captured as"), self.capture_codec, label("copies as"), self.copy_codec, 1,
                self.measure_button, spacing=8,
            )
        )  # fmt: skip
        self.body.addLayout(grid)
        self.body.addWidget(self.clock)
        self.until.timeChanged.connect(self.refresh)
        for box in (self.capture_codec, self.copy_codec):
            box.currentIndexChanged.connect(self.refresh)
        # One turn of the event loop later: with a thousand carriers the spines are drawn first, and several changes make one sum.
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(0)
        self._soon.timeout.connect(self._refresh_shown)
        state.shelf_changed.connect(self._soon.start)
        state.machine_changed.connect(self.refresh)
        self._timer = QTimer(self)
        self._timer.setInterval(_REFRESH_MS)
        self._timer.timeout.connect(self._refresh_shown)
        self._timer.start()
        self.refresh()

    def wish(self) -> Wish:
        """What is planned with, beginning now."""
        begin = datetime.now().astimezone().replace(microsecond=0)
        until = begin.replace(hour=self.until.time().hour(), minute=self.until.time().minute(), second=0)
        if until <= begin:
            until += timedelta(days=1)
        return Wish(begin, until, self.capture_codec.currentData(), self.copy_codec.currentData())

    def _refresh_shown(self) -> None:
        """Whoever shows it has it refreshed."""
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        wish = self.wish()
        try:
            free = self.state.free_bytes()
        except OSError:
            free = 0
        made = forecast(works_of(self.state.spines), wish, free=free, machine=self.state.machine)
        self.forecast = made
        self._show_capture(made, wish)
        self._show_room(made, wish)
        self._show_encode(made, wish)
        self._show_drive(made)
        self.clock.show_bars(made.bars, wish)

    def _put(self, key: str, mark: str, words: str, basis: str) -> None:
        shape, head, under = self._figures[key]
        shape.show_mark(mark)
        head.say(words)
        under.say(basis)
        for one in (head, under):
            one.setToolTip(f"{words}\n{basis}")

    def _show_capture(self, made: Forecast, wish: Wish) -> None:
        bars = [bar for bar in made.bars if bar.lane == "capture"]
        if not bars:
            self._put("capture", "fine", "Nothing to capture", "no tape or live session waits")
            return
        fitting = sum(bar.fit == "fits" for bar in bars)
        worst = "fits" if fitting == len(bars) else "perhaps" if any(bar.fit != "not today" for bar in bars) else "not today"
        basis = f"{fitting} of {len(bars)} fit, to {clock_time(wish.begin, made.capture_end.usual)}"
        self._put("capture", _MARKS[worst], f"{spoken(made.capture.usual)} to capture", basis)
        lines = [span_words(made.capture)]
        if made.guesses:
            lines.append(f"length not known: {', '.join(made.guesses)}")
        if made.set_aside:
            lines.append(f"set aside as unfit: {', '.join(made.set_aside)}")
        self._figures["capture"][2].setToolTip("\n".join(lines))

    def _show_room(self, made: Forecast, wish: Wish) -> None:
        words = f"{size_text(made.room.usual)} needed, {size_text(made.free)} free"
        if made.full_at is not None:
            basis = f"drive full at {clock_time(wish.begin, made.full_at)}"
        elif made.room.high:
            basis = f"{size_text(made.room.low)} to {size_text(made.room.high)}"
        else:
            basis = "nothing to be written"
        self._put("room", _MARKS[made.enough_room], words, basis)
        lines = [f"{size_text(made.room.low)} to {size_text(made.room.high)}"]
        if made.waiting:
            lines.append(f"{counted(made.waiting, 'disc or card', 'discs or cards')} to be copied included")
        lines.append("as earlier takes of such carriers filled" if made.learned else "by what the codec usually takes")
        self._figures["room"][2].setToolTip("\n".join(lines))

    def _show_encode(self, made: Forecast, wish: Wish) -> None:
        if made.encode is None or made.encode_end is None:
            self._put("encode", "undetermined", "Encoding not known", "measure this machine first")
        elif not made.encode.usual:
            self._put("encode", "fine", "Nothing to encode", "")
        else:
            late = made.encode_end.high > (wish.until - wish.begin).total_seconds()
            words = f"{spoken(made.encode.usual)} of encoding"
            self._put("encode", "check" if late else "fine", words, f"done about {clock_time(wish.begin, made.encode_end.usual)}")
            self._figures["encode"][2].setToolTip(span_words(made.encode) + ", all processors at work")

    def _show_drive(self, made: Forecast) -> None:
        machine = self.state.machine
        if machine is None:
            self._put("drive", "undetermined", "Drive not measured", "takes about half a minute")
            return
        speed = f"{size_text(machine.write_bytes_per_second.usual)}/s written"
        if made.write_margin is None:
            self._put("drive", "fine", speed, f"measured {machine.made_at[:10]}")
            return
        slow = made.capture_headroom is not None and made.capture_headroom < 1.2
        mark = "fault" if made.write_margin < 1 else "check" if made.write_margin < 2 or slow else "fine"
        basis = f"{made.write_margin:.0f} × what is needed"
        if slow and made.capture_headroom is not None:
            basis = f"encoder only {made.capture_headroom:.1f} × real time"
        self._put("drive", mark, speed, basis)


def span_words(span: Span) -> str:
    """``3 h 50 min to 4 h 40 min``, or one figure where the bounds say the same."""
    low, high = spoken(span.low), spoken(span.high)
    return low if low == high else f"{low} to {high}"


class ClockBars(QWidget):
    """Two lanes of bars on the clock: capturing needs a person, encoding does not. The pale end of a bar is its interval."""

    _LEFT, _LANE, _TOP = 62, 22, 16

    def __init__(self) -> None:
        super().__init__()
        self._bars: tuple[Bar, ...] = ()
        self._wish: Wish | None = None
        self.span_s = 3600.0
        self.setFixedHeight(self._TOP + 2 * self._LANE + 6)
        self.setAccessibleName("The session on the clock")

    def show_bars(self, bars: tuple[Bar, ...], wish: Wish) -> None:
        self._wish = wish
        evening = (wish.until - wish.begin).total_seconds()
        last = max((bar.end.high for bar in bars), default=0.0)
        # The picture reaches over the session and what goes beyond it, up to twice its length.
        self.span_s = max(1800.0, min(max(evening * 1.08, last * 1.02), evening * 2))
        self._bars = tuple(bar for bar in bars if bar.start < self.span_s)
        told = [f"{bar.label}, {bar.lane}: to {clock_time(wish.begin, bar.end.usual)}, {bar.fit}" for bar in bars[:40]]
        self.setToolTip("\n".join(told))
        self.setAccessibleDescription("; ".join(told))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(500, self.height())

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        well = QRectF(self.rect()).adjusted(0, 0, 0, 0)
        painter.setBrush(QColor(theme.WELL))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawRoundedRect(well, 4, 4)
        if self._wish is None:
            return
        self._draw_hours(painter, self._wish)
        for number, (lane, words) in enumerate((("capture", "capture"), ("encode", "encode"))):
            top = self._TOP + number * self._LANE
            painter.setPen(QColor(theme.WELL_MUTED))
            painter.setFont(theme.sans(theme.SMALL_PX))
            painter.drawText(QRectF(8, top, self._LEFT - 10, self._LANE), Qt.AlignmentFlag.AlignVCenter, words)
            for bar in self._bars:
                if bar.lane == lane:
                    self._draw_bar(painter, bar, top)
        self._draw_end(painter, self._wish)

    def _x(self, seconds: float) -> float:
        return self._LEFT + (self.width() - self._LEFT - 8) * min(1.0, seconds / self.span_s)

    def _draw_hours(self, painter: QPainter, wish: Wish) -> None:
        hours = self.span_s / 3600
        step = next(one for one in (0.25, 0.5, 1, 2, 3, 6, 12, 24, 48, 96, 480) if hours / one <= 12)
        first = wish.begin.replace(hour=int(wish.begin.hour // step * step) if step <= 24 else 0, minute=0, second=0)
        painter.setFont(theme.mono(11))
        number = 0
        while True:
            at = first + timedelta(hours=step * number)
            number += 1
            seconds = (at - wish.begin).total_seconds()
            if seconds > self.span_s:
                return
            if seconds < 0:
                continue
            x = self._x(seconds)
            painter.setPen(QPen(QColor(theme.WELL_LINE), 1))
            painter.drawLine(QPointF(x, self._TOP), QPointF(x, self.height() - 4))
            painter.setPen(QColor(theme.WELL_MUTED))
            if x < self.width() - 40:
                painter.drawText(QPointF(x + 3, 12), f"{at:%H:%M}")

    def _draw_bar(self, painter: QPainter, bar: Bar, top: float) -> None:
        left, low, usual, high = (self._x(s) for s in (bar.start, max(bar.start, bar.end.low), bar.end.usual, bar.end.high))
        colour = QColor(theme.OKABE_ITO["sky"] if bar.lane == "capture" else theme.OKABE_ITO["orange"])
        if left >= self.width() - 9:
            return
        place = QRectF(left, top + 3, max(2.0, usual - left - 1), self._LANE - 6)
        pale = QColor(colour)
        pale.setAlpha(80)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(pale)
        painter.drawRect(QRectF(usual - 1, top + 7, max(0.0, high - usual), self._LANE - 14))
        painter.setBrush(QBrush(colour, Qt.BrushStyle.BDiagPattern) if bar.fit == "not today" else colour)
        painter.drawRoundedRect(place, 2, 2)
        painter.setPen(QPen(QColor(theme.WELL), 1))
        painter.drawLine(QPointF(low, top + 3), QPointF(low, top + self._LANE - 3))
        painter.setFont(theme.mono(11))
        if place.width() > painter.fontMetrics().horizontalAdvance(bar.label) + 8:
            painter.setPen(QColor(theme.WELL if bar.fit != "not today" else theme.WELL_TEXT))
            painter.drawText(place.adjusted(4, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, bar.label)

    def _draw_end(self, painter: QPainter, wish: Wish) -> None:
        x = self._x((wish.until - wish.begin).total_seconds())
        painter.setPen(QPen(QColor(theme.WELL_TEXT), 2))
        painter.drawLine(QPointF(x, 2), QPointF(x, self.height() - 3))
