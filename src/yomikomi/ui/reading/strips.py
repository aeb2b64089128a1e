"""The evidence over time: strips on one time axis, clicked to see the frame."""

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

_ROWS = ("kind", "combing", "motion", "sound")
_KIND_COLOURS = {1: theme.OKABE_ITO["sky"], 2: theme.OKABE_ITO["orange"], 3: theme.OKABE_ITO["vermilion"], 4: "#8A8A86"}
_KIND_WORDS = {1: "progressive", 2: "top first", 3: "bottom first", 4: "unclear"}


# Between drawing one strip and the next, so that what is done already is painted and input is heard.
_BREATH_MS = 20


class _TimeAxis(pg.AxisItem):  # type: ignore[misc]
    """Seconds as h:mm:ss, or with tenths when zoomed in."""

    def tickStrings(self, values: list[float], _scale: float, spacing: float) -> list[str]:
        return [clock(v) if spacing >= 1 else f"{v:.1f} s" for v in values]


class EvidenceStrips(pg.GraphicsLayoutWidget):  # type: ignore[misc]
    """Emits ``frame_chosen`` with a frame number."""

    frame_chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setBackground(theme.WELL)
        self.ci.layout.setContentsMargins(10, 8, 14, 4)
        self.ci.layout.setVerticalSpacing(2)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Evidence over time; left and right step frames")
        self._reading: Reading | None = None
        self._frame = 0
        self._plots: dict[str, Any] = {}
        self._lines: list[Any] = []
        self._captions: dict[str, Any] = {}
        self._to_draw: list[Callable[[], None]] = []
        self.scene().sigMouseClicked.connect(self._on_click)
        QTimer.singleShot(0, self, self._add_next_row)

    def _add_next_row(self) -> None:
        """One row a turn of the event loop: a plot takes some hundredths of a second to make."""
        number = len(self._plots)
        if number < len(_ROWS):
            self._add_row(number, _ROWS[number])
            self.ci.layout.setRowStretchFactor(number, 1)
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
                partial(self._draw_curve, "sound", sound, step, theme.OKABE_ITO["green"]),
            ]
        QTimer.singleShot(_BREATH_MS, self, self._draw_next)

    def _clear(self) -> None:
        self._add_all_rows()
        for (key, plot), line in zip(self._plots.items(), self._lines, strict=True):
            plot.clear()
            plot.addItem(line)
            self._caption(key, "")

    def _set_span(self, seconds: float) -> None:
        for plot in self._plots.values():
            plot.setLimits(xMin=0, xMax=seconds)
        self._plots["kind"].setXRange(0, seconds, padding=0)
        self.show_frame(self._frame)

    def _draw_next(self) -> None:
        if self._to_draw:
            self._to_draw.pop(0)()
            QTimer.singleShot(_BREATH_MS, self, self._draw_next)

    def show_frame(self, frame: int) -> None:
        self._frame = frame
        if self._reading is not None:
            at = float(frame / Fraction(self._reading.rate.nominal))
            for line in self._lines:
                line.setPos(at)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageUp: -30, Qt.Key.Key_PageDown: 30}.get(Qt.Key(event.key()))
        if step is not None and self._reading is not None:
            self.choose(self._frame + step)
        else:
            super().keyPressEvent(event)

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
        top = 60.0 if key == "sound" else max(5.0, float(np.max(values, initial=0.0)) * 1.1)
        self._plots[key].setYRange(0, top, padding=0)
        self._caption(key, "−60 to 0 dB" if key == "sound" else f"0 to {top:.0f} codes")

    def _draw_kind(self, votes: list[int], step: float) -> None:
        """One picture of the votes in their colours, nothing where nothing moved; long runs carry their word."""
        plot = self._plots["kind"]
        plot.setYRange(0, 1, padding=0)
        shown = [kind for kind in _KIND_WORDS if kind in votes]
        self._caption("kind", "<br>".join(f'<span style="color:{_KIND_COLOURS[k]}">■</span> {_KIND_WORDS[k]}' for k in shown))
        colours = np.zeros((5, 4), np.uint8)
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
                words = pg.TextItem(_KIND_WORDS[kind], color="#16171A", anchor=(0.5, 0.5))
                words.setFont(theme.sans(theme.SMALL_PX))
                words.setPos((first + length / 2) * step, 0.5)
                plot.addItem(words)
