"""The drawing of a path: devices as columns, strands running from left to right, breaks and costs where they are."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QAccessible,
    QAccessibleEvent,
    QColor,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QScrollArea, QSizePolicy, QWidget

from yomikomi.core.planning.path.findings import Finding, Strand
from yomikomi.core.planning.path.rates import write_limit_mbps, written_mbps
from yomikomi.core.planning.path.rules import RULES
from yomikomi.core.planning.path.structure import Link
from yomikomi.core.planning.path.telling import link_words, power_words, told
from yomikomi.core.planning.path.trace import LinkReport, Trace
from yomikomi.core.video.units import bit_rate_text
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import draw_mark

# Lanes from the top, with what is drawn in them; a lane appears only where the path has that strand.
_LANES: tuple[tuple[Strand, str, str], ...] = (
    ("picture", "picture", theme.OKABE_ITO["blue"]),
    ("screen", "to watch", theme.OKABE_ITO["sky"]),
    ("sound", "sound", theme.OKABE_ITO["vermilion"]),
    ("ears", "to listen", theme.OKABE_ITO["orange"]),
    ("commentary", "to speak", theme.OKABE_ITO["purple"]),
)
_POWER_COLOUR = "#8A8D92"
_HEAD_PX, _TOP_PX, _FOOT_PX = 58, 32, 14
_LANE_PX = {"picture": 58, "screen": 48, "sound": 42, "ears": 38, "commentary": 38}
_POWER_PX = 36
_COLUMN_PX, _GAP_PX, _MARGIN_PX = 124, 96, 74
_ROLE_WORDS = {
    "player": "player", "camera": "camera", "console": "console", "reader": "reader", "recorder": "recorder", "converter": "on the way",
    "interface": "sound", "screen": "to watch", "amplifier": "amplifier", "headset": "to listen", "microphone": "to speak", "hub": "hub",
    "computer": "records", "drive": "drive", "card": "card",
}  # fmt: skip


@dataclass(frozen=True)
class Site:
    """A place that can be looked at: a device, or a strand's link. ``words``: what a screen reader says."""

    place: QRectF
    words: str
    findings: tuple[Finding, ...]


class StrandDrawing(QWidget):
    """Left and right step through devices and links; ``looked_at`` tells which site."""

    looked_at = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Path drawn from left to right")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._traced: Trace | None = None
        self._columns: dict[str, QRectF] = {}
        self._lanes: dict[str, float] = {}
        self._power_y = 0.0
        self.sites: list[Site] = []
        self._at = -1

    def show_trace(self, traced: Trace | None) -> None:
        self._traced = traced
        self._at = -1
        self._lay_out()
        words = "\n".join(told(traced)) if traced else ""
        self.setAccessibleDescription(words)
        QAccessible.updateAccessibility(QAccessibleEvent(self, QAccessible.Event.DescriptionChanged))
        self.updateGeometry()
        self.update()

    @property
    def site(self) -> Site | None:
        return self.sites[self._at] if 0 <= self._at < len(self.sites) else None

    def minimumSizeHint(self) -> QSize:
        return QSize(400, 220)

    def sizeHint(self) -> QSize:
        if self._traced is None:
            return QSize(600, 300)
        count = len(self._traced.setup.path.devices)
        return QSize(_MARGIN_PX + count * 104 + (count - 1) * 72 + 16, self.wanted_height)

    @property
    def wanted_height(self) -> int:
        """What it takes to show every lane."""
        strands = {one.strand for one in self._traced.links} if self._traced else set()
        return _TOP_PX + _HEAD_PX + sum(px for key, px in _LANE_PX.items() if key in strands) + _POWER_PX + _FOOT_PX + 30

    # -- layout

    def _lay_out(self) -> None:
        self._columns, self._lanes, self.sites = {}, {}, []
        traced = self._traced
        if traced is None:
            return
        devices = traced.setup.path.devices
        room = self.width() - _MARGIN_PX - 12
        count = len(devices)
        gap = min(_GAP_PX + 50.0, max(60.0, (room - count * _COLUMN_PX) / max(1, count - 1)))
        column = min(float(_COLUMN_PX + 24), max(84.0, (room - (count - 1) * gap) / count))
        strands = {one.strand for one in traced.links}
        spare = max(0.0, self.height() - self.wanted_height - 4)
        stretch = min(24.0, spare / (len(strands) + 1))
        y = float(_TOP_PX + _HEAD_PX + 26)
        for strand, _, _ in _LANES:
            if strand in strands:
                self._lanes[strand] = y + 6
                y += _LANE_PX[strand] + stretch
        self._power_y = y + 4
        bottom = self._power_y + 26
        for number, piece in enumerate(devices):
            self._columns[piece] = QRectF(_MARGIN_PX + number * (column + gap), _TOP_PX, column, bottom - _TOP_PX)
        self._collect_sites(traced)

    def _collect_sites(self, traced: Trace) -> None:
        """Devices and the links that leave them, in the order of the signal."""
        setup = traced.setup
        for piece, box in self._columns.items():
            here = tuple(one for one in traced.findings if one.place == piece and one.link is None)
            told_here = " ".join(f"{one.cause} {one.remedy}" for one in here) or "Nothing to say against it."
            self.sites.append(Site(box, f"{setup.words(piece)}, {power_words(setup, piece)}. {told_here}", here))
            for report in traced.links:
                if report.link.source == piece and (area := self._link_area(report)) is not None:
                    on = tuple(one for one in traced.findings if one.link == report.link and report.strand in one.strands)
                    words = f"{link_words(setup, report)}. " + " ".join(f"{one.cause} {one.remedy}" for one in on)
                    self.sites.append(Site(area, words, on))

    def _link_area(self, report: LinkReport) -> QRectF | None:
        y = self._lanes.get(report.strand)
        if y is None:
            return None
        x0, x1 = self._ends(report.link)
        return QRectF(min(x0, x1), y - 22, abs(x1 - x0), 44)

    def _ends(self, link: Link) -> tuple[float, float]:
        source, target = self._columns[link.source], self._columns[link.target]
        return (source.right(), target.left()) if source.left() < target.left() else (source.left(), target.right())

    # -- painting

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.RAISED))
        if self._traced is None:
            return
        painter.setPen(QColor(theme.MUTED))
        painter.setFont(theme.sans(theme.SMALL_PX))
        painter.drawText(QRectF(14, 8, 400, 18), Qt.AlignmentFlag.AlignVCenter, "The signal runs from left to right")
        self._paint_passing(painter)
        for piece, box in self._columns.items():
            self._paint_device(painter, piece, box)
        for strand, words, colour in _LANES:
            if strand in self._lanes:
                self._paint_lane(painter, strand, words, QColor(colour))
        self._paint_power(painter)
        self._paint_marks(painter)
        if self.hasFocus() and self.site is not None:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.ACCENT), 2))
            painter.drawRoundedRect(self.site.place.adjusted(-2, -2, 2, 2), 5, 5)

    def _paint_passing(self, painter: QPainter) -> None:
        """Strands that pass behind devices they do not enter."""
        for report in self._reports():
            x0, x1 = self._ends(report.link)
            pen = self._pen(report, QColor(self._colour(report.strand)))
            painter.setPen(pen)
            y = self._lanes[report.strand]
            painter.drawLine(QPointF(x0, y), QPointF(x1, y))

    def _paint_device(self, painter: QPainter, piece: str, box: QRectF) -> None:
        assert self._traced is not None
        setup = self._traced.setup
        wrong = any(one.place == piece and one.weight == "break" and one.link is None for one in self._traced.findings)
        painter.setBrush(QColor(theme.PAPER))
        painter.setPen(QPen(QColor(theme.MADDER if wrong else theme.LINE), 2 if wrong else 1))
        painter.drawRoundedRect(box, 5, 5)
        painter.setPen(QColor(theme.INK))
        painter.setFont(theme.sans(theme.BODY_PX))
        words = setup.words(piece)
        name = QRectF(box.left() + 9, box.top() + 7, box.width() - 14, 34)
        painter.drawText(name, Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignTop, words[:1].upper() + words[1:])
        painter.setPen(QColor(theme.MUTED))
        painter.setFont(theme.sans(theme.SMALL_PX - 1))
        role = _ROLE_WORDS.get(setup.kind(piece).role, "")
        painter.drawText(QRectF(box.left() + 9, box.top() + 43, box.width() - 14, 16), Qt.AlignmentFlag.AlignVCenter, role)

    def _paint_lane(self, painter: QPainter, strand: Strand, words: str, colour: QColor) -> None:
        y = self._lanes[strand]
        painter.setPen(QColor(theme.MUTED))
        painter.setFont(theme.sans(theme.SMALL_PX))
        painter.drawText(QRectF(4, y - 9, _MARGIN_PX - 12, 18), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)
        reports = [one for one in self._reports() if one.strand == strand]
        entered: set[str] = set()
        for report in reports:
            self._paint_stub(painter, report, colour, y, into=False, drawn=entered)
            self._paint_stub(painter, report, colour, y, into=True, drawn=entered)
        for report in reports:
            self._label_link(painter, report, y)
        if strand in {"picture", "sound"}:
            self._paint_to_store(painter, strand, colour, y)

    def _paint_to_store(self, painter: QPainter, strand: Strand, colour: QColor, y: float) -> None:
        """From the computer on to the drive that card."""
        assert self._traced is not None
        setup = self._traced.setup
        computer, store = setup.path.computer, setup.path.store
        if computer is None or store not in self._columns or computer not in self._columns:
            return
        whole = strand not in self._traced.broken
        pen = QPen(colour, 6 if whole else 2)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        if not whole:
            pen.setDashPattern([3, 3])
        painter.setPen(pen)
        left, right = self._columns[computer], self._columns[store]
        painter.drawLine(QPointF(left.center().x(), y), QPointF(right.center().x(), y))
        needed, limit = written_mbps(setup), write_limit_mbps(setup)
        if strand == "picture" and needed and limit:
            wide = right.left() - left.right() - 4
            painter.setFont(theme.mono(theme.SMALL_PX - 2))
            painter.setPen(QColor(theme.INK))
            painter.drawText(QRectF(left.right() + 2, y - 22, wide, 16), Qt.AlignmentFlag.AlignCenter, f"≤ {_rate(needed)}")
            painter.setPen(QColor(theme.MUTED))
            painter.drawText(QRectF(left.right() + 2, y + 7, wide, 15), Qt.AlignmentFlag.AlignCenter, f"{limit / needed:.1f}× room")

    def _paint_stub(self, painter: QPainter, report: LinkReport, colour: QColor, y: float, *, into: bool, drawn: set[str]) -> None:
        """A strand inside a device, and the name of the socket above it."""
        assert self._traced is not None
        setup, link = self._traced.setup, report.link
        box = self._columns[link.target if into else link.source]
        state = report.state
        alive = state != "dead" and not (into and state == "broken")
        pen = QPen(colour, 6 if alive else 2)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        if not alive:
            pen.setDashPattern([3, 3])
        painter.setPen(pen)
        middle = box.center().x()
        left, right = (box.left(), middle) if into else (middle, box.right())
        if self._columns[link.source].left() > self._columns[link.target].left():
            left, right = (middle, box.right()) if into else (box.left(), middle)
        painter.drawLine(QPointF(left, y), QPointF(right, y))
        port = setup.port_in(link) if into else setup.port_out(link)
        painter.setPen(QColor(theme.MUTED))
        painter.setFont(theme.sans(theme.SMALL_PX - 1))
        words = _short(port.words)
        key = f"{box.left()}{words}{into}"
        if key in drawn:
            return
        drawn.add(key)
        area = QRectF(box.left() + 6, y - 21, box.width() - 12, 15)
        align = Qt.AlignmentFlag.AlignLeft if into else Qt.AlignmentFlag.AlignRight
        metrics = QFontMetricsF(painter.font())
        same = self._port_named_twice(report, into)
        if not same:
            painter.drawText(
                area, align | Qt.AlignmentFlag.AlignVCenter, metrics.elidedText(words, Qt.TextElideMode.ElideRight, area.width() * 0.62)
            )

    def _port_named_twice(self, report: LinkReport, into: bool) -> bool:
        """Picture and sound through the same socket: it is named at the picture."""
        if report.strand != "sound":
            return False
        return any(one.strand == "picture" and one.link == report.link for one in self._reports())

    def _label_link(self, painter: QPainter, report: LinkReport, y: float) -> None:
        x0, x1 = self._ends(report.link)
        if report.strand not in {"picture", "screen"} or report.state == "broken":
            return
        wide = max(70.0, abs(x1 - x0) - 4)
        centre = (x0 + x1) / 2
        painter.setPen(QColor(theme.INK))
        painter.setFont(theme.mono(theme.SMALL_PX - 2))
        metrics = QFontMetricsF(painter.font())
        flow = report.flow
        above = report.words if report.words != "data" else _rate(flow.needed) if flow.needed else "data"
        above = metrics.elidedText(above, Qt.TextElideMode.ElideRight, wide)
        painter.drawText(QRectF(centre - wide / 2, y - 22, wide, 16), Qt.AlignmentFlag.AlignCenter, above)
        if flow.margin is not None and flow.payload is not None:
            painter.setPen(QColor(theme.MUTED))
            below = f"{flow.margin:.1f}× room" if flow.margin >= 1 else f"{flow.margin:.2f}×: too narrow"
            painter.drawText(QRectF(centre - wide / 2, y + 7, wide, 15), Qt.AlignmentFlag.AlignCenter, below)

    def _paint_power(self, painter: QPainter) -> None:
        assert self._traced is not None
        setup, y = self._traced.setup, self._power_y
        painter.setPen(QColor(theme.MUTED))
        painter.setFont(theme.sans(theme.SMALL_PX))
        painter.drawText(QRectF(4, y - 9, _MARGIN_PX - 12, 18), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "power")
        host = setup.path.computer
        for piece, box in self._columns.items():
            kind = setup.kind(piece).power
            if kind == "none":
                continue
            off = setup.options.get((piece, "power")) == "off"
            words = {"mains": "mains", "bus": "by data plug", "battery": "battery"}[kind] if not off else "off"
            pen = QPen(QColor(_POWER_COLOUR), 3)
            if off:
                pen.setDashPattern([2, 3])
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if kind == "bus" and host in self._columns:
                self._feed(painter, box, self._columns[host], y)
            else:
                painter.drawLine(QPointF(box.left() + 10, y), QPointF(box.center().x(), y))
            painter.setPen(QColor(theme.MADDER if off else theme.MUTED))
            painter.setFont(theme.sans(theme.SMALL_PX - 1))
            painter.drawText(QRectF(box.left() + 9, y - 19, box.width() - 12, 15), Qt.AlignmentFlag.AlignVCenter, words)
            if off:
                _circle_cross(painter, QPointF(box.center().x(), y))

    def _feed(self, painter: QPainter, box: QRectF, host: QRectF, y: float) -> None:
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
        painter.drawPath(path)

    def _paint_marks(self, painter: QPainter) -> None:
        """Breaks as a circle with a cross and its cause; costs as a triangle."""
        assert self._traced is not None
        for finding in self._traced.findings:
            place = self._place_of(finding)
            if place is None or finding.weight in {"note", "risk"}:
                continue
            if finding.weight == "break":
                _circle_cross(painter, place)
                painter.setPen(QColor(theme.MADDER))
                painter.setFont(theme.sans(theme.SMALL_PX - 1, medium=True))
                painter.drawText(
                    QRectF(place.x() - 60, place.y() + 11, 120, 16), Qt.AlignmentFlag.AlignCenter, _mark_words(finding)
                )  # fmt: skip
            else:
                draw_mark(painter, QRectF(place.x() - 7, place.y() + 8, 13, 13), "look here")

    def _place_of(self, finding: Finding) -> QPointF | None:
        strand = finding.strands[0]
        y = self._lanes.get(strand, self._lanes.get("picture", self._power_y))
        if finding.link is not None:
            x0, x1 = self._ends(finding.link)
            return QPointF((x0 + x1) / 2, y)
        box = self._columns.get(finding.place)
        return QPointF(box.center().x(), y) if box is not None else None

    def _reports(self) -> tuple[LinkReport, ...]:
        return tuple(one for one in self._traced.links if one.strand in self._lanes) if self._traced else ()

    @staticmethod
    def _colour(strand: Strand) -> str:
        return next(colour for key, _, colour in _LANES if key == strand)

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

    # -- looking at sites

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._lay_out()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        inside = [number for number, one in enumerate(self.sites) if one.place.contains(event.position())]
        if inside:
            # The smallest that was hit: a link lies over the device behind it.
            self._look_at(min(inside, key=lambda number: self.sites[number].place.width() * self.sites[number].place.height()))
        super().mousePressEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
        if step and self.sites:
            self._look_at(max(0, min(len(self.sites) - 1, self._at + step)))
        else:
            super().keyPressEvent(event)

    def _look_at(self, number: int) -> None:
        self._at = number
        self.setAccessibleDescription(self.sites[number].words)
        QAccessible.updateAccessibility(QAccessibleEvent(self, QAccessible.Event.DescriptionChanged))
        self.update()
        self.looked_at.emit(self.sites[number])


def in_scroll(drawing: StrandDrawing) -> QScrollArea:
    """Long paths scroll sideways."""
    area = QScrollArea()
    area.setWidget(drawing)
    area.setWidgetResizable(True)
    area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return area


def _circle_cross(painter: QPainter, centre: QPointF) -> None:
    painter.setBrush(QColor(theme.RAISED))
    painter.setPen(QPen(QColor(theme.MADDER), 2.4))
    painter.drawEllipse(centre, 11, 11)
    for dx, dy in ((5, 5), (5, -5)):
        painter.drawLine(QPointF(centre.x() - dx, centre.y() - dy), QPointF(centre.x() + dx, centre.y() + dy))


def _mark_words(finding: Finding) -> str:
    """A word or two beside a mark."""
    if finding.rule in RULES:
        return RULES[finding.rule].words
    key, option = finding.rule.split("=", 1)
    words = {"power": "no power", "plugged": "unplugged", "protection": "protected", "sound_to": "to the headset"}
    return words.get(key, f"{key.replace('_', ' ')}: {option}")


def _rate(mbps: float) -> str:
    return f"{mbps / 1000:.2f} Gb/s" if mbps >= 1000 else f"{mbps:.0f} Mb/s" if mbps >= 100 else bit_rate_text(mbps * 1e6)


def _short(words: str) -> str:
    names = {"hdmi": "HDMI", "stereo": "line", "3.5": "3.5 mm", "microphone": "mic", "optical": "optical", "card": "slot"}
    return names.get(words.split(maxsplit=1)[0].lower(), words.split(",", maxsplit=1)[0])
