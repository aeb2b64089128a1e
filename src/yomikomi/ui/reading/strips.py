"""The evidence over time: strips on one time axis, with zoom and a selection; a click shows the frame."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from functools import partial
from typing import Any

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QKeyEvent

from yomikomi.core.reading.models import Reading
from yomikomi.core.video.timecode import clock
from yomikomi.ui import theme

_ROWS = ("kind", "combing", "motion", "luma range", "losses", "sound")
_HEIGHTS = {"kind": 42, "losses": 18}
_KIND_COLOURS = {
    1: theme.OKABE_ITO["sky"], 2: theme.OKABE_ITO["orange"], 3: theme.OKABE_ITO["vermilion"], 4: "#8A8A86",
    5: theme.OKABE_ITO["green"], 6: theme.OKABE_ITO["purple"], 7: theme.OKABE_ITO["yellow"],
}  # fmt: skip
KIND_WORDS = {
    1: "progressive", 2: "top first", 3: "bottom first", 4: "unclear", 5: "film", 6: "repeats", 7: "blended",
}  # fmt: skip
# Zooming by a key makes the span so many times smaller or larger.
_ZOOM = 2.0


# Between drawing one strip and the next, so that what is done already is painted and input is heard.
_BREATH_MS = 20


class _TimeAxis(pg.AxisItem):  # type: ignore[misc]
    """Seconds as h:mm:ss, or with tenths when zoomed in."""

    def tickStrings(self, values: list[float], _scale: float, spacing: float) -> list[str]:
        return [clock(v) if spacing >= 1 else f"{v:.1f} s" for v in values]


class EvidenceStrips(pg.GraphicsLayoutWidget):  # type: ignore[misc]
    """Emits ``frame_chosen`` with a frame number, ``selected`` with (first, last) or None, and what keys ask for otherwise."""

    frame_chosen = Signal(int)
    selected = Signal(object)
    next_place = Signal(int)
    turn_view = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setBackground(theme.WELL)
        self.ci.layout.setContentsMargins(10, 8, 14, 4)
        self.ci.layout.setVerticalSpacing(2)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Evidence over time; left and right step frames")
        self.viewport().setAccessibleName(self.accessibleName())
        self.setToolTip(
            "Left, Right: a frame · with Shift: a second · Page: a screenful · wheel, + and −: zoom · S: begin or end a selection"
            " · Z: zoom to it · Esc: let it go · N, P: next and previous place · V: another view"
        )
        self._reading: Reading | None = None
        self._frame = 0
        self._plots: dict[str, Any] = {}
        self._lines: list[Any] = []
        self._captions: dict[str, Any] = {}
        self._to_draw: list[Callable[[], None]] = []
        self._regions: list[Any] = []
        self._from: int | None = None
        self.selection: tuple[int, int] | None = None
        self.scene().sigMouseClicked.connect(self._on_click)
        QTimer.singleShot(0, self, self._add_next_row)

    def _add_next_row(self) -> None:
        """One row a turn of the event loop: a plot takes some hundredths of a second to make."""
        number = len(self._plots)
        if number < len(_ROWS):
            self._add_row(number, _ROWS[number])
            self.ci.layout.setRowStretchFactor(number, 1)
            if (height := _HEIGHTS.get(_ROWS[number])) is not None:
                self.ci.layout.setRowFixedHeight(number, height)
            QTimer.singleShot(0, self, self._add_next_row)

    def _add_all_rows(self) -> None:
        while len(self._plots) < len(_ROWS):
            self._add_next_row()

    def _add_row(self, number: int, key: str) -> None:
        last = key == _ROWS[-1]
        plot = self.addPlot(row=number, col=0, axisItems={"bottom": _TimeAxis("bottom")}, enableMenu=False)
        plot.hideButtons()
        plot.setMouseEnabled(x=True, y=False)
        plot.getAxis("left").setWidth(96)
        plot.getAxis("left").setStyle(showValues=False, tickLength=0)
        plot.getAxis("left").setPen(QColor(theme.WELL_LINE))
        plot.setLabel("left", "")
        caption = pg.LabelItem("", justify="left")
        caption.setParentItem(plot.getAxis("left"))
        caption.anchor(itemPos=(0, 0.5), parentPos=(0, 0.5))
        self._captions[key] = caption
        self._caption(key, "")
        plot.showAxis("bottom", last)
        if last:
            axis = plot.getAxis("bottom")
            axis.setTextPen(QColor(theme.WELL_MUTED))
            axis.setPen(QColor(theme.WELL_LINE))
            axis.setStyle(tickFont=theme.mono(11))
        if self._plots:
            plot.setXLink(self._plots["kind"])
        region = pg.LinearRegionItem(brush=pg.mkBrush(255, 255, 255, 38), pen=pg.mkPen("white", width=1), movable=False)
        region.setZValue(9)
        region.hide()
        plot.addItem(region)
        self._regions.append(region)
        line = pg.InfiniteLine(0, angle=90, pen=pg.mkPen("white", width=1))
        line.setZValue(10)
        plot.addItem(line)
        self._lines.append(line)
        self._plots[key] = plot

    def show_reading(self, reading: Reading | None) -> None:
        """Draw a reading's strips (None clears), one after another with a breath between."""
        self._reading = reading
        self._to_draw = [self._clear]
        if reading is not None:
            strips = reading.strips
            step = float(strips.frames_per_bin / Fraction(reading.rate.nominal))
            sound = [max(0.0, v + 60) for v in strips.sound_db]
            self._to_draw += [
                partial(self._set_span, max(len(strips.combing), 1) * step),
                partial(self._draw_kind, strips.vote, step),
                partial(self._draw_curve, "combing", strips.combing, step, theme.OKABE_ITO["orange"]),
                partial(self._draw_curve, "motion", strips.motion, step, theme.OKABE_ITO["sky"]),
                partial(self._draw_range, strips.low, strips.high, step),
                partial(self._draw_losses, strips.loss, step),
                partial(self._draw_curve, "sound", sound, step, theme.OKABE_ITO["green"]),
            ]
        self.select(None)
        QTimer.singleShot(_BREATH_MS, self, self._draw_next)

    def _clear(self) -> None:
        self._add_all_rows()
        for (key, plot), line, region in zip(self._plots.items(), self._lines, self._regions, strict=True):
            plot.clear()
            plot.addItem(line)
            plot.addItem(region)
            self._caption(key, "")

    def _set_span(self, seconds: float) -> None:
        for plot in self._plots.values():
            plot.setLimits(xMin=0, xMax=seconds)
        self._plots["kind"].setXRange(0, seconds, padding=0)
        self.show_frame(self._frame)

    def _draw_next(self) -> None:
        if self._to_draw:
            self._to_draw.pop(0)()
            # Rows that are made before the first reading shrink the whole to their least height; give it its room again.
            self.ci.setGeometry(QRectF(self.viewport().rect()))
            QTimer.singleShot(_BREATH_MS, self, self._draw_next)

    def show_frame(self, frame: int) -> None:
        self._frame = frame
        if self._reading is not None:
            at = float(frame / Fraction(self._reading.rate.nominal))
            for line in self._lines:
                line.setPos(at)

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

    def zoom(self, factor: float) -> None:
        """Make the span shown so many times as long, around the frame shown."""
        low, high = self._plots["kind"].viewRange()[0]
        at = self._seconds(self._frame)
        at = at if low <= at <= high else (low + high) / 2
        self._plots["kind"].setXRange(at - (at - low) * factor, at + (high - at) * factor, padding=0)

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
        for region in self._regions:
            region.setVisible(frames is not None)
            if frames is not None:
                region.setRegion((self._seconds(frames[0]), self._seconds(frames[1] + 1)))
        self.selected.emit(frames)

    def zoom_to_selection(self) -> None:
        """Fill the width with the selection; without one, with all there is."""
        if self._reading is None:
            return
        first, last = self.selection or (0, self._reading.frames - 1)
        self._plots["kind"].setXRange(self._seconds(first), self._seconds(last + 1), padding=0.01)

    def _seconds(self, frame: int) -> float:
        return float(frame / Fraction(self._reading.rate.nominal)) if self._reading is not None else 0.0

    def _span_frames(self) -> float:
        low, high = self._plots["kind"].viewRange()[0]
        return float((high - low) * Fraction(self._reading.rate.nominal)) if self._reading is not None else 1.0

    def choose(self, frame: int) -> None:
        if self._reading is not None:
            frame = max(0, min(self._reading.frames - 1, frame))
            self.show_frame(frame)
            self.frame_chosen.emit(frame)

    def _on_click(self, event: Any) -> None:
        if self._reading is None or "kind" not in self._plots:
            return
        plot = self._plots["kind"]
        at = plot.vb.mapSceneToView(QPointF(event.scenePos())).x()
        self.choose(int(at * Fraction(self._reading.rate.nominal)))

    def _caption(self, key: str, scale: str) -> None:
        """Name of a strip, and under it what its height or its colours stand for."""
        small = f'<br><span style="color:{theme.WELL_MUTED};font-size:10px">{scale}</span>' if scale else ""
        self._captions[key].setText(f'<span style="color:{theme.WELL_TEXT};font-size:{theme.SMALL_PX}px">{key}</span>{small}')

    def _draw_curve(self, key: str, values: list[float], step: float, colour: str) -> None:
        fill = QColor(colour)
        fill.setAlpha(110)
        times = np.arange(len(values) + 1) * step
        curve = pg.PlotCurveItem(
            times, np.asarray(values, float), stepMode="center", fillLevel=0, brush=fill, pen=pg.mkPen(colour, width=1)
        )
        self._plots[key].addItem(curve)
        # Cuts stand far above all else: they may reach out of the strip.
        usual = float(np.percentile(values, 98.5)) if values else 0.0
        top = 60.0 if key == "sound" else max(5.0, min(float(np.max(values, initial=0.0)) * 1.1, 1.6 * usual))
        self._plots[key].setYRange(0, top, padding=0)
        self._caption(key, "−60 to 0 dB" if key == "sound" else f"0 to {top:.0f} code values")

    def _draw_range(self, low: list[float], high: list[float], step: float) -> None:
        """From the darkest to the brightest hundredth of the luma."""
        plot = self._plots["luma range"]
        plot.setYRange(0, 255, padding=0)
        self._caption("luma range", "1 to 99 %, of 255" if high else "not measured")
        if not high:
            return
        times = (np.arange(len(high)) + 0.5) * step
        edges = [pg.PlotCurveItem(times, np.asarray(values, float), pen=pg.mkPen(theme.WELL_TEXT, width=1)) for values in (low, high)]
        for edge in edges:
            plot.addItem(edge)
        plot.addItem(pg.FillBetweenItem(*edges, brush=pg.mkBrush(150, 150, 146, 120)))

    def _draw_losses(self, losses: list[int], step: float) -> None:
        """A stroke for each repeated frame, a taller one with a square for what is lost."""
        plot = self._plots["losses"]
        plot.setYRange(0, 1, padding=0)
        marks = np.asarray(losses, np.int64)
        shown = {kind: (np.flatnonzero(marks == kind) + 0.5) * step for kind in (1, 2)}
        self._caption("losses", "" if marks.any() else "none" if len(marks) else "not measured")
        for kind, symbol, colour in ((1, "t1", theme.OKABE_ITO["yellow"]), (2, "s", theme.OKABE_ITO["vermilion"])):
            if len(shown[kind]):
                plot.addItem(
                    pg.ScatterPlotItem(
                        shown[kind], np.full(len(shown[kind]), 0.5), symbol=symbol, size=8, brush=pg.mkBrush(colour), pen=None
                    )
                )

    def _draw_kind(self, votes: list[int], step: float) -> None:
        """One picture of the votes in their colours, nothing where nothing moved; long runs carry their word."""
        plot = self._plots["kind"]
        plot.setYRange(0, 1, padding=0)
        shown = [kind for kind in KIND_WORDS if kind in votes]
        self._caption("kind", "<br>".join(f'<span style="color:{_KIND_COLOURS[k]}">■</span> {KIND_WORDS[k]}' for k in shown))
        colours = np.zeros((8, 4), np.uint8)
        for kind, name in _KIND_COLOURS.items():
            colour = QColor(name)
            colours[kind] = (colour.red(), colour.green(), colour.blue(), 255)
        picture = pg.ImageItem(colours[np.asarray(votes, np.intp)][:, None, :], autoLevels=False)
        picture.setRect(QRectF(0, 0.08, len(votes) * step, 0.84))
        plot.addItem(picture)
        start = 0
        for place in range(1, len(votes) + 1):
            if place < len(votes) and votes[place] == votes[start]:
                continue
            kind, first, length = votes[start], start, place - start
            start = place
            if kind and length > 0.14 * len(votes):
                words = pg.TextItem(KIND_WORDS[kind], color="#16171A", anchor=(0.5, 0.5))
                words.setFont(theme.sans(theme.SMALL_PX))
                words.setPos((first + length / 2) * step, 0.5)
                plot.addItem(words)
