"""The take on one strip: frames that fared badly, sound, and the drive, over all its time; zoomed with the wheel."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from functools import partial

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QToolTip, QWidget

from yomikomi.core.capture.health import HealthEnd, HealthRow, read_health
from yomikomi.core.capture.marks import Mark
from yomikomi.core.ledger.views import TakeView
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import signed_text
from yomikomi.ui import theme
from yomikomi.ui.background import Calls
from yomikomi.ui.widgets.speaking import Voice

_LEFT, _RIGHT = 62, 10
_LANES = ("frames", "sound", "drive")
_LOST, _REPEATED, _LATE = "#FF9C9C", theme.OKABE_ITO["yellow"], theme.OKABE_ITO["sky"]
_SHORTEST_S = 10.0


class HealthStrip(QWidget):
    """``seconds_picked`` tells where somebody clicked, in seconds of the take."""

    seconds_picked = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[HealthRow] = []
        self.marks: tuple[tuple[float, str], ...] = ()
        self.expected: float | None = None
        self._from, self._span = 0.0, 60.0
        self._fitted = True
        self._asked: int | None = None
        self.setFixedHeight(96)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Health of the take over its time")
        self._voice = Voice(self)

    def sizeHint(self) -> QSize:
        return QSize(600, 96)

    def show_rows(
        self, rows: Sequence[HealthRow], *, expected: float | None = None, marks: Sequence[Mark] = (), rate: float = 25.0
    ) -> None:
        self.rows = list(rows)
        self.expected = expected
        self.marks = tuple((mark.frame / rate, mark.kind) for mark in marks)
        if self._fitted:
            self._fit()
        self._tell()
        self.update()

    def add(self, row: HealthRow) -> None:
        self.rows.append(row)
        if self._fitted:
            self._fit()
        self._tell()
        self.update()

    def _tell(self) -> None:
        if not self.rows or not self._voice.due:
            return
        lost, late, repeated = (sum(getattr(row, name) for row in self.rows) for name in ("lost", "late", "repeated"))
        self._voice.say(f"{clock(self.rows[-1].at)}: {lost} frames lost, {late} late, {repeated} repeated")

    def show_log(self, calls: Calls, take: TakeView | None, rate: Fraction, *, still: Callable[[], bool]) -> None:
        """The log that lies beside a take, read in the background; shown where ``still`` says that it is wanted then."""
        self._asked = take.id if take is not None else None
        if take is None:
            self.clear()
            return

        def show(found: tuple[list[HealthRow], HealthEnd | None]) -> None:
            if self._asked == take.id and still():
                self.show_rows(found[0], expected=take.seconds, marks=take.details.marks, rate=float(rate))

        calls.call("health", partial(read_health, take.path), show)

    def clear(self) -> None:
        self.show_rows([])

    @property
    def span(self) -> tuple[float, float]:
        """What is shown, in seconds."""
        return self._from, self._from + self._span

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(0.8 if event.angleDelta().y() > 0 else 1.25, self._at(event.position().x()))
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        middle = self._from + self._span / 2
        if event.key() in {Qt.Key.Key_Plus, Qt.Key.Key_Equal}:
            self.zoom(0.7, middle)
        elif event.key() == Qt.Key.Key_Minus:
            self.zoom(1.4, middle)
        elif event.key() in {Qt.Key.Key_Left, Qt.Key.Key_Right}:
            self._move(self._from + self._span * (0.25 if event.key() == Qt.Key.Key_Right else -0.25))
        elif event.key() == Qt.Key.Key_0:
            self._fitted = True
            self._fit()
            self.update()
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self.seconds_picked.emit(max(0.0, self._at(event.position().x())))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        row = self._row_at(self._at(event.position().x()))
        if row is not None:
            QToolTip.showText(event.globalPosition().toPoint(), _words(row), self)

    def zoom(self, factor: float, around: float) -> None:
        self._fitted = False
        span = min(max(_SHORTEST_S, self._span * factor), self._whole())
        part = (around - self._from) / self._span
        self._span = span
        self._move(around - part * span)
        self._fitted = span >= self._whole()

    def _whole(self) -> float:
        last = self.rows[-1].at if self.rows else 0.0
        return max(60.0, last * 1.04, self.expected or 0.0)

    def _fit(self) -> None:
        # While nothing is known to come, the strip grows by steps, so that it does not crawl all the time.
        last = self.rows[-1].at if self.rows else 0.0
        whole = self.expected if self.expected and 0.05 * self.expected <= last <= self.expected else 0.0
        step = next((one for one in (60, 120, 300, 600, 1800, 3600, 7200, 14_400) if last <= one * 0.97), last * 1.05)
        self._from, self._span = 0.0, max(whole, whole if whole else float(step))

    def _move(self, begin: float) -> None:
        self._from = max(0.0, min(begin, self._whole() - self._span))
        self.update()

    def _at(self, x: float) -> float:
        return self._from + (x - _LEFT) / max(1, self.width() - _LEFT - _RIGHT) * self._span

    def _x(self, seconds: float) -> float:
        return _LEFT + (seconds - self._from) / self._span * (self.width() - _LEFT - _RIGHT)

    def _row_at(self, seconds: float) -> HealthRow | None:
        number = round(seconds)
        return self.rows[number - 1] if 0 < number <= len(self.rows) else None

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.WELL))
        painter.drawRoundedRect(QRectF(self.rect()), 4, 4)
        lane = (self.height() - 20) / len(_LANES)
        painter.setFont(theme.sans(11))
        for number, name in enumerate(_LANES):
            top = 4 + number * lane
            painter.setPen(QColor(theme.WELL_MUTED))
            painter.drawText(QRectF(10, top, _LEFT - 12, lane), Qt.AlignmentFlag.AlignVCenter, name)
            painter.setPen(QPen(QColor(theme.WELL_LINE), 1))
            painter.drawLine(QPointF(_LEFT, top + lane - 2), QPointF(self.width() - _RIGHT, top + lane - 2))
        painter.save()
        painter.setClipRect(QRectF(_LEFT, 0, self.width() - _LEFT - _RIGHT, self.height()))
        shown = self._shown()
        self._paint_frames(painter, shown, 4, lane - 3)
        self._paint_line(
            painter, [(row.at, (max(-60.0, row.peak_db) + 60) / 60) for row in shown], theme.OKABE_ITO["green"], 4 + lane, lane - 4
        )
        fastest = max([row.mbps for row in self.rows[-600:]] or [1.0]) or 1.0
        self._paint_line(painter, [(row.at, 0.85 * row.mbps / fastest) for row in shown], theme.OKABE_ITO["orange"], 4 + 2 * lane, lane - 4)
        self._paint_ends(painter)
        painter.restore()
        self._paint_times(painter)
        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.WELL_TEXT), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 4, 4)

    def _shown(self) -> list[HealthRow]:
        """The rows in view, no more than there are pixels: of several in one pixel the worst counts."""
        first, last = max(0, int(self._from) - 1), int(self._from + self._span) + 2
        rows = self.rows[first:last]
        step = max(1, len(rows) // max(1, self.width() - _LEFT - _RIGHT))
        if step == 1:
            return rows
        groups = [rows[at : at + step] for at in range(0, len(rows), step)]
        return [max(group, key=lambda row: (row.lost, row.repeated, row.late, row.peak_db)) for group in groups]

    def _paint_frames(self, painter: QPainter, rows: list[HealthRow], top: float, height: float) -> None:
        """Lost ones as full bars, repeated ones half as high, late ones as dots below."""
        for row in rows:
            x = self._x(row.at - 0.5)
            if row.lost:
                painter.fillRect(QRectF(x - 1, top, 2.5, height), QColor(_LOST))
            if row.repeated:
                painter.fillRect(QRectF(x - 1, top + height / 2, 2, height / 2), QColor(_REPEATED))
            if row.late:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(_LATE))
                painter.drawEllipse(QPointF(x, top + height - 3), 1.6, 1.6)

    def _paint_line(self, painter: QPainter, points: list[tuple[float, float]], colour: str, top: float, height: float) -> None:
        if len(points) > 1:
            line = QPolygonF([QPointF(self._x(at - 0.5), top + height * (1 - max(0.0, min(1.0, part)))) for at, part in points])
            painter.setPen(QPen(QColor(colour), 1.3))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(line)

    def _paint_ends(self, painter: QPainter) -> None:
        bottom = self.height() - 18
        for at, kind in self.marks:
            x = self._x(at)
            painter.setPen(QPen(QColor(theme.WELL_TEXT), 1, Qt.PenStyle.SolidLine if kind == "mark" else Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, 2), QPointF(x, bottom))
        if self.rows and not (self.expected and self.rows[-1].at > self.expected):
            x = self._x(self.rows[-1].at)
            painter.setPen(QPen(QColor("white"), 1))
            painter.drawLine(QPointF(x, 2), QPointF(x, bottom))
            if self.expected and self.rows[-1].at < self.expected - 2 and x + 150 < self.width():
                painter.setPen(QColor(theme.WELL_MUTED))
                painter.setFont(theme.sans(11))
                painter.drawText(QRectF(x + 8, 30, 200, 16), Qt.AlignmentFlag.AlignLeft, f"expected end {clock(self.expected)}")

    def _paint_times(self, painter: QPainter) -> None:
        painter.setPen(QColor(theme.WELL_MUTED))
        painter.setFont(theme.mono(10))
        for part in (0.0, 0.25, 0.5, 0.75, 1.0):
            x = self._x(self._from + part * self._span)
            flag = Qt.AlignmentFlag.AlignLeft if part == 0 else Qt.AlignmentFlag.AlignRight if part == 1 else Qt.AlignmentFlag.AlignHCenter
            place = QRectF(x - (0 if part == 0 else 60 if part == 1 else 30), self.height() - 16, 60, 14)
            painter.drawText(place, flag, clock(self._from + part * self._span))


def _words(row: HealthRow) -> str:
    bad = [
        f"{count} {name}"
        for count, name in ((row.lost, "lost"), (row.repeated, "repeated"), (row.late, "late"))
        if count
    ]
    lines = [f"{clock(row.at)}: {row.frames} frames" + (", " + ", ".join(bad) if bad else ", all on time")]
    lines.append(
        f"sound peaks at {signed_text(row.peak_db)} dB, {row.mbps:.0f} Mb/s, longest write {row.write_ms:.0f} ms"
    )
    if row.headroom:
        lines.append(f"encoder headroom {row.headroom:.1f}×, {row.queue} frames waiting")
    return "\n".join([*lines, *row.signs])
