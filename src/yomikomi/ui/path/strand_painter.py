"""Painting the strands of a path: devices as columns, breaks and costs where they are."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPainterPath, QPen

from yomikomi.core.path.findings import Finding, Strand
from yomikomi.core.path.rates import write_limit_mbps, written_mbps
from yomikomi.core.path.rules import RULES
from yomikomi.core.path.trace import LinkReport, Trace
from yomikomi.core.video.units import bit_rate_text
from yomikomi.core.work.text import capital
from yomikomi.ui import theme
from yomikomi.ui.path.strand_layout import LANES, MARGIN_PX, Layout
from yomikomi.ui.widgets.basics import draw_mark

_POWER_COLOUR = "#8A8D92"
_ROLE_WORDS = {
    "player": "player", "camera": "camera", "console": "console", "reader": "reader", "recorder": "recorder", "converter": "on the way",
    "interface": "sound", "screen": "to watch", "amplifier": "amplifier", "headset": "to listen", "microphone": "to speak", "hub": "hub",
    "computer": "records", "drive": "drive", "card": "card",
}  # fmt: skip


class StrandPainter:
    """One painting of one traced path."""

    def __init__(self, painter: QPainter, traced: Trace, layout: Layout) -> None:
        self._painter, self._traced, self._layout = painter, traced, layout

    def paint(self) -> None:
        self._painter.setPen(QColor(theme.MUTED))
        self._painter.setFont(theme.sans(theme.SMALL_PX))
        self._painter.drawText(QRectF(14, 8, 400, 18), Qt.AlignmentFlag.AlignVCenter, "The signal runs from left to right")
        self._paint_passing()
        for piece, box in self._layout.columns.items():
            self._paint_device(piece, box)
        for strand, words, colour in LANES:
            if strand in self._layout.lanes:
                self._paint_lane(strand, words, QColor(colour))
        self._paint_power()
        self._paint_marks()

    def _paint_passing(self) -> None:
        """Strands that pass behind devices they do not enter."""
        for report in self._reports():
            x0, x1 = self._layout.ends(report.link)
            pen = self._pen(report, QColor(self._colour(report.strand)))
            self._painter.setPen(pen)
            y = self._layout.lanes[report.strand]
            self._painter.drawLine(QPointF(x0, y), QPointF(x1, y))

    def _paint_device(self, piece: str, box: QRectF) -> None:
        setup = self._traced.setup
        wrong = any(one.place == piece and one.weight == "break" and one.link is None for one in self._traced.findings)
        self._painter.setBrush(QColor(theme.PAPER))
        self._painter.setPen(QPen(QColor(theme.MADDER if wrong else theme.LINE), 2 if wrong else 1))
        self._painter.drawRoundedRect(box, 5, 5)
        self._painter.setPen(QColor(theme.INK))
        self._painter.setFont(theme.sans(theme.BODY_PX))
        words = setup.words(piece)
        name = QRectF(box.left() + 9, box.top() + 7, box.width() - 14, 34)
        self._painter.drawText(name, Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignTop, capital(words))
        self._painter.setPen(QColor(theme.MUTED))
        self._painter.setFont(theme.sans(theme.SMALL_PX - 1))
        role = _ROLE_WORDS.get(setup.kind(piece).role, "")
        self._painter.drawText(QRectF(box.left() + 9, box.top() + 43, box.width() - 14, 16), Qt.AlignmentFlag.AlignVCenter, role)

    def _paint_lane(self, strand: Strand, words: str, colour: QColor) -> None:
        y = self._layout.lanes[strand]
        self._painter.setPen(QColor(theme.MUTED))
        self._painter.setFont(theme.sans(theme.SMALL_PX))
        self._painter.drawText(QRectF(4, y - 9, MARGIN_PX - 12, 18), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)
        reports = [one for one in self._reports() if one.strand == strand]
        entered: set[str] = set()
        for report in reports:
            self._paint_stub(report, colour, y, into=False, drawn=entered)
            self._paint_stub(report, colour, y, into=True, drawn=entered)
        for report in reports:
            self._label_link(report, y)
        if strand in {"picture", "sound"}:
            self._paint_to_store(strand, colour, y)

    def _paint_to_store(self, strand: Strand, colour: QColor, y: float) -> None:
        """From the computer on to the drive that card."""
        setup = self._traced.setup
        computer, store = setup.path.computer, setup.path.store
        if computer is None or store not in self._layout.columns or computer not in self._layout.columns:
            return
        whole = strand not in self._traced.broken
        pen = QPen(colour, 6 if whole else 2)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        if not whole:
            pen.setDashPattern([3, 3])
        self._painter.setPen(pen)
        left, right = self._layout.columns[computer], self._layout.columns[store]
        self._painter.drawLine(QPointF(left.center().x(), y), QPointF(right.center().x(), y))
        needed, limit = written_mbps(setup), write_limit_mbps(setup)
        if strand == "picture" and needed and limit:
            wide = right.left() - left.right() - 4
            self._painter.setFont(theme.mono(theme.SMALL_PX - 2))
            self._painter.setPen(QColor(theme.INK))
            self._between(QRectF(left.right() + 2, y - 22, wide, 16), f"≤ {_rate(needed)}", f"≤{needed:.0f}")
            self._painter.setPen(QColor(theme.MUTED))
            self._between(QRectF(left.right() + 2, y + 7, wide, 15), f"{limit / needed:.1f}× room", f"{limit / needed:.1f}×")

    def _between(self, place: QRectF, *ways: str) -> None:
        """The first way of saying it that fits between two devices, or the last."""
        metrics = QFontMetricsF(self._painter.font())
        said = next((words for words in ways if metrics.horizontalAdvance(words) <= place.width()), ways[-1])
        self._painter.drawText(place, Qt.AlignmentFlag.AlignCenter, said)

    def _paint_stub(self, report: LinkReport, colour: QColor, y: float, *, into: bool, drawn: set[str]) -> None:
        """A strand inside a device, and the name of the socket above it."""
        setup, link = self._traced.setup, report.link
        box = self._layout.columns[link.target if into else link.source]
        state = report.state
        alive = state != "dead" and not (into and state == "broken")
        pen = QPen(colour, 6 if alive else 2)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        if not alive:
            pen.setDashPattern([3, 3])
        self._painter.setPen(pen)
        middle = box.center().x()
        left, right = (box.left(), middle) if into else (middle, box.right())
        if self._layout.columns[link.source].left() > self._layout.columns[link.target].left():
            left, right = (middle, box.right()) if into else (box.left(), middle)
        self._painter.drawLine(QPointF(left, y), QPointF(right, y))
        port = setup.port_in(link) if into else setup.port_out(link)
        self._painter.setPen(QColor(theme.MUTED))
        self._painter.setFont(theme.sans(theme.SMALL_PX - 1))
        words = port.short
        key = f"{box.left()}{words}{into}"
        if key in drawn:
            return
        drawn.add(key)
        area = QRectF(box.left() + 6, y - 21, box.width() - 12, 15)
        align = Qt.AlignmentFlag.AlignLeft if into else Qt.AlignmentFlag.AlignRight
        metrics = QFontMetricsF(self._painter.font())
        same = self._port_named_twice(report, into)
        if not same:
            self._painter.drawText(
                area, align | Qt.AlignmentFlag.AlignVCenter, metrics.elidedText(words, Qt.TextElideMode.ElideRight, area.width() * 0.62)
            )

    def _port_named_twice(self, report: LinkReport, into: bool) -> bool:
        """Picture and sound through the same socket: it is named at the picture."""
        if report.strand != "sound":
            return False
        return any(one.strand == "picture" and one.link == report.link for one in self._reports())

    def _label_link(self, report: LinkReport, y: float) -> None:
        x0, x1 = self._layout.ends(report.link)
        if report.strand not in {"picture", "screen"} or report.state == "broken":
            return
        wide = max(70.0, abs(x1 - x0) - 4)
        centre = (x0 + x1) / 2
        self._painter.setPen(QColor(theme.INK))
        self._painter.setFont(theme.mono(theme.SMALL_PX - 2))
        metrics = QFontMetricsF(self._painter.font())
        flow = report.flow
        above = report.words if report.words != "data" else _rate(flow.needed) if flow.needed else "data"
        above = metrics.elidedText(above, Qt.TextElideMode.ElideRight, wide)
        self._painter.drawText(QRectF(centre - wide / 2, y - 22, wide, 16), Qt.AlignmentFlag.AlignCenter, above)
        if flow.margin is not None and flow.payload is not None:
            self._painter.setPen(QColor(theme.MUTED))
            below = f"{flow.margin:.1f}× room" if flow.margin >= 1 else f"{flow.margin:.2f}×: too narrow"
            self._between(QRectF(centre - wide / 2, y + 7, wide, 15), below, f"{flow.margin:.2g}×")

    def _paint_power(self) -> None:
        setup, y = self._traced.setup, self._layout.power_y
        self._painter.setPen(QColor(theme.MUTED))
        self._painter.setFont(theme.sans(theme.SMALL_PX))
        self._painter.drawText(QRectF(4, y - 9, MARGIN_PX - 12, 18), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "power")
        host = setup.path.computer
        for piece, box in self._layout.columns.items():
            kind = setup.kind(piece).power
            if kind == "none":
                continue
            off = setup.options.get((piece, "power")) == "off"
            words = {"mains": "mains", "bus": "by data plug", "battery": "battery"}[kind] if not off else "off"
            pen = QPen(QColor(_POWER_COLOUR), 3)
            if off:
                pen.setDashPattern([2, 3])
            self._painter.setPen(pen)
            self._painter.setBrush(Qt.BrushStyle.NoBrush)
            if kind == "bus" and host in self._layout.columns:
                self._feed(box, self._layout.columns[host], y)
            else:
                self._painter.drawLine(QPointF(box.left() + 10, y), QPointF(box.center().x(), y))
            self._painter.setPen(QColor(theme.MADDER if off else theme.MUTED))
            self._painter.setFont(theme.sans(theme.SMALL_PX - 1))
            self._painter.drawText(QRectF(box.left() + 9, y - 19, box.width() - 12, 15), Qt.AlignmentFlag.AlignVCenter, words)
            if off:
                _circle_cross(self._painter, QPointF(box.center().x(), y))

    def _feed(self, box: QRectF, host: QRectF, y: float) -> None:
        """From the computer back to what hangs on its data plug."""
        start, end = (box.center().x(), host.left() + 8) if box.left() < host.left() else (host.right() - 8, box.center().x())
        path = QPainterPath(QPointF(start, y))
        if box.left() < host.left():
            path.lineTo(end - 14, y)
            path.cubicTo(QPointF(end - 4, y), QPointF(end - 8, y + 8), QPointF(end + 2, y + 8))
        else:
            path.moveTo(start, y + 8)
            path.cubicTo(QPointF(start + 12, y + 8), QPointF(start + 6, y), QPointF(start + 18, y))
            path.lineTo(end, y)
        self._painter.drawPath(path)

    def _paint_marks(self) -> None:
        """Breaks as a circle with a cross and its cause; costs as a triangle."""
        for finding in self._traced.findings:
            place = self._place_of(finding)
            if place is None or finding.weight in {"note", "risk"}:
                continue
            if finding.weight == "break":
                _circle_cross(self._painter, place)
                self._painter.setPen(QColor(theme.MADDER))
                self._painter.setFont(theme.sans(theme.SMALL_PX - 1, medium=True))
                self._painter.drawText(
                    QRectF(place.x() - 60, place.y() + 11, 120, 16), Qt.AlignmentFlag.AlignCenter, _mark_words(finding)
                )  # fmt: skip
            else:
                draw_mark(self._painter, QRectF(place.x() - 7, place.y() + 8, 13, 13), "check")

    def _place_of(self, finding: Finding) -> QPointF | None:
        strand = finding.strands[0]
        y = self._layout.lanes.get(strand, self._layout.lanes.get("picture", self._layout.power_y))
        if finding.link is not None:
            x0, x1 = self._layout.ends(finding.link)
            return QPointF((x0 + x1) / 2, y)
        box = self._layout.columns.get(finding.place)
        return QPointF(box.center().x(), y) if box is not None else None

    def _reports(self) -> tuple[LinkReport, ...]:
        return tuple(one for one in self._traced.links if one.strand in self._layout.lanes)

    @staticmethod
    def _colour(strand: Strand) -> str:
        return next(colour for key, _, colour in LANES if key == strand)

    @staticmethod
    def _pen(report: LinkReport, colour: QColor) -> QPen:
        """Whole: thick; spoilt: thick and lighter, with a mark beside it; broken or dead: thin and dashed."""
        if report.state in {"broken", "dead"}:
            pen = QPen(colour, 2)
            pen.setDashPattern([3, 3])
            return pen
        pen = QPen(colour.lighter(135) if report.state == "tinted" else colour, 6)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        return pen


def _circle_cross(painter: QPainter, centre: QPointF) -> None:
    painter.setBrush(QColor(theme.RAISED))
    painter.setPen(QPen(QColor(theme.MADDER), 2.4))
    painter.drawEllipse(centre, 11, 11)
    for dx, dy in ((5, 5), (5, -5)):
        painter.drawLine(QPointF(centre.x() - dx, centre.y() - dy), QPointF(centre.x() + dx, centre.y() + dy))


def _mark_words(finding: Finding) -> str:
    """A word or two beside a mark."""
    if finding.option is None:
        return RULES[finding.rule].words
    key, option = finding.option
    words = {"power": "no power", "plugged": "unplugged", "protection": "protected", "sound_to": "to the headset"}
    return words.get(key, f"{key.replace('_', ' ')}: {option}")


def _rate(mbps: float) -> str:
    return f"{mbps / 1000:.2f} Gb/s" if mbps >= 1000 else f"{mbps:.0f} Mb/s" if mbps >= 100 else bit_rate_text(mbps * 1e6)
