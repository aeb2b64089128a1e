"""The night on a clock: a lane for each worker, a bar for each copy with the interval of its end, now, hours and the deadline."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from yomikomi.core.ledger.run_outlook import Outlook
from yomikomi.core.ledger.run_rows import RunRow
from yomikomi.core.run.night import Bar, Night
from yomikomi.core.run.rules import RunRules
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import plain_tip
from yomikomi.ui.widgets.speaking import Voice

# Lanes that are drawn; workers beyond share the last. Up to so many are wide.
_MOST_LANES, _WIDE_LANES = 8, 4
_LEFT, _RIGHT, _TOP, _FOOT, _LANE, _THIN_LANE = 12, 16, 10, 24, 34, 21
# Steps of the scale, minutes; the first that leaves room for its words is taken.
_DAY = 1440
_STEPS = (1, 5, 10, 15, 30, 60, 120, 180, 360, 720, _DAY, 2 * _DAY, 7 * _DAY, 14 * _DAY, 28 * _DAY, 84 * _DAY)
_WORD_PX = 64
# Bars that are narrower show no interval: there would be nothing but those.
_NARROW_PX = 8
_LEAST_PX = 3
_SHORTEST = timedelta(minutes=6)


class NightClock(QWidget):
    """``chosen``: a bar was clicked: its copy."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("The run on a clock")
        self.setMouseTracking(True)
        self._outlook: Outlook | None = None
        self._rules = RunRules()
        self._workers: Mapping[int, str] = {}
        self._voice = Voice(self)
        self._lanes = 1
        self.selected = 0
        self.span = (datetime.now().astimezone(), datetime.now().astimezone() + _SHORTEST)
        self.setFixedHeight(_TOP + _LANE + _FOOT)

    def show_night(self, outlook: Outlook, rules: RunRules, selected: int, workers: Mapping[int, str] | None = None) -> None:
        """``workers``: other machines that make a copy, by copy."""
        self._workers = workers or {}
        self._outlook, self._rules, self.selected = outlook, rules, selected
        self.span = self._span(outlook)
        lanes = min(_MOST_LANES, int(outlook.bars.lane.max(initial=0)) + 1)
        if lanes != self._lanes:
            self._lanes = lanes
            self.setFixedHeight(_TOP + lanes * self._lane + _FOOT)
        if self._voice.due:
            self._voice.say(self._spoken())
        self.update()

    def _spoken(self) -> str:
        assert self._outlook is not None
        rows, bars = self._outlook.by_copy, self._outlook.bars
        told = [f"{rows[copy].carrier} until {bars[copy].end:%H:%M}" for copy in bars.copies[:6]]
        return "; ".join(told) or "the run is empty"

    @property
    def _lane(self) -> int:
        """Height of one, pixels."""
        return _LANE if self._lanes <= _WIDE_LANES else _THIN_LANE

    @property
    def _now(self) -> datetime | None:
        return self._outlook.now if self._outlook is not None else None

    def _span(self, outlook: Outlook) -> tuple[datetime, datetime]:
        """First and last moment that is drawn."""
        now = outlook.now
        last = max(now + _SHORTEST, now + timedelta(seconds=float(outlook.bars.latest.max(initial=0.0))))
        if self._rules.deadline is not None:
            last = max(last, self._rules.deadline)
        room = (last - now) * 0.04
        return now - room, last + room

    def place(self, at: datetime) -> float:
        begin, end = self.span
        return _LEFT + (self.width() - _LEFT - _RIGHT) * ((at - begin) / (end - begin))

    def bar_at(self, point: QPoint) -> Bar | None:
        if self._outlook is None:
            return None
        lane, left, right = self._edges(self._outlook.bars)
        found = np.nonzero((lane == (point.y() - _TOP) // self._lane) & (left <= point.x()) & (point.x() <= right))[0]
        return self._outlook.bars[self._outlook.bars.copies[int(found[0])]] if len(found) else None

    def _edges(self, night: Night) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:
        """Lane, left and right edge of each bar, shape (copies,), pixels; none is too narrow to be hit."""
        begin, end = self.span
        scale = (self.width() - _LEFT - _RIGHT) / (end - begin).total_seconds()
        origin = _LEFT + scale * (night.now - begin).total_seconds()
        left = origin + scale * night.begin
        return np.minimum(night.lane, _MOST_LANES - 1), left, np.maximum(left + _LEAST_PX, origin + scale * night.end)

    def area(self, lane: int, left: float, right: float) -> QRectF:
        gap = self._lane // 8
        return QRectF(left, _TOP + lane * self._lane + gap, right - left, self._lane - 2 * gap)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        bar = self.bar_at(event.position().toPoint())
        if bar is not None:
            self.chosen.emit(bar.copy)

    def event(self, event: object) -> bool:
        if isinstance(event, QHelpEvent):
            bar = self.bar_at(event.pos())
            if bar is not None and self._outlook is not None:
                QToolTip.showText(event.globalPos(), plain_tip(bar_words(bar, self._outlook.by_copy[bar.copy])), self)
                return True
        return super().event(event)  # type: ignore[arg-type]

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.WELL))
        if self._outlook is None:
            return
        self._draw_closed(painter)
        self._draw_scale(painter)
        self._draw_bars(painter, self._outlook.bars)
        self._draw_line(painter, self._outlook.now, theme.WELL_TEXT, "now")
        if self._rules.deadline is not None:
            self._draw_line(painter, self._rules.deadline, theme.OKABE_ITO["vermilion"], "deadline")

    def _draw_closed(self, painter: QPainter) -> None:
        """Hours in which nothing is made, hatched."""
        hours = self._rules.hours
        if hours is None:
            return
        begin, end = self.span
        at, painted = begin, 0
        while at < end and painted < 50:
            until = min(end, hours.next_change(at))
            if not hours.open_at(at):
                area = QRectF(self.place(at), _TOP, self.place(until) - self.place(at), self._lanes * self._lane)
                painter.fillRect(area, QColor(theme.WELL_LINE))
                painter.fillRect(area, Qt.BrushStyle.BDiagPattern)
            at, painted = until, painted + 1

    def _draw_scale(self, painter: QPainter) -> None:
        begin, end = self.span
        fits = (self.width() - _LEFT - _RIGHT) / _WORD_PX
        minutes = (end - begin).total_seconds() / 60
        step = next((one for one in _STEPS if minutes / one <= fits), _STEPS[-1])
        midnight = begin.replace(hour=0, minute=0, second=0, microsecond=0)
        at = midnight + timedelta(minutes=step * (int((begin - midnight).total_seconds() / 60) // step + 1))
        painter.setFont(theme.mono(theme.SMALL_PX))
        bottom = _TOP + self._lanes * self._lane
        marks = [self.place(one) for one in (self._now, self._rules.deadline) if one is not None]
        while at < end:
            x = self.place(at)
            painter.setPen(QPen(QColor(theme.WELL_LINE), 1))
            painter.drawLine(QPointF(x, _TOP), QPointF(x, bottom))
            painter.setPen(QColor(theme.WELL_MUTED))
            if all(abs(x - one) > _WORD_PX * 0.75 for one in marks):
                words = f"{at:%H:%M}" if step < _DAY else f"{at:%d %b}"
                painter.drawText(QRectF(x - 40, bottom + 3, 80, _FOOT - 4), int(Qt.AlignmentFlag.AlignCenter), words)
            at += timedelta(minutes=step)

    def _draw_bars(self, painter: QPainter, night: Night) -> None:
        """Narrow ones side by side as one; all others, and those that run or are selected, by themselves."""
        lane, left, right = self._edges(night)
        assert self._outlook is not None
        alone = right - left >= _NARROW_PX
        for copy in (self.selected, *(row.copy for row in self._outlook.running)):
            if copy in night.places:
                alone[night.places[copy]] = True
        for one in np.unique(lane):
            for known in (True, False):
                narrow = np.nonzero((lane == one) & (night.known == known) & ~alone)[0]
                for first, last in _joined(left[narrow], right[narrow]):
                    self._draw_block(painter, self.area(int(one), first, last), known=known)
        areas = [
            (night[night.copies[place]], self.area(int(lane[place]), float(left[place]), float(right[place])))
            for place in np.nonzero(alone)[0]
        ]
        for bar, area in areas:
            self._draw_bar(painter, bar, area)
        for bar, area in areas:
            if area.width() >= _NARROW_PX:
                self._draw_interval(painter, bar, area)

    @staticmethod
    def _draw_block(painter: QPainter, area: QRectF, *, known: bool, runs: bool = False) -> None:
        """``known``: as long as was predicted; drawn dashed where nobody knows."""
        colour = QColor(theme.OKABE_ITO["sky" if runs else "blue"])
        if known:
            painter.fillRect(area, colour)
            return
        painter.setPen(QPen(colour, 1.4, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(area)

    def _draw_bar(self, painter: QPainter, bar: Bar, area: QRectF) -> None:
        assert self._outlook is not None
        row = self._outlook.by_copy[bar.copy]
        apart = 1.0 if area.width() >= _NARROW_PX else 0.0  # from the next
        self._draw_block(painter, area.adjusted(0, 0, -apart, 0), known=bar.known, runs=row.state == "running")
        if bar.copy == self.selected:
            painter.setPen(QPen(QColor(theme.WELL_TEXT), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(area)
        if area.width() > 46:
            painter.setFont(theme.sans(theme.SMALL_PX, medium=True))
            painter.setPen(QColor(theme.ON_BRIGHT if row.state == "running" or not bar.known else "#FFFFFF"))
            if not bar.known:
                painter.setPen(QColor(theme.WELL_TEXT))
            words = painter.fontMetrics().elidedText(self._title(bar, row), Qt.TextElideMode.ElideRight, int(area.width() - 12))
            above = area.height() / 2 - 4 if self._lanes <= _WIDE_LANES else 3.0  # the interval stands below
            painter.drawText(area.adjusted(6, 0, -6, -above), int(Qt.AlignmentFlag.AlignVCenter), words)

    def _title(self, bar: Bar, row: RunRow) -> str:
        worker = self._workers.get(bar.copy, "")
        return f"{row.carrier} on {worker}" if worker else row.carrier

    def _draw_interval(self, painter: QPainter, bar: Bar, area: QRectF) -> None:
        """Of its end."""
        if not bar.known:
            return
        up, cap = (7, 4) if self._lanes <= _WIDE_LANES else (1, 2)
        y, low, high = area.bottom() - up, self.place(bar.earliest), self.place(bar.latest)
        painter.setPen(QPen(QColor(theme.WELL_TEXT), 1.2))
        painter.drawLine(QPointF(low, y), QPointF(high, y))
        for x in (low, high):
            painter.drawLine(QPointF(x, y - cap), QPointF(x, y + cap))

    def _draw_line(self, painter: QPainter, at: datetime, colour: str, words: str) -> None:
        begin, end = self.span
        if not begin <= at <= end:
            return
        x, bottom = self.place(at), _TOP + self._lanes * self._lane
        painter.setPen(QPen(QColor(colour), 2))
        painter.drawLine(QPointF(x, 4), QPointF(x, bottom + 4))
        painter.setFont(theme.sans(theme.SMALL_PX))
        wide = painter.fontMetrics().horizontalAdvance(words) + 8
        left = min(max(0.0, x - wide / 2), self.width() - wide)
        painter.fillRect(QRectF(left, bottom + 4, wide, _FOOT - 5), QColor(theme.WELL))
        painter.drawText(QRectF(left, bottom + 4, wide, _FOOT - 5), int(Qt.AlignmentFlag.AlignCenter), words)


def _joined(left: NDArray[np.float64], right: NDArray[np.float64]) -> list[tuple[float, float]]:
    """Begin and end of what touches, in pixels; ``left``, ``right``: shape (bars,), in their order."""
    if not len(left):
        return []
    ends = np.maximum.accumulate(right)
    breaks = np.nonzero(left[1:] > ends[:-1] + 1)[0]
    firsts, lasts = [0, *(breaks + 1)], [*breaks, len(left) - 1]
    return [(float(left[first]), float(ends[last])) for first, last in zip(firsts, lasts, strict=True)]


def bar_words(bar: Bar, row: RunRow) -> str:
    """What a bar says."""
    if not bar.known:
        return f"{row.carrier}: {row.name}\nlength not predicted"
    done = f"done between {bar.earliest:%H:%M} and {bar.latest:%H:%M}"
    return f"{row.carrier}: {row.name}\n{bar.begin:%H:%M} to {bar.end:%H:%M}, {done}"
