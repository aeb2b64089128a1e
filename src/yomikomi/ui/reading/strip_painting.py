"""How the evidence of a reading is drawn over time: one row for each thing that was measured, all of one span of seconds."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPolygonF

from yomikomi.core.reading.models import Reading
from yomikomi.core.video.timecode import clock
from yomikomi.ui import theme

ROWS = ("kind", "combing", "motion", "luma range", "losses", "sound")
KIND_WORDS = {
    1: "progressive", 2: "top first", 3: "bottom first", 4: "unclear", 5: "film", 6: "repeats", 7: "blended",
}  # fmt: skip
_KIND_COLOURS = {
    1: theme.OKABE_ITO["sky"], 2: theme.OKABE_ITO["orange"], 3: theme.OKABE_ITO["vermilion"], 4: "#8A8A86",
    5: theme.OKABE_ITO["green"], 6: theme.OKABE_ITO["purple"], 7: theme.OKABE_ITO["yellow"],
}  # fmt: skip
_CURVES = {"combing": theme.OKABE_ITO["orange"], "motion": theme.OKABE_ITO["sky"], "sound": theme.OKABE_ITO["green"]}
# Pixels: rows of a fixed height, all others share the rest; captions at the left, the axis below; between rows.
_HEIGHTS = {"kind": 42, "losses": 18}
_CAPTION_WIDE, _AXIS_HIGH, _GAP, _EDGE = 104, 20, 3, 10
_DEEPEST_DB = -60.0
# Seconds between two figures of the axis, and the pixels that one needs.
_TICKS = (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1200, 1800, 3600, 7200)
_TICK_WIDE = 84


@dataclass(frozen=True)
class Places:
    """Where rows lie in a widget of some size, and which seconds they show."""

    width: int
    height: int
    low: float
    high: float

    @property
    def left(self) -> int:
        return _EDGE + _CAPTION_WIDE

    @property
    def wide(self) -> int:
        return max(1, self.width - self.left - _EDGE)

    @property
    def rows(self) -> dict[str, QRectF]:
        fixed = sum(_HEIGHTS.values())
        free = self.height - 2 * 6 - _AXIS_HIGH - fixed - _GAP * (len(ROWS) - 1)
        each = max(8.0, free / (len(ROWS) - len(_HEIGHTS)))
        found, top = {}, 6.0
        for key in ROWS:
            high = float(_HEIGHTS.get(key, each))
            found[key] = QRectF(self.left, top, self.wide, high)
            top += high + _GAP
        return found

    def x(self, seconds: float) -> float:
        return self.left + self.wide * (seconds - self.low) / max(1e-9, self.high - self.low)

    def seconds(self, x: float) -> float:
        return self.low + (x - self.left) / self.wide * (self.high - self.low)


class StripPainter:
    """Draws a reading; reading it off once, so that zooming and scrolling cost little."""

    def __init__(self, reading: Reading) -> None:
        strips = reading.strips
        self._step = float(strips.frames_per_bin / Fraction(reading.rate.nominal))
        self.seconds = max(len(strips.combing), 1) * self._step
        self._votes = np.asarray(strips.vote, np.intp)
        sound = np.maximum(np.asarray(strips.sound_db, float) - _DEEPEST_DB, 0.0)
        self._curves = {"combing": np.asarray(strips.combing, float), "motion": np.asarray(strips.motion, float), "sound": sound}
        self._range = np.asarray(strips.low, float), np.asarray(strips.high, float)
        self._losses = np.asarray(strips.loss, np.int64)
        self._tops = {key: _top_of(key, values) for key, values in self._curves.items()}

    def draw(self, painter: QPainter, places: Places) -> None:
        rows = places.rows
        for key, place in rows.items():
            painter.fillRect(place, QColor(255, 255, 255, 8))
            self._caption(painter, key, place)
        painter.save()
        painter.setClipRect(QRectF(places.left, 0, places.wide, places.height))
        self._draw_kind(painter, places, rows["kind"])
        for key, values in self._curves.items():
            self._draw_curve(painter, places, rows[key], values, key)
        self._draw_range(painter, places, rows["luma range"])
        self._draw_losses(painter, places, rows["losses"])
        painter.restore()
        _draw_axis(painter, places, rows[ROWS[-1]].bottom() + 2)

    def _caption(self, painter: QPainter, key: str, place: QRectF) -> None:
        """Name of a row, and under it what its height or its colours stand for."""
        left = QRectF(_EDGE, place.top(), _CAPTION_WIDE - 8, place.height())
        small = self._scale(key)
        if key == "kind":
            self._kind_caption(painter, left)
            return
        painter.setFont(theme.sans(theme.SMALL_PX))
        painter.setPen(QColor(theme.WELL_TEXT))
        line = painter.fontMetrics().height()
        beside = place.height() < 2 * line - 4
        align = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        middle = left.center().y()
        painter.drawText(left if beside or not small else QRectF(left.left(), middle - line, left.width(), line), align, key)
        painter.setPen(QColor(theme.WELL_MUTED))
        painter.setFont(theme.sans(10))
        if beside:
            painter.drawText(left, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, small if key == "losses" else "")
        elif small:
            painter.drawText(QRectF(left.left(), middle, left.width() + 6, line), align, small)

    def _scale(self, key: str) -> str:
        if key == "sound":
            return "−60 to 0 dB"
        if key == "luma range":
            return "1 to 99 %, of 255" if self._range[1].size else "not measured"
        if key == "losses":
            return "" if self._losses.any() else "none" if self._losses.size else "not measured"
        return f"0 to {self._tops[key]:.0f} code values" if key in self._tops else ""

    def _kind_caption(self, painter: QPainter, left: QRectF) -> None:
        shown = [kind for kind in KIND_WORDS if kind in self._votes]
        painter.setFont(theme.sans(10 if len(shown) > 2 else 11))
        line = min(painter.fontMetrics().height(), left.height() / max(1, len(shown)))
        top = left.center().y() - line * len(shown) / 2
        for number, kind in enumerate(shown):
            painter.fillRect(QRectF(left.left(), top + number * line + line / 2 - 4, 8, 8), QColor(_KIND_COLOURS[kind]))
            painter.setPen(QColor(theme.WELL_TEXT))
            place = QRectF(left.left() + 13, top + number * line, left.width() - 8, line)
            painter.drawText(place, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, KIND_WORDS[kind])

    def _bins(self, places: Places, count: int, across: int) -> NDArray[np.intp]:
        """The first bin of each column of pixels, where there are bins: as many as reach into the span. Shape (columns,)."""
        left = places.low + np.arange(across) / across * (places.high - places.low)
        found = np.floor(left / self._step + 1e-9).astype(np.intp)
        return found[(found >= 0) & (found < count)]

    def _largest(self, values: NDArray[np.float64], bins: NDArray[np.intp], places: Places) -> NDArray[np.float64]:
        """In each column of pixels: the largest value of its bins. Shape (columns,)."""
        last = min(len(values), int(np.ceil(places.high / self._step)))
        return np.asarray(np.maximum.reduceat(values[: max(last, int(bins[-1]) + 1)], bins))

    def _draw_kind(self, painter: QPainter, places: Places, row: QRectF) -> None:
        """The votes in their colours, nothing where nothing moved; long runs carry their word."""
        bins = self._bins(places, len(self._votes), places.wide)
        if not len(bins):
            return
        votes = self._votes[bins]
        picture = _KIND_TABLE[votes][None]
        painter.drawImage(QRectF(places.left, row.top() + 2, len(bins), row.height() - 4), _image(picture))
        starts = np.flatnonzero(np.diff(votes, prepend=-1))
        ends = np.append(starts[1:], len(votes))
        painter.setFont(theme.sans(theme.SMALL_PX))
        painter.setPen(QColor(theme.ON_BRIGHT))
        for start, end in zip(starts, ends, strict=True):
            kind = int(votes[start])
            if kind and end - start > 30 and end - start > painter.fontMetrics().horizontalAdvance(KIND_WORDS[kind]) + 12:
                place = QRectF(places.left + int(start), row.top(), int(end - start), row.height())
                painter.drawText(place, Qt.AlignmentFlag.AlignCenter, KIND_WORDS[kind])

    def _draw_curve(self, painter: QPainter, places: Places, row: QRectF, values: NDArray[np.float64], key: str) -> None:
        scale = painter.device().devicePixelRatioF()
        bins = self._bins(places, len(values), round(places.wide * scale))
        if not len(bins):
            return
        tall = max(1, round(row.height() * scale))
        heights = tall - np.rint(np.clip(self._largest(values, bins, places) / self._tops[key], 0, 1) * (tall - 1)).astype(int)
        lines = np.arange(tall)[:, None]
        # The edge reaches from a column to its neighbour, so that steps are joined.
        before = np.concatenate([heights[:1], heights[:-1]])
        upper, lower = np.minimum(heights, before), np.maximum(np.maximum(heights, before), heights + round(scale))
        picture = np.zeros((tall, len(bins), 4), np.uint8)
        picture[lines >= heights] = _colour(_CURVES[key], 110)
        picture[(lines >= upper) & (lines < lower)] = _colour(_CURVES[key], 255)
        painter.drawImage(QRectF(places.left, row.top(), len(bins) / scale, row.height()), _image(picture))

    def _draw_range(self, painter: QPainter, places: Places, row: QRectF) -> None:
        """From the darkest to the brightest hundredth of the luma."""
        scale = painter.device().devicePixelRatioF()
        bins = self._bins(places, len(self._range[1]), round(places.wide * scale))
        if not len(bins):
            return
        tall = max(1, round(row.height() * scale))
        low, high = (tall - 1 - np.rint(part[bins] / 255 * (tall - 1)).astype(int) for part in self._range)
        lines = np.arange(tall)[:, None]
        picture = np.zeros((tall, len(bins), 4), np.uint8)
        picture[(lines >= high) & (lines <= low)] = (150, 150, 146, 120)
        for edge in (low, high):
            picture[np.abs(lines - edge) < max(1, round(scale) / 2)] = _colour(theme.WELL_TEXT, 255)
        painter.drawImage(QRectF(places.left, row.top(), len(bins) / scale, row.height()), _image(picture))

    def _draw_losses(self, painter: QPainter, places: Places, row: QRectF) -> None:
        """A triangle for repeated frames, a square for what is lost."""
        painter.setPen(Qt.PenStyle.NoPen)
        middle = row.center().y()
        for kind, colour in ((1, theme.OKABE_ITO["yellow"]), (2, theme.OKABE_ITO["vermilion"])):
            painter.setBrush(QColor(colour))
            at = (np.flatnonzero(self._losses == kind) + 0.5) * self._step
            shown = {round(places.x(float(one))) for one in at[(at >= places.low) & (at <= places.high)]}
            for x in sorted(shown):
                if kind == 1:
                    painter.drawPolygon(QPolygonF([QPointF(x, middle - 5), QPointF(x + 5, middle + 4), QPointF(x - 5, middle + 4)]))
                else:
                    painter.drawRect(QRectF(x - 4, middle - 4, 8, 8))


def _colour(name: str, opacity: int) -> tuple[int, int, int, int]:
    colour = QColor(name)
    return colour.red(), colour.green(), colour.blue(), opacity


_KIND_TABLE = np.zeros((8, 4), np.uint8)
for _kind, _name in _KIND_COLOURS.items():
    _KIND_TABLE[_kind] = _colour(_name, 255)


def _image(picture: NDArray[np.uint8]) -> QImage:
    """``picture``: shape=(lines, columns, 4), red, green, blue, opacity. The image has samples of its own."""
    held = np.ascontiguousarray(picture)
    return QImage(held.data, held.shape[1], held.shape[0], 4 * held.shape[1], QImage.Format.Format_RGBA8888).copy()


def _top_of(key: str, values: NDArray[np.float64]) -> float:
    """Cuts stand far above all else: they may reach out of the row."""
    if key == "sound":
        return -_DEEPEST_DB
    usual = float(np.percentile(values, 98.5)) if values.size else 0.0
    return max(5.0, min(float(np.max(values, initial=0.0)) * 1.1, 1.6 * usual))


def _draw_axis(painter: QPainter, places: Places, top: float) -> None:
    """Seconds as h:mm:ss, or with tenths when zoomed in."""
    span = places.high - places.low
    step = next((one for one in _TICKS if one / span * places.wide >= _TICK_WIDE), _TICKS[-1])
    painter.setFont(theme.mono(11))
    first = int(np.ceil(places.low / step - 1e-9))
    for number in range(first, int(places.high / step + 1e-9) + 1):
        x = places.x(number * step)
        painter.setPen(QColor(theme.WELL_LINE))
        painter.drawLine(QPointF(x, top), QPointF(x, top + 4))
        painter.setPen(QColor(theme.WELL_MUTED))
        words = clock(number * step) if step >= 1 else f"{number * step:.1f} s"
        wide = painter.fontMetrics().horizontalAdvance(words)
        left = min(max(x - wide / 2, places.left), places.left + places.wide - wide)
        painter.drawText(QRectF(left, top + 4, wide + 2, _AXIS_HIGH - 4), Qt.AlignmentFlag.AlignLeft, words)
